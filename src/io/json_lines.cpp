// JSON lines: an object on each line, its members the columns.
// Covered by tests/io/sources_test.cpp.

#include <simdjson.h>

#include <algorithm>
#include <filesystem>
#include <unordered_set>

#include "base/folded.hpp"
#include "base/parallel.hpp"
#include "io/headings.hpp"
#include "io/json_shape.hpp"
#include "io/open_file.hpp"
#include "io/row_feed.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "table/dictionary.hpp"

namespace lofty {
namespace {

class JsonLines final : public engine::RowFeed, public std::enable_shared_from_this<JsonLines> {
 public:
  explicit JsonLines(const std::filesystem::path& file) : file_(file.string()), in_(file) {
    cut();

    // All members of all lines are columns, in the order in which they appear. This pass checks every value, also those
    // that no ladder will mention: the parser itself looks only at what is read.
    std::vector<Members> found(stretches_.size());
    engine::parallel_for(stretches_.size(), Run{}, [&](std::size_t piece) { found[piece] = check(piece); });
    in_.check_unchanged();
    for (std::size_t i = 1; i < stretches_.size(); ++i)
      stretches_[i].lines_before = stretches_[i - 1].lines_before + found[i - 1].lines;
    for (std::size_t i = 0; i < stretches_.size(); ++i) {
      stretches_[i].rows = found[i].objects;
      for (const std::string& name : found[i].names) {
        if (numbers_.add(name) < headings_.size()) continue;
        headings_.push_back(name);
        engine::check_column_count(file_, headings_.size());
      }
    }
    if (headings_.empty()) throw problem(Code::empty_file, "the file is empty: it has no objects", 0);
  }

  const std::vector<std::string>& headings() const { return headings_; }

  std::size_t pieces() const override { return stretches_.size(); }

  void each(std::size_t piece, std::span<const std::size_t> columns, const Run&, const Row& row) const override {
    std::vector<std::size_t> slot(headings_.size(), nowhere);
    for (std::size_t i = 0; i < columns.size(); ++i) slot[columns[i]] = i;
    std::vector<engine::FedField> fields(columns.size());
    std::vector<std::string> texts(columns.size());

    // Lines of a shape: their values, as they are written.
    const engine::JsonShape* shape = nullptr;  // of the line before; a new one is learned from a line without any
    std::vector<std::size_t> slots;            // by member of the shape
    const auto take = [&](const engine::JsonShape* found, const std::vector<engine::JsonValue>& values) {
      if (found != shape) {
        shape = found;
        slots.clear();
        for (const std::string& name : shape->names()) slots.push_back(slot[column_of(name)]);
        std::fill(fields.begin(), fields.end(), engine::FedField{});
      }
      for (std::size_t i = 0; i < values.size(); ++i)
        if (slots[i] != nowhere) fields[slots[i]] = {values[i].text, values[i].kind == engine::JsonValue::Kind::null};
      row(fields);
    };

    // The others by the parser.
    const auto parse = [&](simdjson::ondemand::object& object, const Line&) {
      shape = nullptr;
      std::fill(fields.begin(), fields.end(), engine::FedField{});
      std::size_t next = 0;  // members mostly come in the order of the columns
      for (auto member : object) {
        const std::string_view key = member.unescaped_key();
        simdjson::ondemand::value value = member.value();
        const std::size_t column = next < headings_.size() && headings_[next] == key ? next : column_of(key);
        next = column + 1;
        const std::size_t at = slot[column];
        if (at != nowhere) fields[at] = field(value, texts[at]);
      }
      row(fields);
    };
    try {
      each_object(piece, take, parse);
    } catch (const Error&) {
      in_.check_unchanged();  // what a change broke is not the file's fault
      throw;
    }
    in_.check_unchanged();
  }

  const char* numbered() const override { return "line"; }
  std::function<std::size_t(std::size_t)> numbers() const override {
    return [self = shared_from_this()](std::size_t row) { return self->line_of(row); };
  }

 private:
  static constexpr int most_depth = 64;  // docs/limits.md

