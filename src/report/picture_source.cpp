// What the four kinds of pictures have in common.

#include "report/picture_source.hpp"

#include "base/folded.hpp"
#include "question/prose.hpp"

namespace lofty::report {

using engine::with_commas;

void refuse(Code code, std::string sentence, std::string advice, std::string nearest) {
  throw Error(Problem{code, std::move(sentence), {}, std::move(nearest), std::move(advice)});
}

std::size_t column_named(const PictureSource& source, const std::string& name) {
  std::vector<std::string> names;
  for (std::size_t c = 0; c < source.standings.columns().size(); ++c) {
    if (source.column(c).name == name || source.column(c).heading == name) return c;
    names.push_back(source.column(c).name);
  }
  refuse(Code::unknown_column, "no listed column is called `" + name + "`", {}, nearest_word(name, names));
}

bool of_innermost(const PictureSource& source, std::size_t column) {
  for (std::size_t r = 0; r < source.standings.rows(); ++r)
    if (source.standings.level(r) == source.innermost()) return source.standings.of_level(r, column);
  return false;
}

std::size_t value_column(const PictureSource& source) {
  const std::string& wish = source.options.value;
  if (!wish.empty()) {
    const std::size_t c = column_named(source, wish);
    if (!source.column(c).type.numeric())
      refuse(Code::wrong_type, "`" + wish + "` holds values of type " + to_string(source.column(c).type.kind) +
                                   ", and a picture needs numbers");
    return c;
  }

  // What the entries are ranked by comes first, then totals, then what else is a number.
  const auto ranked_by = first_column(source, [](const StandingColumn& c) {
    return c.sort_position == 1 && c.type.numeric() && c.role != Role::place && c.role != Role::key;
  });
  if (ranked_by) return *ranked_by;
  for (const Role role : {Role::total, Role::measure, Role::cell, Role::label}) {
    const auto fits = [role](const StandingColumn& c) { return c.role == role && c.type.numeric(); };
    if (const auto c = first_column(source, fits)) return *c;
  }
  refuse(Code::missing_key, "no listed column holds numbers to draw",
         "a total in list.columns, or picture.value = COLUMN");
}

std::vector<std::size_t> outer_rows(const PictureSource& source, std::size_t row) {
  const Standings& s = source.standings;
  std::vector<std::size_t> rows;
  for (std::size_t r = row, level = s.level(row); level > 0 && r-- > 0;)
    if (s.level(r) < level) {
      level = s.level(r);
      rows.insert(rows.begin(), r);
    }
  return rows;
}

std::string heading_of_group(const PictureSource& source, std::size_t row) {
  const Standings& s = source.standings;
  std::string heading;
  if (source.nested()) {
    for (const std::size_t outer : outer_rows(source, row))
      heading += (heading.empty() ? "" : "  \xE2\x80\xBA  ") + place_text(s, source.cells, outer) + " " +
                 source.name(outer) + "  " + ranked_text(s, source.cells, outer);
    return heading;
  }
  for (std::size_t c = 0; c < s.columns().size() && source.grouped(); ++c)
    if (source.column(c).role == Role::group) heading += (heading.empty() ? "" : ", ") + source.cells.text(row, c);
  return heading;
}

void refuse_too_many(const PictureSource& source, std::size_t count, const char* what) {
  if (source.options.at_most || count <= most_entries) return;
  refuse(Code::bad_value,
         "a picture shows at most " + std::to_string(most_entries) + " " + what + ", and this answer has " +
             with_commas(count),
         "keep.best = 30 keeps fewer; picture.at_most = 30 draws the first 30 and names the others");
}

std::string not_drawn(const std::vector<std::string>& names, std::size_t count) {
  std::string text;
  for (const std::string& name : names) text += (text.empty() ? "" : ", ") + name;
  if (count > names.size()) text += " and " + with_commas(count - names.size()) + " more";
  return "Not drawn: " + text + ".";
}

}  // namespace lofty::report
