// Covered by tests/derived/profile_test.cpp.
#include "lofty/profile.hpp"

#include <algorithm>
#include <map>
#include <optional>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/folded.hpp"
#include "base/parallel.hpp"
#include "derived/distinct_values.hpp"
#include "derived/written_forms.hpp"
#include "question/prose.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

constexpr std::size_t stretch = 65536;  // rows between looks at whether to stop

// The rows that hold the least and the greatest value, of those where values first appear.
std::pair<std::uint32_t, std::uint32_t> extremes(const Column& column, const DistinctValues& distinct, const Run& run) {
  std::uint32_t least = distinct.first_row(0), greatest = least;
  const auto search = [&](const auto& value_at) {
    auto low = value_at(least), high = low;
    for (std::size_t i = 0; i < distinct.size(); ++i) {
      if (i % stretch == 0) check_stop(run);
      const std::uint32_t row = distinct.first_row(i);
      const auto value = value_at(row);
      if (value < low) low = value, least = row;
      if (high < value) high = value, greatest = row;
    }
  };
  switch (column.lane()) {
    case Lane::int64: search([&](std::uint32_t row) { return column.int64(row); }); break;
    case Lane::int128: search([&](std::uint32_t row) { return column.integer(row); }); break;
    case Lane::float64: search([&](std::uint32_t row) { return column.float64(row); }); break;
    case Lane::code: search([&](std::uint32_t row) { return column.dictionary().text(column.code(row)); });
  }
  return {least, greatest};
}

// Up to three values: the commonest, those that come first among equals.
std::vector<Value> samples(const Column& column, const DistinctValues& distinct) {
  struct Sample {
    std::uint32_t count, row;
  };
  std::vector<Sample> best;
  for (std::size_t i = 0; i < distinct.size(); ++i) {
    const Sample one{distinct.count(i), distinct.first_row(i)};
    if (best.size() == 3 && best.back().count >= one.count) continue;
    if (best.size() == 3) best.pop_back();
    best.insert(std::find_if(best.begin(), best.end(), [&](const Sample& other) { return other.count < one.count; }),
                one);
  }
  std::vector<Value> out;
  for (const Sample& one : best) out.push_back(column.value(one.row));
  return out;
}

