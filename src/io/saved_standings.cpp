// Standings kept whole, and read again.
// Covered by tests/derived/compare_test.cpp.

#include <simdjson.h>

#include <algorithm>
#include <charconv>

#include "answer/places.hpp"
#include "answer/standings_data.hpp"
#include "base/access.hpp"
#include "base/budget.hpp"
#include "io/checksum.hpp"
#include "io/json_text.hpp"
#include "io/open_file.hpp"
#include "io/write_blocks.hpp"
#include "io/write_marks.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "lofty/write.hpp"
#include "table/infer.hpp"
#include "table/table_data.hpp"

namespace lofty {
namespace {

using engine::json_text;
namespace dom = simdjson::dom;
constexpr std::int64_t form = 2;  // of the file: 1 had no checksum

constexpr Kind kinds[] = {Kind::integer, Kind::decimal,   Kind::floating, Kind::boolean,
                          Kind::date,    Kind::timestamp, Kind::text};

void put_row(const engine::CellBlock& cells, std::size_t row, std::string& text) {
  for (std::size_t c = 0; c < cells.columns(); ++c) {
    if (c > 0) text += ", ";
    if (cells.is_null(c, row)) {
      text += "null";
      continue;
    }
    const std::size_t from = text.size();
    cells.put(c, row, text);
    engine::quote_json(text, from);
  }
  text += ']';
}

// Values are texts, whatever they are, so that no reader takes an exact number for a double. A row a line.
void write_table(const Table& table, const TextSink& sink, const Run& run) {
  std::string out = "{\"columns\": [";
  for (std::size_t c = 0; c < table.headings().size(); ++c) {
    const Type& type = table.type(c);
    out += (c > 0 ? ", " : "") + ("{\"name\": " + json_text(table.headings()[c])) + ", \"type\": \"" +
           to_string(type.kind) + "\"" +
           (type.kind == Kind::decimal ? ", \"scale\": " + std::to_string(type.scale) : "") +
           (type.zoned ? ", \"zoned\": true" : "") + "}";
  }
  sink(out + "], \"rows\": [");
  const auto put_rows = [](const engine::CellBlock& cells, const engine::RowRange& rows, std::string& text) {
    for (std::size_t r = 0; r < rows.size(); ++r) {
      text += rows.begin + r > 0 ? ",\n  [" : "\n  [";
      put_row(cells, r, text);
    }
  };
  engine::write_blocks(engine::CellBlock(table), table.rows(), sink, run, put_rows);
  sink("]}");
}

// Every entry before keep (single rows have no keys but their groups): its keys, its place, whether it was listed, and
// what it is called.
Table entries_of(const engine::StandingsData& data, const Run& run) {
  engine::TableData out;
  out.name = "entries";
  out.rows = data.entries;

  // The keys, and the place under the tie rule of the ladder.
  for (std::size_t k = 0; k < data.keys.size(); ++k) {
    out.headings.push_back(data.key_names[k]);
    out.columns.push_back(data.whole ? data.whole->within()[k] : data.keys[k]);
  }
  if (data.place) {
    out.headings.push_back(data.place_name);
    out.columns.push_back(data.whole ? engine::place_column(data.whole->order(), data.ties, run) : data.place);
  }

  // Ordinal places do not tell peers, which a cut keeps together.
  const Order* order = data.whole ? &data.whole->order() : data.order ? &*data.order : nullptr;
  if (data.place && data.ties == Ties::ordinal && order != nullptr) {
    out.headings.emplace_back(engine::peers_place);
    out.columns.push_back(engine::place_column(*order, Ties::competition, run));
  }

  // Whether the entry was among the rows of the standings, and its label.
  engine::Piece listed(Type{.kind = Kind::boolean}), label(Type{.kind = Kind::text});
  std::vector<std::uint8_t> is_listed(out.rows, 0);
  for (const std::uint32_t entry : data.rows) is_listed[data.whole ? data.whole->left()[entry] : entry] = 1;
  for (std::size_t e = 0; e < out.rows; ++e) {
    listed.add(Value(is_listed[e] != 0));
    label.add(data.label ? data.label->value(e) : Value{});
  }
  out.headings.insert(out.headings.end(), {"listed", "label"});
  out.columns.push_back(engine::Column::seal(std::move(listed)));
  out.columns.push_back(engine::Column::seal(std::move(label)));
  return engine::Access::made<Table>(std::make_shared<const engine::TableData>(std::move(out)));
}

// What the outermost entries are, and what they are ranked by: other standings are not comparable.
Table asked_of(const engine::StandingsData& data) {
  std::string each;
  for (const std::string& key : data.key_names) each += (each.empty() ? "" : ", ") + key;
  engine::TableData out;
  out.name = "asked";
  out.rows = 1;
  out.headings = {"each", "by"};
  for (const std::string& text : {each, data.by_name + (data.descending ? " desc" : " asc")}) {
    engine::Piece piece(Type{.kind = Kind::text});
    piece.add_text(text);
    out.columns.push_back(engine::Column::seal(std::move(piece)));
  }
  return engine::Access::made<Table>(std::make_shared<const engine::TableData>(std::move(out)));
}

// The last lines of the file: the checksum of all bytes before them.
std::string checksum_lines(const engine::Checksum& sum) { return ",\n \"checksum\": \"" + sum.hex() + "\"\n}\n"; }
std::string checksum_lines(std::string_view before) {
  engine::Checksum sum;
  sum.add(before);
  return checksum_lines(sum);
}

// The text, its parsed form and the columns.
constexpr std::uint64_t memory_per_byte = 5;

class Reader {
 public:
  Reader(const std::filesystem::path& file, std::string part) : file_(file), part_(std::move(part)) {}

