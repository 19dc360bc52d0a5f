// Opening a ladder's tables.

#include "question/ladder_tables.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "base/passwords.hpp"
#include "lofty/error.hpp"
#include "lofty/nearest.hpp"
#include "question/prose.hpp"
#include "table/checked_source.hpp"
#include "value/zone.hpp"

namespace lofty::engine {

std::string stem_of(const std::string& name) {
  // Of an address the table, without its schema.
  if (const std::size_t mark = name.rfind('#'); mark != std::string::npos && is_address(name)) {
    const std::size_t point = name.find('.', mark);
    return name.substr((point == std::string::npos ? mark : point) + 1);
  }
  const std::size_t slash = name.find_last_of("/\\");
  std::string stem = slash == std::string::npos ? name : name.substr(slash + 1);
  // Of a pattern what is in front of its first sign, and says something: "orders" for "orders-*.csv".
  if (const std::size_t sign = stem.find_first_of("*?["); sign != std::string::npos) {
    const std::size_t last = stem.find_last_not_of("-_. ", sign == 0 ? sign : sign - 1);
    stem = sign == 0 || last == std::string::npos ? "rows" : stem.substr(0, last + 1);
  }
  const std::size_t point = stem.find('.');
  return point == std::string::npos || point == 0 ? stem : stem.substr(0, point);
}

bool LadderTables::open(const Ladder& ladder, const Catalog& catalog, ProblemList& problems) {
  if (ladder.data.from.empty()) {
    problems.say(Code::missing_key, "the ladder names no table", "data.from",
                 "from = \"order_lines.csv\" under [data]");
    return false;
  }
  find_zone(ladder.data.zone, problems);
  first_month_ = std::clamp(ladder.first_month, 1, 12);
  if (first_month_ != ladder.first_month)
    problems.say(Code::bad_value,
                 "`calendar.first_month` is " + std::to_string(ladder.first_month) + ", which is no month",
                 "calendar.first_month", remedy::set_first_month());
  const auto in_language = [&](ReadOptions options) {
    if (options.locale.empty()) options.locale = ladder.data.locale;
    return options;
  };
  bool all = open_one(catalog, ladder.data.from, ladder.data.as, in_language(ladder.data.read), "data.from", problems);
  for (std::size_t i = 0; i < ladder.data.joins.size(); ++i) {
    const Join& join = ladder.data.joins[i];
    const std::string key = "data.join[" + std::to_string(i) + "].with";
    all = open_one(catalog, join.with, join.as, in_language(join.read), key, problems) && all;
  }
  if (!all) return false;

  for (std::size_t i = 0; i < uses_.size(); ++i)
    for (std::size_t k = 0; k < i; ++k)
      if (equal_folded(uses_[i].alias, uses_[k].alias))
        problems.say(Code::name_taken, "two tables are called " + quoted(uses_[i].alias),
                     i == 0 ? "data.from" : "data.join[" + std::to_string(i - 1) + "].with",
                     "as = \"another_name\" tells them apart");
  return true;
}

void LadderTables::find_zone(const std::string& name, ProblemList& problems) {
  if (name.empty()) return;
  zone_ = Zone::find(name);
  if (zone_ == nullptr)
    problems.say(Code::bad_value, "no time zone is called " + quoted(name), "data.zone",
                 "zones have the names of the IANA data base: Europe/Oslo, UTC", Zone::nearest(name), name);
}

bool LadderTables::open_one(const Catalog& catalog, const std::string& name, const std::string& as,
                            const ReadOptions& options, const std::string& key, ProblemList& problems) {
  TableUse use;
  try {
    use.source = opened(catalog, name, options);
  } catch (const Error& error) {
    for (Problem p : error.problems()) {
      if (p.location.key.empty() && p.location.line == 0) {
        p.location.key = key;
        if (p.code == Code::unknown_table && options.more.empty()) {
          p.location.text = name;
          p.location.length = name.size();
        }
      }
      problems.add(std::move(p));
    }
    return false;
  }
  use.alias = as.empty() ? stem_of(name) : as;
  uses_.push_back(std::move(use));
  return true;
}

std::optional<std::size_t> LadderTables::find_column(std::size_t table, const std::string& name, bool exact) const {
  const std::vector<std::string>& all = headings(table);
  for (std::size_t i = 0; i < all.size(); ++i)
    if (all[i] == name) return i;
  if (exact) return std::nullopt;
  std::optional<std::size_t> found;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (equal_folded(all[i], name)) {
      if (found) return std::nullopt;
      found = i;
    }
  return found;
}

std::string LadderTables::without_alias(const std::string& name, std::size_t t) const {
  const std::string prefix = uses_[t].alias + ".";
  return name.size() > prefix.size() && equal_folded(name.substr(0, prefix.size()), prefix) ? name.substr(prefix.size())
                                                                                            : name;
}

bool LadderTables::is_blank(std::size_t table, std::size_t column) const {
  if (!types_known() || !read_[table].holds(column) || read_[table].type(column).kind != Kind::text) return false;
  const Column& values = *read_.data(table).columns[column];
  return values.nulls() == values.rows();
}

Type LadderTables::type(std::size_t table, std::size_t column) const {
  Type type = types_known() && read_[table].holds(column) ? read_[table].type(column) : Type{};
  if (type.zoned && zone_ != nullptr) type.zone = zone_;
  return type;
}

}  // namespace lofty::engine

namespace lofty {

void replace_source(Ladder& ladder, const std::string& source, const std::string& joined) {
  const auto replace = [&](std::string& name, std::string& as, ReadOptions& read) {
    if (as.empty()) as = engine::stem_of(name);
    name = source;
    read.more.clear();
    if (engine::is_address(source)) read = {};
  };
  if (joined.empty()) return replace(ladder.data.from, ladder.data.as, ladder.data.read);
  std::vector<std::string> known;
  for (Join& join : ladder.data.joins) {
    known.push_back(join.as.empty() ? engine::stem_of(join.with) : join.as);
    if (known.back() == joined) return replace(join.with, join.as, join.read);
  }
  throw Error(Problem{
      Code::unknown_table, "the ladder joins no table called `" + joined + "`", {}, nearest_word(joined, known), {}});
}

}  // namespace lofty
