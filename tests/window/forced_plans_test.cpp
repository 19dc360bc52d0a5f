// Whatever sorts windows share, their values are the same: every grouping that the planner could have chosen.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <functional>
#include <map>
#include <random>

#include "formula/evaluator.hpp"
#include "formula/parser.hpp"
#include "window/binder.hpp"
#include "window/work.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

const std::vector<std::string> names = {"a", "b", "c", "x"};

// Four columns of small whole numbers.
struct World : WindowRelation {
  std::size_t count = 0;
  std::vector<ColumnPtr> columns;
  Run run;
  std::size_t rows() const override { return count; }
  ColumnPtr column(const Node& node) const override {
    if (node.op == Op::name) return columns[static_cast<std::size_t>(node.column)];
    return evaluate_column(node, ColumnSource(count, columns), FormulaContext{.slots = 100}, run);
  }
  void encode(const Node&, const Column& values, bool descending, Nulls nulls, KeyList& out) const override {
    engine::encode(ColumnKey{&values, descending, {.nulls = nulls}}, run, out);
  }
  void encode_tiebreak(KeyList&) const override {}
  bool input_decides() const override { return false; }
};

struct Names : Scope {
  NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
    for (std::size_t c = 0; c < names.size(); ++c)
      if (names[c] == e.text) return make_column(static_cast<int>(c), {.kind = Kind::integer}, e, origin);
    throw Error(problem_at(Code::unknown_column, "no " + e.text, e, origin));
  }
  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& o) override { return make_unknown(e, o); }
  NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& o) override { return make_unknown(e, o); }
  NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& o) override { return make_unknown(e, o); }
};

std::unique_ptr<WindowCall> call_of(const std::string& text) {
  Names scope;
  std::vector<Problem> problems;
  auto call = bind_window(*parse_expression(text), scope, std::make_shared<Origin>(Origin{"test", text}), {}, problems);
  EXPECT_TRUE(problems.empty()) << text;
  int slots = 0;
  for (NodePtr* node : {&call->value, &call->filter, &call->otherwise, &call->range_from, &call->range_to})
    if (*node) slots = finish(**node, slots);
  return call;
}

std::vector<std::string> values(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan,
                                const World& world) {
  std::vector<std::string> out(items.size());
  work_out(items, plan, world, world.run, {[&](std::size_t item, const ColumnPtr& column, const WindowNotes&) {
             for (std::size_t row = 0; row < world.count; ++row)
               out[item] += (column->is_null(row) ? "-" : to_text(column->value(row))) + " ";
           }});
  return out;
}

RC_GTEST_PROP(ForcedPlans, GiveTheSameValues, ()) {
  World world;
  world.count = static_cast<std::size_t>(*rc::gen::inRange(0, 12));
  for (std::size_t c = 0; c < names.size(); ++c) {
    Piece piece(Type{.kind = Kind::integer});
    for (std::size_t row = 0; row < world.count; ++row)
      *rc::gen::inRange(0, 8) == 0 ? piece.add_null() : piece.add_integer(*rc::gen::inRange(0, 3));
    world.columns.push_back(Column::seal(std::move(piece)));
  }
  std::vector<std::unique_ptr<WindowCall>> calls;
  std::vector<WindowItem> items;
  for (int i = *rc::gen::inRange(1, 5); i > 0; --i) {
    const std::string function = *rc::gen::elementOf(std::vector<std::string>{
        "row_number()", "rank()", "sum(x)", "lag(x)", "first_value(x)", "max(x)", "count(distinct x)", "median(x)"});
    const std::string partition =
        *rc::gen::elementOf(std::vector<std::string>{"", "partition by a", "partition by b, a", "partition by b"});
    const std::string order = *rc::gen::elementOf(
        std::vector<std::string>{"order by c", "order by c, b", "order by a desc", "order by c desc nulls first, x"});
    const bool framed = function.find("()") == std::string::npos && function != "lag(x)";
    const std::string frame =
        framed ? *rc::gen::elementOf(std::vector<std::string>{"", " rows 2 preceding", " groups 1 preceding",
                                                              " rows between 1 following and unbounded following"})
               : "";
    calls.push_back(call_of(function + " over (" + partition + " " + order + frame + ")"));
    items.push_back({calls.back().get(), {}, {}});
    RC_LOG() << calls.back()->text << "\n";
  }
  const std::vector<std::string> expected = values(items, separate_sorts(items), world);
  for (const std::optional<bool> refine : {std::optional<bool>{}, std::optional(true), std::optional(false)}) {
    force_refining(refine);
    RC_ASSERT(values(items, plan_windows(items), world) == expected);
  }
  force_refining({});
  RC_ASSERT(plan_windows(items).size() <= items.size());
  // Every way to put the windows into groups of which each has a sort.
  std::vector<std::vector<std::size_t>> groups;
  const std::function<void(std::size_t)> search = [&](std::size_t at) {
    if (at < items.size()) {
      for (std::size_t g = 0; g <= groups.size(); ++g) {
        if (g == groups.size()) groups.emplace_back();
        groups[g].push_back(at);
        search(at + 1);
        groups[g].pop_back();
        if (groups[g].empty()) groups.pop_back();
      }
      return;
    }
    std::vector<SortStep> plan;
    for (const std::vector<std::size_t>& group : groups) {
      std::vector<WindowItem> some;
      for (const std::size_t item : group) some.push_back(items[item]);
      std::vector<SortStep> steps = plan_windows(some);
      if (steps.size() != 1) return;
      for (std::size_t& served : steps[0].serves) served = group[served];
      for (SortStep::Key& key : steps[0].keys) key.item = group[key.item];
      plan.push_back(std::move(steps[0]));
    }
    RC_ASSERT(values(items, plan, world) == expected);
  };
  search(0);
}