  Table read() const {
    const engine::OpenFile in(file_);
    engine::require_memory(in.size() * memory_per_byte, file_.string());
    const std::string text = in.read_all();
    dom::parser parser;
    dom::element json;
    const simdjson::error_code error = parser.parse(text).get(json);
    if (error == simdjson::MEMALLOC) throw std::bad_alloc();
    if (error) fail(Code::damaged_file, std::string("this is not JSON: ") + simdjson::error_message(error));

    // Is it one of ours, whole and of this form?
    std::int64_t found = 0;
    if (json["standings"].get(found))
      fail(Code::damaged_file, "these are not saved standings: `standings` is missing",
           "a file of saved standings, such as best.standings.json");
    if (found == 1)
      fail(Code::not_in_this_version, "these standings were saved by version 0.1, without a checksum",
           "save the standings again");
    if (found != form) fail(Code::not_in_this_version, "these standings were saved by a later version");
    const std::size_t tail = checksum_lines(std::string_view()).size();
    if (text.size() < tail || checksum_lines(std::string_view(text).substr(0, text.size() - tail)) !=
                                  std::string_view(text).substr(text.size() - tail))
      fail(Code::damaged_file, "the saved standings are damaged, or were edited: their checksum is wrong",
           "save the standings again");

    // The part that is wanted.
    try {
      const std::string part = part_.empty() ? "listing" : part_;
      dom::object whole;
      if (json[part].get(whole)) {
        std::string parts = "#entries";
        for (int level = 2; !json["level" + std::to_string(level)].error(); ++level)
          parts += ", #level" + std::to_string(level);
        fail(Code::unknown_table, "these saved standings have no part `" + part_ + "`",
             file_.filename().string() + parts + ", or nothing after the name");
      }
      return table(whole);
    } catch (const simdjson::simdjson_error& damage) {
      fail(Code::damaged_file, std::string("the saved standings are damaged: ") + damage.what());
    }
  }

 private:
  [[noreturn]] void fail(Code code, std::string sentence, std::string advice = {}) const {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.location.file = file_.string();
    throw Error(std::move(p));
  }

  // Throws simdjson::simdjson_error where the object is no table.
  Table table(const dom::object& json) const {
    engine::TableData out;
    out.name = file_.filename().string() + (part_.empty() ? "" : "#" + part_);
    const dom::array columns = json["columns"].get_array(), rows = json["rows"].get_array();
    std::vector<Type> types;
    std::vector<engine::Piece> pieces;
    for (const dom::element column : columns) {
      out.headings.emplace_back(column["name"].get_string().value());
      const std::string_view name = column["type"].get_string();
      const auto* const kind =
          std::find_if(std::begin(kinds), std::end(kinds), [&](Kind k) { return name == to_string(k); });
      if (kind == std::end(kinds)) fail(Code::damaged_file, "`" + std::string(name) + "` is not a type");
      Type type{.kind = *kind};
      std::int64_t scale = 0;
      bool zoned = false;
      if (!column["scale"].get(scale)) type.scale = static_cast<int>(scale);
      if (!column["zoned"].get(zoned)) type.zoned = zoned;
      types.push_back(type);
      pieces.emplace_back(type);
    }

    // Row by row.
    for (const dom::array row : rows) {
      ++out.rows;
      std::size_t at = 0;
      for (const dom::element cell : row) {
        if (at == types.size()) fail(Code::damaged_file, "a row has more cells than there are columns");
        if (cell.is_null())
          pieces[at].add_null();
        else
          pieces[at].add(value(std::string(cell.get_string().value()), types[at]));
        ++at;
      }
      if (at != types.size()) fail(Code::damaged_file, "a row has fewer cells than there are columns");
    }
    for (engine::Piece& piece : pieces) out.columns.push_back(engine::Column::seal(std::move(piece)));
    out.census.resize(out.columns.size());
    return engine::Access::made<Table>(std::make_shared<const engine::TableData>(std::move(out)));
  }

