// Standings kept whole, and read again.
// Covered by tests/ladder/compare_test.cpp.

#include <xxhash.h>

#include <algorithm>
#include <charconv>
#include <nlohmann/json.hpp>

#include "io/open_file.hpp"
#include "ladder/standings_data.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "lofty/write.hpp"
#include "table/infer.hpp"
#include "table/table_data.hpp"

namespace lofty {
namespace {

using Json = nlohmann::ordered_json;
constexpr int form = 2;  // of the file: 1 had no checksum

constexpr Kind kinds[] = {Kind::integer, Kind::decimal,   Kind::floating, Kind::boolean,
                          Kind::date,    Kind::timestamp, Kind::text};

// Values are texts, whatever they are, so that no reader takes an exact number for a double.
Json column_of(const std::string& name, const Type& type) {
  Json column{{"name", name}, {"type", kind_name(type.kind)}};
  if (type.kind == Kind::decimal) column["scale"] = type.scale;
  if (type.zoned) column["zoned"] = true;
  return column;
}

Json table_json(const Table& table) {
  Json columns = Json::array(), rows = Json::array();
  for (std::size_t c = 0; c < table.headings().size(); ++c)
    columns.push_back(column_of(table.headings()[c], table.type(c)));
  for (std::size_t r = 0; r < table.rows(); ++r) {
    Json row = Json::array();
    for (std::size_t c = 0; c < table.headings().size(); ++c) {
      const Value value = table.value(r, c);
      row.push_back(is_null(value) ? Json() : Json(to_text(value, table.type(c))));
    }
    rows.push_back(std::move(row));
  }
  return {{"columns", std::move(columns)}, {"rows", std::move(rows)}};
}

// Every entry before keep: its keys, its place, whether it was listed, and what it is called.
Table entries_of(const engine::StandingsData& data) {
  engine::TableData out;
  out.name = "entries";
  out.rows = data.entries;
  for (std::size_t k = 0; k < data.keys.size(); ++k) {
    out.headings.push_back(data.key_names[k]);
    out.columns.push_back(data.keys[k]);
  }
  if (data.place) {
    out.headings.push_back(data.place_name);
    out.columns.push_back(data.place);
  }
  engine::Piece listed(Type{.kind = Kind::boolean}), label(Type{.kind = Kind::text});
  std::vector<std::uint8_t> is_listed(out.rows, 0);
  for (const std::uint32_t entry : data.rows) is_listed[entry] = 1;
  for (std::size_t e = 0; e < out.rows; ++e) {
    listed.add(Value(is_listed[e] != 0));
    label.add(data.label ? data.label->value(e) : Value{});
  }
  out.headings.insert(out.headings.end(), {"listed", "label"});
  out.columns.push_back(engine::Column::seal(std::move(listed)));
  out.columns.push_back(engine::Column::seal(std::move(label)));
  return Table(std::make_shared<const engine::TableData>(std::move(out)));
}

// The last lines of the file: the checksum of all bytes before them.
std::string checksum_lines(std::string_view before) {
  const XXH128_hash_t hash = XXH3_128bits(before.data(), before.size());
  std::string hex;
  for (const std::uint64_t half : {std::uint64_t{hash.high64}, std::uint64_t{hash.low64}})
    for (int shift = 60; shift >= 0; shift -= 4) hex += "0123456789abcdef"[half >> shift & 15];
  return ",\n \"checksum\": \"" + hex + "\"\n}\n";
}

class Reader {
 public:
  Reader(const std::filesystem::path& file, std::string part) : file_(file), part_(std::move(part)) {}