// Windows that have their partition in common, and nothing of their orders: the second sort refines the first.
TEST(ForcedPlans, SortsInsideGroups) {
  std::vector<std::unique_ptr<WindowCall>> calls;
  std::vector<WindowItem> items;
  for (const char* text :
       {"rank() over (partition by a order by b)", "row_number() over (partition by a order by c desc)",
        "sum(x) over (partition by a order by b)", "sum(x) over (order by c)"}) {
    calls.push_back(call_of(text));
    items.push_back({calls.back().get(), {}, {}});
  }
  const std::vector<SortStep> plan = plan_windows(items);
  ASSERT_EQ(plan.size(), 3u);
  std::size_t refining = 0;
  for (const SortStep& step : plan) {
    refining += step.refines != SortStep::none;
    EXPECT_EQ(step.refined_keys, step.refines != SortStep::none ? 1u : 0u);
  }
  EXPECT_EQ(refining, 1u);
  for (const SortStep& step : separate_sorts(items)) EXPECT_EQ(step.refines, SortStep::none);
}

}  // namespace

// Rows that have peers, counted one by one: where nearly all are alone, where hardly one does, and in between, by
// more rows than one thread takes.
TEST(WindowSorts, CountPeers) {
  std::mt19937_64 random(8);
  for (const std::size_t size : {std::size_t{0}, std::size_t{1}, std::size_t{9}, std::size_t{17}, std::size_t{120'000}})
    for (const std::uint64_t different :
         {std::uint64_t{1}, std::uint64_t{5}, std::uint64_t{200'000}, ~std::uint64_t{0} >> 24}) {
      World world;
      world.count = size;
      std::map<std::int64_t, std::size_t> times;
      for (std::size_t c = 0; c < names.size(); ++c) {
        Piece piece(Type{.kind = Kind::integer});
        for (std::size_t row = 0; row < size; ++row) {
          const auto value = static_cast<std::int64_t>(random() % different);
          piece.add_integer(value);
          if (c == 0) ++times[value];
        }
        world.columns.push_back(Column::seal(std::move(piece)));
      }
      std::size_t rows = 0, most = 0;
      for (const auto& [value, count] : times) {
        if (count == 1) continue;
        rows += count;
        most = std::max(most, count);
      }
      const auto call = call_of("sum(x) over (order by a)");
      const WindowKey& key = call->order.front();
      WindowSort sort(world, {{key.node.get(), key.descending, key.nulls}}, {0, 1}, world.run, {});
      ASSERT_EQ(sort.peers({0, 1}).rows, rows) << size << " rows, " << different;
      ASSERT_EQ(sort.peers({0, 1}).most, most);
    }
}
