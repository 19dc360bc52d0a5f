// Covered by tests/ladder/profile_test.cpp.
#include "lofty/profile.hpp"

#include <algorithm>
#include <bit>
#include <map>

#include "derived/written_forms.hpp"
#include "order/key_table.hpp"
#include "order/mix.hpp"
#include "question/prose.hpp"
#include "table/folded.hpp"
#include "table/parallel.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

// A value after the values of the columns before it, which have the number `before`.
struct RowKey {
  std::uint64_t low = 0, high = 0;
  std::uint32_t before = 0;
  bool null = false;

  std::uint32_t tag() const {
    return static_cast<std::uint32_t>(mix_two(low ^ before, high + (null ? 1 : 0) + before) >> 32);
  }
  bool same(const RowKey& other) const {
    return low == other.low && high == other.high && before == other.before && null == other.null;
  }
};

RowKey key_of(const Column& column, std::size_t row, std::uint32_t before) {
  if (column.is_null(row)) return {.before = before, .null = true};
  switch (column.lane()) {
    case Lane::int64: return {static_cast<std::uint64_t>(column.int64(row)), 0, before};
    case Lane::code: return {column.code(row), 0, before};
    case Lane::float64: return {std::bit_cast<std::uint64_t>(column.float64(row)), 0, before};
    case Lane::int128: {
      const int128 value = column.integer(row);
      return {static_cast<std::uint64_t>(value), static_cast<std::uint64_t>(value >> 64), before};
    }
  }
  return {};
}

struct Distinct {
  KeyTable<RowKey> table;
  std::vector<std::uint32_t> first_rows, counts;
};

constexpr std::size_t stretch = 65536;  // rows between looks at whether to stop

Distinct distinct_values(const Column& column, Progress& progress) {
  Distinct out;
  for (std::size_t row = 0; row < column.rows(); ++row) {
    if (row % stretch == 0) progress.add(std::min(stretch, column.rows() - row));
    const RowKey key = key_of(column, row, 0);
    if (key.null) continue;
    const std::uint32_t id = out.table.find_or_add(key);
    if (id == out.first_rows.size()) {
      out.first_rows.push_back(static_cast<std::uint32_t>(row));
      out.counts.push_back(0);
    }
    ++out.counts[id];
  }
  return out;
}

ColumnProfile column_profile(const std::string& heading, const Column& column, const Distinct& distinct,
                             const Run& run) {
  ColumnProfile p;
  p.heading = heading;
  p.type = column.type();
  p.blanks = column.nulls();
  p.distinct = distinct.first_rows.size();
  for (const std::uint32_t row : distinct.first_rows) {
    if (row % 4096 == 0) check_stop(run);
    const Value value = column.value(row);
    if (is_null(p.least) || value < p.least) p.least = value;
    if (is_null(p.greatest) || p.greatest < value) p.greatest = value;
  }
  p.key = column.rows() > 0 && p.blanks == 0 && p.distinct == column.rows();
  std::vector<std::uint32_t> ids(p.distinct);
  for (std::uint32_t i = 0; i < ids.size(); ++i) ids[i] = i;
  const std::size_t shown = std::min<std::size_t>(3, ids.size());
  std::partial_sort(ids.begin(), ids.begin() + static_cast<std::ptrdiff_t>(shown), ids.end(),
                    [&](std::uint32_t a, std::uint32_t b) {
                      return distinct.counts[a] != distinct.counts[b] ? distinct.counts[a] > distinct.counts[b] : a < b;
                    });
  for (std::size_t i = 0; i < shown; ++i) p.samples.push_back(column.value(distinct.first_rows[ids[i]]));
  return p;
}

bool looks_like_other_date(std::string_view text) {  // 31.12.2025, 12/31/25
  int digits = 0, signs = 0;
  for (const char c : text) {
    digits += c >= '0' && c <= '9';
    signs += c == '.' || c == '/';
    if ((c < '0' || c > '9') && c != '.' && c != '/') return false;
  }
  return signs == 2 && digits >= 4 && digits <= 8;
}

class TableRemarks {
 public:
  TableRemarks(TableProfile& profile, const TableData& data, const Run& run)
      : profile_(profile), data_(data), run_(run) {}