  struct Line {
    std::size_t number = 0;  // from 1
    std::string_view text;
  };

  static constexpr std::size_t nowhere = ~std::size_t{0};

  // Whole lines, some hundred thousand bytes of them.
  struct Stretch {
    std::uint64_t begin = 0, end = 0;
    std::size_t lines_before = 0, rows = 0;
  };

  // A stretch's bytes, with what the parser may read after them.
  struct Text {
    engine::TextBuffer bytes;
    std::string_view lines() const { return {bytes.data(), bytes.size() - simdjson::SIMDJSON_PADDING}; }
  };

  // The members of a stretch's objects, in the order in which they appear.
  struct Members {
    // False: the object has one of this name already.
    bool meet(std::string_view key) {
      if (next >= names.size() || names[next] != key) next = numbers.add(key);
      if (next == names.size()) {
        names.emplace_back(key);
        last_object.push_back(0);
      }
      const bool first = last_object[next] != objects;
      last_object[next++] = objects;
      return first;
    }
    std::vector<std::string> names;
    std::vector<std::size_t> last_object;  // by name: the number of the last object that has it, from 1
    engine::Dictionary numbers;
    std::size_t objects = 0, next = 0;  // members mostly come in the same order
    std::size_t lines = 0;
  };

  // Ends each stretch with a line. A stretch is held in memory, so a line has a limit (docs/limits.md).
  void cut() {
    constexpr std::uint64_t most_line_bytes = 256 << 20;
    constexpr std::uint64_t usual = 256 * 1024;
    constexpr std::size_t at_once = 4096;
    char mark[3];
    std::uint64_t begin = 0;
    if (in_.read(0, mark, sizeof mark) == sizeof mark && std::string_view(mark, sizeof mark) == "\xEF\xBB\xBF")
      begin = 3;
    while (begin < in_.size()) {
      std::uint64_t end = begin + usual;
      for (char some[at_once]; end < in_.size();) {
        const std::size_t count = in_.read(end, some, at_once);
        const std::size_t line_end = std::string_view(some, count).find('\n');
        end += std::min(line_end, count);
        if (line_end < count || count == 0) break;
      }
      end = std::min(end + 1, in_.size());
      if (end - begin > most_line_bytes) throw problem(Code::beyond_limit, "a line is longer than 256 MiB", 0);
      stretches_.push_back({begin, end});
      begin = end;
    }
  }

  std::size_t line_of(std::size_t row) const {
    std::size_t piece = 0, at = 0;
    while (piece + 1 < stretches_.size() && at + stretches_[piece].rows <= row) at += stretches_[piece++].rows;
    const Text text = text_of(stretches_[piece]);
    std::size_t number = stretches_[piece].lines_before;
    for (std::string_view left = text.lines(); !left.empty();) {
      const std::string_view line = first_line(left);
      ++number;
      if (holds_something(line) && at++ == row) return number;
      left.remove_prefix(std::min(line.size() + 1, left.size()));
    }
    return 0;  // the file was changed
  }

  Text text_of(const Stretch& stretch) const {
    Text text;
    const auto size = static_cast<std::size_t>(stretch.end - stretch.begin);
    text.bytes.resize(size + simdjson::SIMDJSON_PADDING);
    if (in_.read(stretch.begin, text.bytes.data(), size) != size) throw changed();
    std::fill(text.bytes.end() - simdjson::SIMDJSON_PADDING, text.bytes.end(), '\0');
    return text;
  }

  Error changed() const { return problem(Code::changed_file, "it was changed while it was read", 0); }

  // Of a member that open() met.
  std::size_t column_of(std::string_view member) const {
    const std::size_t column = numbers_.find(member);
    if (column >= headings_.size()) throw changed();
    return column;
  }

  std::size_t lines_before(std::size_t piece) const {
    std::size_t lines = 0;
    for (std::size_t i = 0; i < piece; ++i) {
      const Text text = text_of(stretches_[i]);
      lines += static_cast<std::size_t>(std::count(text.lines().begin(), text.lines().end(), '\n'));
    }
    return lines;
  }