  Value value(const std::string& text, const Type& type) const {
    // Exact numbers, and texts as they are.
    if (type.kind == Kind::text) return text;
    if (type.exact()) {
      const auto number = Decimal::parse(text);
      if (number && number->scale() <= type.scale)
        if (const auto scaled = number->rescaled(type.scale)) return *scaled;
    }

    // What else it reads as.
    const engine::Reading reading = engine::read_text(text);
    using engine::Look;
    switch (type.kind) {
      case Kind::date:
        if (const auto date = Date::parse(text)) return *date;
        break;
      case Kind::timestamp:
        if (reading.look == Look::timestamp || reading.look == Look::zoned) return Timestamp{reading.instant};
        break;
      case Kind::boolean:
        if (text == "true" || text == "false") return text == "true";
        break;
      case Kind::floating: {
        double number = 0;
        const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
        if (error == std::errc() && end == text.data() + text.size()) return number;
        break;
      }
      default: break;
    }
    fail(Code::damaged_file, "`" + text + "` is not " + to_string(type.kind));
  }

  std::filesystem::path file_;
  std::string part_;
};

}  // namespace

std::string saved(const Standings& standings) {
  std::string out;
  save(standings, [&](std::string_view part) { out += part; });
  return out;
}

void save(const Standings& standings, const TextSink& sink, const Run& run) {
  const engine::MemoryLimit limit(run);
  // The checksum is that of all bytes on their way.
  engine::Checksum sum;
  const TextSink summed = [&](std::string_view part) {
    sum.add(part);
    sink(part);
  };
  bool first_member = true;
  const auto name_member = [&](const std::string& name) {
    summed((first_member ? "\n " : ",\n ") + json_text(name) + ": ");
    first_member = false;
  };
  const auto member = [&](const std::string& name, const std::string& json) {
    name_member(name);
    summed(json);
  };
  const auto table_member = [&](const std::string& name, const Table& table) {
    name_member(name);
    write_table(table, summed, run);
  };

  // What is said of the answer.
  const engine::StandingsData& data = engine::Access::data(standings);
  const bool nested = !data.levels.empty();
  std::string keys, remarks;
  for (const std::string& key : nested ? data.levels.front()->key_names : data.key_names)
    keys += (keys.empty() ? "" : ", ") + json_text(key);
  for (const Remark& remark : standings.remarks())
    remarks += (remarks.empty() ? "\n  " : ",\n  ") + ("{\"code\": " + json_text(remark.code)) +
               ", \"sentence\": " + json_text(remark.sentence) + "}";
  summed(engine::standings_mark);
  member("title", json_text(standings.title()));
  member("question", json_text(standings.question()));
  member("shown", json_text(standings.shown_of_total()));
  member("keys", "[" + keys + "]");

  // Of nested levels the entries of each, the outermost ones under the name that all standings have.
  const engine::StandingsData& first = nested ? *data.levels.front() : data;
  if (!first.by_name.empty()) table_member("asked", asked_of(first));
  table_member("listing", table_of(standings, "listing"));
  table_member("entries", entries_of(first, run));
  for (std::size_t l = 1; l < data.levels.size(); ++l)
    table_member("level" + std::to_string(l + 1), entries_of(*data.levels[l], run));
  member("remarks", "[" + remarks + "]");
  sink(checksum_lines(sum));
}

std::shared_ptr<const TableSource> open_standings(const std::filesystem::path& file, const std::string& part) {
  Catalog in_memory;
  const Table table = Reader(file, part).read();
  in_memory.add(table);
  return in_memory.open(table.name(), {});
}

}  // namespace lofty