  void column(std::size_t index, const Distinct& distinct) {
    const Column& c = *data_.columns[index];
    const std::string name = quoted(data_.headings[index]);
    const Census& census = data_.census[index];
    if (c.type().kind == Kind::timestamp && census.of(Look::zoned) > 0 && census.of(Look::timestamp) > 0)
      say("mixed-offsets", name + " mixes " + counted(census.of(Look::zoned), "timestamp") + " with an offset and " +
                               with_commas(census.of(Look::timestamp)) + " without");
    if (c.type().kind == Kind::decimal) three_decimals(c, name, data_.headings[index], census, distinct);
    if (c.type().kind != Kind::text || c.rows() == 0) return;

    // What do texts look like?
    const std::size_t values = census.values(),
                      numbers = census.of(Look::integer) + census.of(Look::decimal) + census.of(Look::exponent),
                      padded = census.of(Look::padded);
    std::size_t dates = 0;
    for (const std::uint32_t row : distinct.first_rows)
      dates += looks_like_other_date(c.dictionary().text(c.code(row)));

    // Numbers among texts.
    if (padded > 0 && (numbers + padded) * 2 >= values)
      say("numbers-as-text",
          name + " holds numbers, and " + counted(padded, "value") + " with leading zeros: it is kept as text");
    else if (other_forms(c, name, data_.headings[index], distinct))
      return;
    else if (numbers * 2 >= values && numbers > 0)
      say("numbers-as-text",
          name + " is text, though " + with_commas(numbers) + " of its " + counted(values, "value") + " are numbers");

    // Dates among texts.
    if (dates > 0 || (census.of(Look::date) > 0 && census.of(Look::date) + dates * 2 < values))
      if (dates + census.of(Look::date) > 0 && (dates > 0 || census.of(Look::date) * 2 >= values))
        say("mixed-dates", name + " is text, though some of its values look like dates" +
                               (census.of(Look::date) > 0 ? " in several forms" : "") +
                               "; dates are read as 2025-03-31");
    spellings(c, name, distinct);
    null_words(c, name, distinct);
  }

  // A last row that holds the sums of the others is no row like them.
  void last_row() {
    if (data_.rows < 4) return;
    std::string sums;
    for (std::size_t i = 0; i < data_.columns.size(); ++i) {
      const ColumnPtr& column = data_.columns[i];
      if (!column || !column->type().numeric() || column->lane() != Lane::int64) continue;
      const std::size_t last = data_.rows - 1;
      if (column->is_null(last)) continue;
      int128 sum = 0;
      std::size_t values = 0;
      for (std::size_t row = 0; row < last; ++row) {
        if (row % stretch == 0) check_stop(run_);
        if (column->is_null(row)) continue;
        sum += column->int64(row);
        ++values;
      }
      if (values < 3 || sum == 0 || sum != column->int64(last)) return;
      sums += (sums.empty() ? "" : ", ") + quoted(data_.headings[i]);
    }
    if (!sums.empty())
      say("totals-row",
          "the last row holds the sums of the others, of " + sums + "; skip_last = 1 under [data] leaves it out");
  }

  void rows(std::size_t duplicates) {
    if (duplicates > 0)
      say("duplicate-rows", counted(duplicates, "row") + (duplicates == 1 ? " equals" : " equal") +
                                " an earlier one in every column; they are kept");
  }

 private:
  void say(std::string code, std::string sentence) {
    profile_.remarks.push_back({std::move(code), std::move(sentence)});
  }

  // Numbers or dates that are written in another form than is read unasked: the line to paste where there is one
  // reading, else both.
  bool other_forms(const Column& c, const std::string& name, const std::string& heading, const Distinct& distinct) {
    std::vector<CountedText> texts;
    for (std::size_t i = 0; i < distinct.first_rows.size(); ++i)
      texts.push_back({c.dictionary().text(c.code(distinct.first_rows[i])), distinct.counts[i]});
    const std::vector<WrittenForm> forms = written_forms(texts, run_);
    if (forms.empty()) return false;
    const bool numbers = forms.front().specimen.is_number();
    if (forms.size() == 1) {
      const std::size_t values = c.rows() - c.nulls();
      say(numbers ? "numbers-as-text" : "dates-as-text",
          name + " is text: its values are " + (numbers ? "numbers" : "dates") +
              " in another form; under [data], columns." + toml_key(heading) + "." +
              written_key(forms.front().examples) + " reads " +
              (forms.front().fits == values ? "all of them"
                                            : with_commas(forms.front().fits) + " of " + with_commas(values)));
      return true;
    }

    // What each of two readings makes of two values.
    std::vector<std::string_view> differing;
    for (const CountedText& one : texts) {
      const auto left = forms[0].specimen.read(one.text), right = forms[1].specimen.read(one.text);
      if (left && right && !(*left == *right)) differing.push_back(one.text);
      if (differing.size() == 2) break;
    }
    const auto makes = [&](const WrittenForm& form) {
      std::string out = written_key(form.examples) + " makes ";
      for (std::size_t i = 0; i < differing.size(); ++i)
        out += (i > 0 ? " and " : "") + quoted(std::string(differing[i])) + " " +
               to_text(*form.specimen.read(differing[i]));
      return out;
    };
    say("two-readings", name + " is text: its values can be read in two ways, and do not say which is right. Under " +
                            "[data.columns." + toml_key(heading) + "], " + makes(forms[0]) + "; " + makes(forms[1]));
    return true;
  }