  // The members of a stretch's objects. Throws what is wrong with one.
  Members check(std::size_t piece) const {
    Members members;
    try {
      members.lines = each_object(
          piece, [&](const engine::JsonShape*, const std::vector<engine::JsonValue>&) { ++members.objects; },
          [&](simdjson::ondemand::object& object, const Line& line) {
            ++members.objects;
            check_members(object, line, 1, [&](std::string_view key) { return members.meet(key); });
          },
          true);
    } catch (const Error& error) {
      in_.check_unchanged();
      // How many lines there are before this stretch is known only now.
      std::vector<Problem> problems = error.problems();
      for (Problem& one : problems)
        if (one.location.line > 0) one.location.line += lines_before(piece);
      throw Error(std::move(problems));
    }
    return members;
  }

  Error problem(Code code, std::string sentence, std::size_t line) const {
    Problem p{code, std::move(sentence), {}, {}, {}};
    p.location.file = file_;
    p.location.line = line;
    return Error(std::move(p));
  }

  // The line with the offence marked.
  Error problem_at(Code code, std::string sentence, const Line& line, const char* at, std::size_t length) const {
    constexpr std::size_t around = 2000;  // a line can be the whole file
    const auto offset = static_cast<std::size_t>(at - line.text.data());
    const std::size_t from = offset > around ? offset - around : 0;
    Problem p{code, std::move(sentence), {}, {}, {}};
    p.location.file = file_;
    p.location.line = line.number;
    p.location.column = offset + 1;
    p.location.text = std::string(line.text.substr(from, 2 * around));
    p.location.offset = offset - from;
    p.location.length = length;
    return Error(std::move(p));
  }

  template <class Each>
  void check_members(simdjson::ondemand::object& object, const Line& line, int depth, const Each& is_first) const {
    for (auto member : object) {
      const char* const at = member.key().raw();
      const std::string_view key = member.unescaped_key();
      if (!is_first(key))
        throw problem_at(Code::damaged_file, "`" + std::string(key) + "` appears twice in one object", line, at,
                         key.size());
      simdjson::ondemand::value value = member.value();
      check_value(value, line, depth);
    }
  }

  // Throws Error(damaged_file) for what is no JSON (RFC 8259), Error(beyond_limit) where it is nested too deeply.
  void check_value(simdjson::ondemand::value& value, const Line& line, int depth) const {
    const auto raw = [&]() -> std::string_view { return value.raw_json_token(); };
    if (depth > most_depth)
      throw problem_at(Code::beyond_limit, "values are nested more than 64 deep", line, raw().data(), 1);
    const auto scalar = [&](const char* what, const auto& is_one) {
      std::string_view token = raw();
      while (!token.empty() && std::string_view(" \t\r\n").find(token.back()) != std::string_view::npos)
        token.remove_suffix(1);
      if (!is_one(token))
        throw problem_at(Code::damaged_file, "`" + std::string(token.substr(0, 40)) + "` is not " + what, line,
                         token.data(), token.size());
    };

    // By its type.
    switch (value.type()) {
      case simdjson::ondemand::json_type::object: {
        simdjson::ondemand::object inside = value.get_object();
        std::unordered_set<std::string> keys;
        return check_members(inside, line, depth + 1, [&](std::string_view key) { return keys.emplace(key).second; });
      }
      case simdjson::ondemand::json_type::array:
        for (auto element : value.get_array()) {
          simdjson::ondemand::value one = element.value();
          check_value(one, line, depth + 1);
        }
        return;
      case simdjson::ondemand::json_type::string: std::string_view(value.get_string()); return;
      case simdjson::ondemand::json_type::null: return scalar("a value; null is", [](auto t) { return t == "null"; });
      case simdjson::ondemand::json_type::boolean:
        return scalar("a value; true and false are", [](auto t) { return t == "true" || t == "false"; });
      case simdjson::ondemand::json_type::number:
        return scalar("a number", [](auto t) {
          return engine::json_number_end(t.data(), t.data() + t.size()) == t.data() + t.size();
        });
    }
  }

