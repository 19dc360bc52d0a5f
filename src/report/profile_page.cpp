// The page of `lofty inspect`.

#include "lofty/listing.hpp"
#include "report/grid.hpp"
#include "report/width.hpp"

namespace lofty {

using namespace report;

namespace {

std::string short_text(const Value& value, const Type& type) {
  std::string text = printable(to_text(value, type));
  if (type.kind == Kind::text && (text.empty() || text.front() == ' ' || text.back() == ' ')) text = "'" + text + "'";
  if (display_width(text) <= 24) return text;
  std::size_t end = std::min<std::size_t>(22, text.size());
  while (end > 0 && (text[end] & 0xc0) == 0x80) --end;
  return text.substr(0, end) + "..";
}

std::string counted(std::size_t number) { return Decimal(static_cast<int128>(number), 0).grouped_text(); }

std::string type_text(const Type& type) {
  std::string text = to_string(type.kind);
  if (type.kind == Kind::decimal) text += ", " + std::to_string(type.scale) + (type.scale == 1 ? " place" : " places");
  if (type.zoned) text += ", UTC";
  return text;
}

}  // namespace

std::string profile_text(const TableProfile& profile, const Looks& looks, const std::string& form) {
  std::string out = inked(profile.table, Ink::strong, looks) + ": " + counted(profile.rows) +
                    (profile.rows == 1 ? " row, " : " rows, ") + std::to_string(profile.columns.size()) +
                    (profile.columns.size() == 1 ? " column" : " columns") + (form.empty() ? "" : ", " + form) + "\n\n";
  Grid grid;
  grid.columns = {{"column", false}, {"type", false},     {"blank", true},       {"distinct", true},
                  {"least", false},  {"greatest", false}, {"for example", false}};
  std::vector<std::string> keys;
  for (const ColumnProfile& column : profile.columns) {
    std::string samples;
    for (const Value& value : column.samples) samples += (samples.empty() ? "" : "  ") + short_text(value, column.type);
    grid.rows.push_back({printable(column.heading), type_text(column.type),
                         column.blanks == 0 ? "" : counted(column.blanks), counted(column.distinct),
                         short_text(column.least, column.type), short_text(column.greatest, column.type), samples});
    if (column.key) keys.push_back(printable(column.heading));
  }
  out += grid.text(looks) + "\n";
  if (!keys.empty()) {
    out += "would serve as a key:";
    for (std::size_t i = 0; i < keys.size(); ++i) out += (i > 0 ? ", " : " ") + keys[i];
    out += "\n";
  }
  return out;
}

}  // namespace lofty
