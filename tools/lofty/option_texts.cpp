#include "option_texts.hpp"

#include <algorithm>
#include <sstream>

#include "calls.hpp"

namespace tool {

using lofty::Code;

namespace {

char delimiter_of(const std::string& text) {
  if (text == "tab" || text == "\\t") return '\t';
  if (text.size() > 1)
    bad_option("--delimiter", text, "a delimiter is one character", "--delimiter ';' or --delimiter tab");
  return text[0];
}

// "price: written 1.234,50 € = 1234.50", "id: type text". A name may have a colon and a blank in it: the words decide.
void read_column(const std::string& text, lofty::ReadOptions& read) {
  constexpr const char* example = "--column 'price: written 1.234,50 \u20AC = 1234.50' or --column 'id: type text'";
  for (const char* const word : {"written", "type"}) {
    const std::size_t at = text.find(": " + std::string(word) + " ");
    if (at == std::string::npos) continue;
    const std::string name = trimmed(text.substr(0, at));
    const std::string value = trimmed(text.substr(at + 3 + std::string(word).size()));
    if (name.empty() || value.empty()) break;
    auto found =
        std::find_if(read.columns.begin(), read.columns.end(), [&](const auto& one) { return one.column == name; });
    if (found == read.columns.end()) found = read.columns.insert(read.columns.end(), {name, {}, {}});
    if (word[0] == 'w') {
      found->written.push_back(value);
      return;
    }
    const auto kind = lofty::from_string<lofty::Kind>(value);
    if (!kind || *kind == lofty::Kind::interval || *kind == lofty::Kind::unknown)
      bad_option("--column", value, "no type is called `" + value + "`",
                 "integer, decimal, float, date, timestamp, boolean or text", Code::unknown_word);
    found->type = kind;
    return;
  }
  bad_option("--column", text, "--column takes `NAME: written EXAMPLE` or `NAME: type TYPE`", example);
}

}  // namespace

void apply(const TableOptions& options, lofty::ReadOptions& read, const std::string& locale) {
  if (!options.delimiter.empty()) read.delimiter = delimiter_of(options.delimiter);
  if (!options.nulls.empty()) read.nulls = options.nulls;
  if (options.skip) read.skip = *options.skip;
  if (!options.row_order.empty()) read.order = names(options.row_order);
  if (options.skip_last) read.skip_last = *options.skip_last;
  if (!options.encoding.empty()) read.encoding = options.encoding;
  if (!options.file_column.empty()) read.file_column = options.file_column;
  lofty::ReadOptions given;
  for (const std::string& one : options.columns_read) read_column(one, given);
  for (const auto& column : given.columns) {
    try {
      if (!column.written.empty()) static_cast<void>(lofty::Specimen::parse(column.written, locale));
    } catch (const lofty::Error& error) {
      const lofty::Problem& p = error.problems().front();
      bad_option("--column", column.written.back(), p.sentence, p.advice, p.code);
    }
    std::erase_if(read.columns, [&](const auto& one) { return one.column == column.column; });
    read.columns.push_back(column);
  }
}

lofty::Period period_of(const std::string& text) {
  const auto refuse = [&](const std::string& sentence) {
    bad_option("--period", text, sentence,
               "--period 'recent: last 3 months of ordered_on, whole, back 1' or --period 'march: ordered_on from "
               "2026-03-01 through 2026-03-31'");
  };
  const std::size_t colon = text.find(':');
  lofty::Period period;
  if (colon != std::string::npos) period.name = trimmed(text.substr(0, colon));
  if (period.name.empty()) refuse("--period takes a name, a colon, and which days it is");

  // Parts with commas between them; the first one says which days.
  const std::vector<std::string> parts = names({text.substr(colon + 1)});
  const std::string& days = parts.front();
  if (days.starts_with("last ")) {
    const std::size_t of = days.find(" of ");
    std::istringstream words(days.substr(5, of == std::string::npos ? of : of - 5));
    std::string further;
    std::string unit;
    if (!(words >> period.last >> unit) || words >> further || of == std::string::npos)
      refuse("a period of units is `last N UNIT of COLUMN`");
    if (unit.size() > 1 && unit.ends_with('s')) unit.pop_back();
    period.unit = lofty::from_string<lofty::CalendarUnit>(unit);
    if (!period.unit) refuse("a period's unit is day, week, month, quarter or year, not `" + unit + "`");
    period.on = trimmed(days.substr(of + 4));
  } else {
    const std::size_t from = days.find(" from "), through = days.find(" through ");
    if (from == std::string::npos && through == std::string::npos)
      refuse("a period is `last N UNIT of COLUMN`, or `COLUMN from DATE through DATE`");
    period.on = trimmed(days.substr(0, std::min(from, through)));
    if (from != std::string::npos) {
      const std::size_t begin = from + 6;
      period.from = trimmed(days.substr(begin, through == std::string::npos ? through : through - begin));
    }
    if (through != std::string::npos) period.through = trimmed(days.substr(through + 9));
  }
  for (std::size_t i = 1; i < parts.size(); ++i) {
    if (parts[i] == "whole")
      period.whole = true;
    else if (parts[i].starts_with("back "))
      period.back = trimmed(parts[i].substr(5));
    else if (parts[i].starts_with("ends "))
      period.ends = trimmed(parts[i].substr(5));
    else
      refuse("after a comma stands `whole`, `back N` or `ends DATE`, and not `" + parts[i] + "`");
  }
  return period;
}

}  // namespace tool
