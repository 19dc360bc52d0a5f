#include "answer/former_places.hpp"

#include <algorithm>

#include "lofty/error.hpp"
#include "question/prose.hpp"

namespace lofty::engine {

std::string key_text(const std::vector<std::string>& names, const EntryKey& key) {
  std::string out;
  for (std::size_t k = 0; k < names.size(); ++k)
    out += (k > 0 ? ", " : "") + names[k] + " " + (is_null(key[k]) ? std::string("(none)") : to_text(key[k]));
  return out;
}

namespace {

// Null where it has too many digits.
Value difference(const Decimal& a, const Decimal& b) {
  const int scale = std::max(a.scale(), b.scale());
  const auto x = a.rescaled(scale), y = b.rescaled(scale);
  int128 out = 0;
  if (!x || !y || __builtin_sub_overflow(x->coefficient(), y->coefficient(), &out)) return {};
  return Decimal(out, scale);
}

}  // namespace

Movement movement(const LevelInput& input, const Entries& entries, const ColumnPtr& place, const ColumnPtr& by) {
  const Type type = place->type();
  std::vector<ColumnPtr> keys;
  for (const std::string& name : input.former->key_names)
    for (std::size_t c = 0; c < input.question.entry_columns.size(); ++c)
      if (input.question.entry_columns[c].name == name &&
          input.question.entry_columns[c].from == EntryColumn::From::key)
        keys.push_back(entries.columns[c]);

  Movement out;
  Piece was(type), moved(type);
  const bool values = input.question.knows_former_values, numbers = by->type().exact();
  Piece before(by->type()), change(numbers ? by->type() : Type{.kind = Kind::integer});
  for (std::uint32_t e = 0; e < entries.count; ++e) {
    EntryKey key = key_at(keys, e);
    const auto found = input.former->stood.find(key);
    const Value now = place->value(e);
    if (values) {
      const Value then = found == input.former->stood.end() ? Value{} : found->second.value, here = by->value(e);
      const auto *const old = std::get_if<Decimal>(&then), *const own = std::get_if<Decimal>(&here);
      before.add(then);
      change.add(numbers && old != nullptr && own != nullptr ? difference(*own, *old) : Value{});
    }
    if (found == input.former->stood.end() || is_null(found->second.place)) {
      was.add_null();
      moved.add_null();
    } else {
      const Decimal& stood = std::get<Decimal>(found->second.place);
      const auto old = stood.rescaled(type.scale);
      if (!old || *old != stood)
        throw Error(Problem{Code::wrong_type,
                            "the former place " + to_text(found->second.place) + " is none under the rule " +
                                quoted(to_string(input.question.level->ties)),
                            {},
                            {},
                            "compare places under one rule"});
      was.add(Value(*old));
      if (is_null(now))
        moved.add_null();
      else
        moved.add(Value(Decimal(old->coefficient() - std::get<Decimal>(now).coefficient(), type.scale)));
    }
    out.entry_of[std::move(key)] = e;
  }
  out.was = Column::seal(std::move(was));
  out.moved = Column::seal(std::move(moved));
  if (values) {
    out.value_before = Column::seal(std::move(before));
    out.value_change = Column::seal(std::move(change));
  }
  return out;
}

}  // namespace lofty::engine
