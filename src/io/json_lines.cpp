// JSON lines: an object on each line, its members the columns.
// Covered by tests/io/sources_test.cpp.

#include <simdjson.h>
#include <tsl/robin_map.h>

#include <filesystem>

#include "io/row_feed.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "table/nearest.hpp"

namespace lofty {
namespace {

class JsonLines final : public engine::RowFeed {
 public:
  explicit JsonLines(const std::filesystem::path& file) : file_(file.string()) {
    if (const auto error = simdjson::padded_string::load(file_).get(text_)) {
      Problem p{Code::cannot_open, std::string("cannot be opened: ") + simdjson::error_message(error), {}, {}, {}};
      p.place.file = file_;
      throw Error(std::move(p));
    }
    const std::string_view all(text_);
    if (!simdjson::validate_utf8(all)) throw problem(Code::bad_encoding, "this is not UTF-8", 0);
    if (all.starts_with("\xEF\xBB\xBF")) begin_ = 3;
    // All members of all lines are columns, in the order in which they come up.
    each_object(
        [&](simdjson::ondemand::object& object, std::size_t) {
          for (auto member : object) {
            const std::string_view key = member.unescaped_key();
            if (numbers_.try_emplace(std::string(key), headings_.size()).second) headings_.emplace_back(key);
          }
        },
        true);
    if (headings_.empty()) throw problem(Code::empty_file, "the file is empty: it has no objects", 0);
  }

  const std::vector<std::string>& headings() const { return headings_; }

  void each(std::span<const std::size_t> columns, const Row& row) const override {
    std::vector<std::size_t> slot(headings_.size(), ~std::size_t{0});
    for (std::size_t i = 0; i < columns.size(); ++i) slot[columns[i]] = i;
    std::vector<engine::FedField> fields(columns.size());
    std::vector<std::string> texts(columns.size());
    each_object([&](simdjson::ondemand::object& object, std::size_t line) {
      std::fill(fields.begin(), fields.end(), engine::FedField{});
      for (auto member : object) {
        const std::string_view key = member.unescaped_key();
        simdjson::ondemand::value value = member.value();
        const std::size_t at = slot[numbers_.find(std::string(key))->second];
        if (at == ~std::size_t{0}) continue;
        if (!fields[at].null)
          throw problem(Code::damaged_file, "`" + std::string(key) + "` stands twice in one object", line);
        fields[at] = field(value, texts[at]);
      }
      row(fields);
    });
  }

  std::string place_of(std::size_t row) const override {
    std::size_t at = 0, found = 0;
    each_object([&](simdjson::ondemand::object&, std::size_t line) {
      if (at++ == row) found = line;
    });
    return "line " + std::to_string(found);
  }

 private:
  Error problem(Code code, std::string sentence, std::size_t line) const {
    Problem p{code, std::move(sentence), {}, {}, {}};
    p.place.file = file_;
    p.place.line = line;
    return Error(std::move(p));
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

  // `whole`: `work` goes through all members, so that what stands behind an object can be seen.
  template <class Work>
  void each_object(const Work& work, bool whole = false) const {
    simdjson::ondemand::parser parser;
    const std::string_view all(text_);
    std::size_t line = 0;
    for (std::size_t at = begin_; at < all.size();) {
      ++line;
      const std::size_t end = std::min(all.find('\n', at), all.size());
      const std::string_view one = all.substr(at, end - at);
      const std::size_t room = all.size() - at + simdjson::SIMDJSON_PADDING;
      at = end + 1;
      if (one.find_first_not_of(" \t\r") == std::string_view::npos) continue;
      try {
        simdjson::ondemand::document document = parser.iterate(one.data(), one.size(), room);
        if (document.type() != simdjson::ondemand::json_type::object)
          throw problem(Code::damaged_file, "this line holds no object, like {\"shop_no\": 17}", line);
        simdjson::ondemand::object object = document.get_object();
        work(object, line);
        const char* behind = nullptr;
        if (whole && document.current_location().get(behind) == simdjson::SUCCESS)
          throw problem(Code::damaged_file, "something stands behind the object", line);
      } catch (const simdjson::simdjson_error& error) {
        throw problem(Code::damaged_file, std::string("this line is not JSON: ") + error.what(), line);
      }
    }
  }

  std::string file_;
  simdjson::padded_string text_;
  std::size_t begin_ = 0;
  std::vector<std::string> headings_;
  tsl::robin_map<std::string, std::size_t> numbers_;
};

}  // namespace

std::shared_ptr<const TableSource> open_json_lines(const std::filesystem::path& file, const ReadOptions& options) {
  auto feed = std::make_unique<JsonLines>(file);
  std::vector<std::string> headings = feed->headings();
  return engine::fed_table(file.filename().string(), "an object a line", std::move(headings), std::move(feed), options);
}

}  // namespace lofty