ColumnProfile column_profile(const std::string& heading, const Column& column, const DistinctValues& distinct,
                             const Run& run) {
  ColumnProfile p;
  p.heading = heading;
  p.type = column.type();
  p.blanks = column.nulls();
  p.distinct = distinct.size();
  if (p.distinct > 0) {
    const auto [least, greatest] = extremes(column, distinct, run);
    p.least = column.value(least);
    p.greatest = column.value(greatest);
  }
  p.key = column.rows() > 0 && p.blanks == 0 && p.distinct == column.rows();
  p.samples = samples(column, distinct);
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
  TableRemarks(const TableData& data, const Run& run) : data_(data), run_(run) {}
  std::vector<Remark> take() { return std::move(remarks_); }

  void column(std::size_t index, const DistinctValues& distinct) {
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
    for (std::size_t i = 0; i < distinct.size(); ++i)
      dates += looks_like_other_date(c.dictionary().text(c.code(distinct.first_row(i))));

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
      const auto [sum, values] = sum_of(*column, last);
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
  // Of the first so many rows, and how many values there are.
  std::pair<int128, std::size_t> sum_of(const Column& column, std::size_t rows) const {
    int128 sum = 0;
    std::size_t values = 0;
    std::vector<std::int64_t> block(4096);
    for (std::size_t begin = 0; begin < rows; begin += block.size()) {
      if (begin % stretch == 0) check_stop(run_);
      const std::size_t count = std::min(block.size(), rows - begin);
      column.decode_int64(begin, count, block.data());
      for (std::size_t i = 0; i < count; ++i) {
        const bool null = block[i] == int64_null;
        sum += null ? 0 : block[i];
        values += !null;
      }
    }
    return {sum, values};
  }

  void say(std::string code, std::string sentence) { remarks_.push_back({std::move(code), std::move(sentence)}); }

  // Numbers or dates that are written in another form than is read unasked: the line to paste where there is one
  // reading, else both.
  bool other_forms(const Column& c, const std::string& name, const std::string& heading,
                   const DistinctValues& distinct) {
    std::vector<CountedText> texts;
    for (std::size_t i = 0; i < distinct.size(); ++i)
      texts.push_back({c.dictionary().text(c.code(distinct.first_row(i))), distinct.count(i)});
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
                      const DistinctValues& distinct) {
    if (census.scale != 3 || census.least_scale != 3 || c.type().scale != 3) return;
    std::string example;
    for (std::size_t i = 0; i < distinct.size(); ++i) {
      const std::uint32_t row = distinct.first_row(i);
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

  void spellings(const Column& c, const std::string& name, const DistinctValues& distinct) {
    if (distinct.size() > 100'000) return;
    std::map<std::string, std::vector<std::uint32_t>> alike;
    for (std::uint32_t id = 0; id < distinct.size(); ++id)
      alike[folded_and_trimmed(c.dictionary().text(c.code(distinct.first_row(id))))].push_back(id);
    std::size_t sets = 0;
    std::string examples;
    for (const auto& [key, ids] : alike) {
      if (ids.size() < 2 || ++sets > 3) continue;
      examples += examples.empty() ? "" : "; ";
      for (std::size_t i = 0; i < ids.size(); ++i)
        examples += (i > 0 ? ", " : "") + quoted(std::string(c.dictionary().text(c.code(distinct.first_row(ids[i]))))) +
                    " (" + with_commas(distinct.count(ids[i])) + ")";
    }
    if (sets > 0)
      say("alike-spellings", name + " has " + (sets == 1 ? "spellings" : with_commas(sets) + " sets of spellings") +
                                 " that differ only in case or blanks: " + examples + (sets > 3 ? "; ..." : ""));
  }

  void null_words(const Column& c, const std::string& name, const DistinctValues& distinct) {
    std::string found, declaration;
    for (std::uint32_t id = 0; id < distinct.size(); ++id) {
      const std::string text(c.dictionary().text(c.code(distinct.first_row(id))));
      const std::string word = folded(text);
      if (word != "n/a" && word != "-" && word != "null" && word != "na" && word != "none" && word != "?") continue;
      found += (found.empty() ? "" : ", ") + quoted(text) + " (" + with_commas(distinct.count(id)) + ")";
      declaration += (declaration.empty() ? "\"" : ", \"") + text + "\"";
    }
    if (!found.empty())
      say("null-words",
          name + " holds " + found + " as text; nulls = [" + declaration + "] under [data] makes them null");
  }

  std::vector<Remark> remarks_;
  const TableData& data_;
  const Run& run_;
};

}  // namespace

TableProfile profile(const Table& table, const Run& run) {
  const MemoryLimit limit(run);
  const TableData& data = engine::Access::data(table);
  TableProfile out;
  out.table = data.name;
  out.rows = data.rows;
  for (const Remark& remark : data.remarks)
    if (remark.code != "duplicate-rows") out.remarks.push_back(remark);  // counted anew, by values
  const auto present = static_cast<std::size_t>(
      std::count_if(data.columns.begin(), data.columns.end(), [](const ColumnPtr& c) { return c != nullptr; }));
  Progress progress(run, data.rows * (present + 1));  // each column, then the rows

  // Column by column, on several threads.
  struct Part {
    std::optional<ColumnProfile> column;
    std::vector<Remark> remarks;
  };
  std::vector<Part> parts(data.columns.size());
  parallel_for(data.rows < rows_worth_threads ? RowRanges::one(parts.size()) : RowRanges::costly(parts.size(), 1), run,
               [&](const RowRange& columns) {
                 for (std::size_t i = columns.begin; i < columns.end; ++i) {
                   if (!data.columns[i]) continue;
                   const DistinctValues distinct(*data.columns[i], progress);
                   parts[i].column = column_profile(data.headings[i], *data.columns[i], distinct, run);
                   TableRemarks remarks(data, run);
                   remarks.column(i, distinct);
                   parts[i].remarks = remarks.take();
                 }
               });
  bool key = false;
  for (Part& part : parts) {
    if (!part.column) continue;
    key = key || part.column->key;
    out.columns.push_back(std::move(*part.column));
    out.remarks.insert(out.remarks.end(), part.remarks.begin(), part.remarks.end());
  }

  // Its rows: where one column has no value twice, none equals another.
  out.duplicate_rows = key ? 0 : count_duplicate_rows(data.columns, data.rows, progress);
  TableRemarks remarks(data, run);
  remarks.last_row();
  remarks.rows(out.duplicate_rows);
  for (Remark& remark : remarks.take()) out.remarks.push_back(std::move(remark));
  progress.finish();
  return out;
}

}  // namespace lofty