  // 950 and 1.234: what reads as decimals may be thousands.
  void three_decimals(const Column& c, const std::string& name, const std::string& heading, const Census& census,
                      const Distinct& distinct) {
    if (census.scale != 3 || census.least_scale != 3 || c.type().scale != 3) return;
    std::string example;
    for (const std::uint32_t row : distinct.first_rows) {
      const int128 value = c.integer(row), positive = value < 0 ? -value : value;
      if (positive >= 1'000'000) return;  // 1234.500 has no thousands
      if (positive % 1000 == 0) continue;
      if (positive < 1000) return;  // nor has 0.500
      if (example.empty() && value > 0) example = to_text(c.value(row));
    }
    if (example.empty()) return;
    std::string thousands = example;
    std::erase(thousands, '.');
    say("two-readings", name + " is read as decimal; but each of its values has exactly three decimals, or none, " +
                            "so that the point may stand between thousands. Under [data.columns." + toml_key(heading) +
                            "], " + written_key({example + " = " + thousands}) + " reads thousands, and " +
                            written_key({example + " = " + example}) + " confirms the decimals");
  }

  void spellings(const Column& c, const std::string& name, const Distinct& distinct) {
    if (distinct.first_rows.size() > 100'000) return;
    std::map<std::string, std::vector<std::uint32_t>> alike;
    for (std::uint32_t id = 0; id < distinct.first_rows.size(); ++id)
      alike[folded_and_trimmed(c.dictionary().text(c.code(distinct.first_rows[id])))].push_back(id);
    std::size_t sets = 0;
    std::string examples;
    for (const auto& [key, ids] : alike) {
      if (ids.size() < 2 || ++sets > 3) continue;
      examples += examples.empty() ? "" : "; ";
      for (std::size_t i = 0; i < ids.size(); ++i)
        examples += (i > 0 ? ", " : "") +
                    quoted(std::string(c.dictionary().text(c.code(distinct.first_rows[ids[i]])))) + " (" +
                    with_commas(distinct.counts[ids[i]]) + ")";
    }
    if (sets > 0)
      say("alike-spellings", name + " has " + (sets == 1 ? "spellings" : with_commas(sets) + " sets of spellings") +
                                 " that differ only in case or blanks: " + examples + (sets > 3 ? "; ..." : ""));
  }

  void null_words(const Column& c, const std::string& name, const Distinct& distinct) {
    std::string found, declaration;
    for (std::uint32_t id = 0; id < distinct.first_rows.size(); ++id) {
      const std::string text(c.dictionary().text(c.code(distinct.first_rows[id])));
      const std::string word = folded(text);
      if (word != "n/a" && word != "-" && word != "null" && word != "na" && word != "none" && word != "?") continue;
      found += (found.empty() ? "" : ", ") + quoted(text) + " (" + with_commas(distinct.counts[id]) + ")";
      declaration += (declaration.empty() ? "\"" : ", \"") + text + "\"";
    }
    if (!found.empty())
      say("null-words",
          name + " holds " + found + " as text; nulls = [" + declaration + "] under [data] makes them null");
  }

  TableProfile& profile_;
  const TableData& data_;
  const Run& run_;
};

std::size_t duplicate_rows(const TableData& data, Progress& progress) {
  std::vector<std::uint32_t> ids(data.rows, 0);
  std::size_t different = data.rows > 0 ? 1 : 0;
  for (const ColumnPtr& column : data.columns) {
    if (!column) continue;
    KeyTable<RowKey> table;
    for (std::size_t row = 0; row < data.rows; ++row) {
      if (row % stretch == 0) progress.add(std::min(stretch, data.rows - row));
      ids[row] = table.find_or_add(key_of(*column, row, ids[row]));
    }
    different = table.size();
    if (different == data.rows) return 0;
  }
  return data.rows - different;
}

}  // namespace

TableProfile profile(const Table& table, const Run& run) {
  const TableData& data = table.data();
  TableProfile out;
  out.table = data.name;
  out.rows = data.rows;
  for (const Remark& remark : data.remarks)
    if (remark.code != "duplicate-rows") out.remarks.push_back(remark);  // counted anew, by values
  Progress progress(run, 2 * data.rows * data.columns.size());  // each value is looked at alone, then with its row
  TableRemarks remarks(out, data, run);
  for (std::size_t i = 0; i < data.columns.size(); ++i) {
    if (!data.columns[i]) continue;
    const Distinct distinct = distinct_values(*data.columns[i], progress);
    out.columns.push_back(column_profile(data.headings[i], *data.columns[i], distinct, run));
    remarks.column(i, distinct);
  }
  out.duplicate_rows = duplicate_rows(data, progress);
  remarks.last_row();
  remarks.rows(out.duplicate_rows);
  progress.finish();
  return out;
}

}  // namespace lofty