  // Numbers as they are written, so that every digit counts; lists and objects inside as their JSON.
  static engine::FedField field(simdjson::ondemand::value& value, std::string& text) {
    switch (value.type()) {
      case simdjson::ondemand::json_type::null: return {};
      case simdjson::ondemand::json_type::string: text = std::string_view(value.get_string()); break;
      case simdjson::ondemand::json_type::boolean: text = bool(value.get_bool()) ? "true" : "false"; break;
      case simdjson::ondemand::json_type::array: text = std::string_view(simdjson::to_json_string(value)); break;
      case simdjson::ondemand::json_type::object: text = std::string_view(simdjson::to_json_string(value)); break;
      default: {
        text = value.raw_json_token();
        while (!text.empty() && std::string_view(" \t\r\n,}]").find(text.back()) != std::string_view::npos)
          text.pop_back();
      }
    }
    return {text, false};
  }

  static std::string_view first_line(std::string_view lines) { return lines.substr(0, lines.find('\n')); }
  static bool holds_something(std::string_view line) {
    return line.find_first_not_of(" \t\r") != std::string_view::npos;
  }

  // Lines that are written like one before go to `shaped`, the others that hold something to `parsed`. `first_time`:
  // nothing is checked yet, and `parsed` goes through all members, so that what follows an object can be seen. Returns
  // how many lines there are.
  template <class Shaped, class Parsed>
  std::size_t each_object(std::size_t piece, const Shaped& shaped, const Parsed& parsed,
                          bool first_time = false) const {
    simdjson::ondemand::parser parser;
    engine::JsonShapes shapes;
    const Stretch& stretch = stretches_[piece];
    const Text text = text_of(stretch);
    if (first_time && !simdjson::validate_utf8(text.lines())) throw problem(Code::bad_encoding, "this is not UTF-8", 0);
    const char* const bytes_end = text.bytes.data() + text.bytes.size();

    std::size_t lines = 0;
    for (std::string_view left = text.lines(); !left.empty(); ++lines) {
      // A shape's values have been checked where they were found.
      if (const engine::JsonShape* const shape = shapes.find(left)) {
        shaped(shape, shapes.values());
        left.remove_prefix(std::min(shapes.size() + 1, left.size()));
        continue;
      }

      // By the parser.
      const Line line{stretch.lines_before + lines + 1, first_line(left)};
      left.remove_prefix(std::min(line.text.size() + 1, left.size()));
      if (!holds_something(line.text)) continue;
      try {
        simdjson::ondemand::document document =
            parser.iterate(line.text.data(), line.text.size(), static_cast<std::size_t>(bytes_end - line.text.data()));
        if (document.type() != simdjson::ondemand::json_type::object)
          throw problem(Code::damaged_file, "this line holds no object, like {\"shop_no\": 17}", line.number);
        simdjson::ondemand::object object = document.get_object();
        parsed(object, line);
        const char* after = nullptr;
        if (first_time && document.current_location().get(after) == simdjson::SUCCESS)
          throw problem(Code::damaged_file, "something follows the object", line.number);
      } catch (const simdjson::simdjson_error& error) {
        if (error.error() == simdjson::MEMALLOC) throw std::bad_alloc();
        throw problem(Code::damaged_file, std::string("this line is not JSON: ") + error.what(), line.number);
      }
      shapes.learn(line.text);
    }
    return lines;
  }

  std::string file_;
  engine::OpenFile in_;
  std::vector<Stretch> stretches_;
  std::vector<std::string> headings_;
  engine::Dictionary numbers_;  // of headings_
};

}  // namespace

std::shared_ptr<const TableSource> open_json_lines(const std::filesystem::path& file, const ReadOptions& options) {
  auto feed = std::make_shared<JsonLines>(file);
  std::vector<std::string> headings = feed->headings();
  return engine::fed_table(file.filename().string(), "an object a line", std::move(headings), std::move(feed), options);
}

}  // namespace lofty