  Table read() const {
    const std::string text = engine::OpenFile(file_).read_all();
    Json json;
    try {
      json = Json::parse(text);
    } catch (const nlohmann::json::exception& error) {
      fail(Code::damaged_file, std::string("this is not JSON: ") + error.what());
    }
    try {
      if (!json.is_object() || !json.contains("standings"))
        fail(Code::damaged_file, "these are no saved standings: `standings` is missing", "--keep-as writes them");
      if (json.at("standings") == 1)
        fail(Code::not_in_this_version, "these standings were saved by version 0.1, without a checksum",
             "save them again with --keep-as");
      if (json.at("standings") != form)
        fail(Code::not_in_this_version, "these standings were saved by a later version");
      const std::size_t tail = checksum_lines({}).size();
      if (text.size() < tail || checksum_lines(std::string_view(text).substr(0, text.size() - tail)) !=
                                    std::string_view(text).substr(text.size() - tail))
        fail(Code::damaged_file, "the saved standings are damaged, or were edited: their checksum is wrong",
             "save them again with --keep-as");
      const std::string part = part_.empty() ? "listing" : part_;
      if (part != "listing" && part != "entries" && (!json.contains(part) || !json.at(part).is_object())) {
        std::string parts = "#entries";
        for (int level = 2; json.contains("level" + std::to_string(level)); ++level)
          parts += ", #level" + std::to_string(level);
        fail(Code::unknown_table, "these saved standings have no part `" + part_ + "`",
             file_.filename().string() + parts + ", or nothing behind the name");
      }
      return table(json.at(part));
    } catch (const nlohmann::json::exception& error) {
      fail(Code::damaged_file, std::string("the saved standings are damaged: ") + error.what());
    }
  }

 private:
  [[noreturn]] void fail(Code code, std::string sentence, std::string advice = {}) const {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.place.file = file_.string();
    throw Error(std::move(p));
  }

  Table table(const Json& json) const {
    engine::TableData out;
    out.name = file_.filename().string() + (part_.empty() ? "" : "#" + part_);
    const Json& rows = json.at("rows");
    out.rows = rows.size();
    std::size_t at = 0;
    for (const Json& column : json.at("columns")) {
      out.headings.push_back(column.at("name"));
      Type type;
      const std::string name = column.at("type");
      const auto* const kind =
          std::find_if(std::begin(kinds), std::end(kinds), [&](Kind k) { return name == kind_name(k); });
      if (kind == std::end(kinds)) fail(Code::damaged_file, "`" + name + "` is no type");
      type.kind = *kind;
      type.scale = column.value("scale", 0);
      type.zoned = column.value("zoned", false);
      engine::Piece piece(type);
      for (const Json& row : rows) {
        const Json& cell = row.at(at);
        if (cell.is_null())
          piece.add_null();
        else
          piece.add(value(cell.get<std::string>(), type));
      }
      out.columns.push_back(engine::Column::seal(std::move(piece)));
      ++at;
    }
    out.census.resize(out.columns.size());
    return Table(std::make_shared<const engine::TableData>(std::move(out)));
  }

  Value value(const std::string& text, const Type& type) const {
    if (type.kind == Kind::text) return text;
    if (type.exact()) {
      const auto number = Decimal::parse(text);
      if (number && number->scale() <= type.scale)
        if (const auto scaled = number->rescaled(type.scale)) return *scaled;
    }
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
    fail(Code::damaged_file, "`" + text + "` is not " + kind_name(type.kind));
  }

  std::filesystem::path file_;
  std::string part_;
};

}  // namespace

std::string saved(const Standings& standings) {
  const engine::StandingsData& data = standings.data();
  Json remarks = Json::array();
  for (const Remark& remark : standings.remarks())
    remarks.push_back({{"code", remark.code}, {"sentence", remark.sentence}});
  // Of nested levels the entries of each, the outermost ones under the name that all standings have.
  const bool nested = !data.levels.empty();
  Json json{{"standings", form},
            {"written_by", "Lofty Ladder"},
            {"title", standings.title()},
            {"question", standings.question()},
            {"shown", standings.shown_of_total()},
            {"keys", nested ? data.levels.front()->key_names : data.key_names},
            {"listing", table_json(table_of(standings, "listing"))},
            {"entries", table_json(entries_of(nested ? *data.levels.front() : data))},
            {"remarks", std::move(remarks)}};
  for (std::size_t l = 1; l < data.levels.size(); ++l)
    json["level" + std::to_string(l + 1)] = table_json(entries_of(*data.levels[l]));
  std::string text = json.dump(1, ' ', false, Json::error_handler_t::replace);
  text.resize(text.size() - 2);  // without the last line, which closes the object
  return text + checksum_lines(text);
}

std::shared_ptr<const TableSource> open_standings(const std::filesystem::path& file, const std::string& part) {
  Catalog in_memory;
  const Table table = Reader(file, part).read();
  in_memory.add(table);
  return in_memory.open(table.name(), {});
}

}  // namespace lofty
