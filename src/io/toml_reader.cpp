// Values of parsed TOML, with their places.
// Covered by tests/io/ladder_file_test.cpp.

#include "io/toml_reader.hpp"

#include <algorithm>
#include <cstring>

#include "base/folded.hpp"
#include "base/passwords.hpp"
#include "lofty/ladder_keys.hpp"
#include "lofty/retired_names.hpp"

namespace lofty::engine {
namespace {

// The keys of a section; at the top of the file the sections themselves, too.
TomlReader::Names keys_of(std::string_view section) {
  TomlReader::Names out;
  for (const LadderKey& key : ladder_keys()) {
    if (key.section == section) out.emplace_back(key.key);
    if (!section.empty() || key.section.empty()) continue;
    const std::string_view top = key.section.substr(0, key.section.find_first_of(".["));
    if (std::find(out.begin(), out.end(), top) == out.end()) out.emplace_back(top);
  }
  return out;
}

}  // namespace

TomlReader::TomlReader(std::string_view source, LadderText& out, std::vector<Problem>& problems)
    : source_(source), out_(out), problems_(problems) {
  line_starts_.push_back(0);
  for (std::size_t i = 0; i < source.size(); ++i)
    if (source[i] == '\n') line_starts_.push_back(i + 1);
}

std::size_t TomlReader::offset_of(const toml::source_position& at) const {
  if (at.line == 0 || at.line > line_starts_.size()) return 0;
  // toml++ counts columns in code points.
  std::size_t offset = line_starts_[at.line - 1];
  for (toml::source_index column = 1; column < at.column && offset < source_.size(); ++column) {
    ++offset;
    while (offset < source_.size() && (source_[offset] & 0xc0) == 0x80) ++offset;
  }
  return offset;
}

LadderText::Spot TomlReader::spot_of(const toml::source_region& region) const {
  const std::size_t offset = offset_of(region.begin);
  const std::size_t line = region.begin.line;
  return {line, line == 0 ? 0 : offset - line_starts_[line - 1] + 1, offset};
}

Problem& TomlReader::problem(Code code, std::string sentence, const std::string& key, const toml::source_region& at,
                             std::string nearest, std::string advice) {
  Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  const LadderText::Spot spot = spot_of(at);
  p.location.file = out_.file;
  p.location.key = key;
  p.location.line = spot.line;
  p.location.column = spot.column;
  if (spot.line > 0) {
    const std::size_t begin = line_starts_[spot.line - 1];
    const std::size_t end = std::min(source_.find('\n', begin), source_.size());
    p.location.text = std::string(source_.substr(begin, end - begin));
    p.location.offset = spot.column - 1;
    const std::size_t to = offset_of(at.end);
    p.location.length = at.end.line == at.begin.line && to > spot.offset
                            ? to - spot.offset
                            : p.location.text.size() - std::min(p.location.offset, p.location.text.size());
  }
  return problems_.emplace_back(engine::without_passwords(std::vector<Problem>{std::move(p)}).front());
}

std::string TomlReader::join(const std::string& prefix, std::string_view key) {
  return prefix.empty() ? std::string(key) : prefix + "." + std::string(key);
}

void TomlReader::section(const toml::table& table, const std::string& path, std::string_view section) {
  const Names known = keys_of(section);
  for (const auto& [key, node] : table) {
    const std::string word(key.str());
    if (std::find(known.begin(), known.end(), word) != known.end()) continue;

    // A key of an earlier version, or a misspelt one.
    const std::string whole = join(path, word);
    if (const auto now = current_name(join(std::string(section), word))) {
      const auto shown = [&](std::string_view name) {
        return path.empty() ? "[" + std::string(name) + "]" : "`" + std::string(name) + "`";
      };
      problem(Code::retired_name, shown(word) + " is now " + shown(*now), whole, key.source()).location.length =
          word.size();
      continue;
    }
    problem(Code::unknown_key,
            path.empty() ? "a ladder has no section `" + word + "`" : "`" + path + "` has no key `" + word + "`", whole,
            key.source(), nearest_word(word, known))
        .location.length = word.size();
  }
}

void TomlReader::remember(const std::string& path, const toml::node& node) {
  out_.spots[path] = spot_of(node.source());
}

void TomlReader::wrong_kind(const std::string& path, const toml::node& node, const char* wanted) {
  problem(Code::bad_value, "`" + path + "` has to be " + wanted, path, node.source());
}

const toml::table* TomlReader::sub_table(const toml::table& table, std::string_view key, const std::string& path) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return nullptr;
  remember(path, *node);
  if (!node->is_table()) wrong_kind(path, *node, ("a section, written [" + path + "]").c_str());
  return node->as_table();
}

void TomlReader::text(const toml::table& table, std::string_view key, const std::string& path, std::string& to) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return;
  remember(path, *node);
  if (const auto* value = node->as_string())
    to = value->get();
  else
    wrong_kind(path, *node, "text in quotes");
}

void TomlReader::texts(const toml::table& table, std::string_view key, const std::string& path, Names& to) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return;
  remember(path, *node);
  const toml::array* const array = node->as_array();
  const bool all =
      array != nullptr && std::all_of(array->begin(), array->end(), [](const toml::node& n) { return n.is_string(); });
  if (!all) return wrong_kind(path, *node, "a list of texts, like [\"shop_no\"]");
  for (const toml::node& element : *array) {
    to.push_back(element.as_string()->get());
    out_.spots[path + ":" + to.back()] = spot_of(element.source());
  }
}

void TomlReader::flag(const toml::table& table, std::string_view key, const std::string& path, bool& to) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return;
  if (const auto* value = node->as_boolean())
    to = value->get();
  else
    wrong_kind(path, *node, "true or false");
}

bool TomlReader::word(const toml::table& table, std::string_view key, const std::string& path, const Names& words,
                      std::string& to) {
  const std::size_t before = problems_.size();
  text(table, key, path, to);
  const toml::node* const node = table.get(key);
  if (node == nullptr || problems_.size() > before) return false;
  if (std::find(words.begin(), words.end(), to) != words.end()) return true;
  std::string all;
  for (std::size_t i = 0; i < words.size(); ++i)
    all += (i == 0 ? "" : i + 1 == words.size() ? " or " : ", ") + words[i];
  problem(Code::unknown_word, "`" + path + "` is " + all + ", not `" + to + "`", path, node->source(),
          nearest_word(to, words));
  return false;
}

std::vector<std::pair<std::string, const toml::node*>> TomlReader::in_order(const toml::table& table) {
  struct Item {
    toml::source_position at;
    std::string key;
    const toml::node* node;
  };
  std::vector<Item> items;
  for (const auto& [key, node] : table) items.push_back({key.source().begin, std::string(key.str()), &node});
  std::sort(items.begin(), items.end(), [](const Item& a, const Item& b) { return a.at < b.at; });
  std::vector<std::pair<std::string, const toml::node*>> out;
  for (Item& item : items) out.emplace_back(std::move(item.key), item.node);
  return out;
}

void TomlReader::formulas(const toml::table& table, const std::string& section_name, std::vector<NamedFormula>& to) {
  for (const auto& [name, node] : in_order(table)) {
    const std::string path = join(section_name, name);
    remember(path, *node);
    if (section_name == "totals" && name == "having") {
      problem(Code::unknown_key, "`having` is a condition on entries, and a key of [rank]", path, node->source(), {},
              "having = \"spend > 0\" under [rank]");
      continue;
    }
    if (const auto* value = node->as_string())
      to.push_back({name, value->get()});
    else
      wrong_kind(path, *node, "a formula in quotes");
  }
}

Value TomlReader::value_of(const toml::node& node) const {
  if (const auto* t = node.as_string()) return t->get();
  if (const auto* b = node.as_boolean()) return b->get();
  if (const auto* d = node.as_date()) {
    const auto& date = d->get();
    if (const auto day = Date::from_parts(date.year, date.month, date.day)) return *day;
  }
  if (const auto* t = node.as_date_time()) {
    const auto& moment = t->get();
    char buffer[64];
    std::snprintf(buffer, sizeof buffer, "%04d-%02d-%02d %02d:%02d:%02d", moment.date.year, moment.date.month,
                  moment.date.day, moment.time.hour, moment.time.minute, moment.time.second);
    if (const auto parsed = Timestamp::parse(buffer)) return *parsed;
  }
  if (!node.is_number()) return {};
  const std::size_t begin = offset_of(node.source().begin), end = offset_of(node.source().end);
  std::string written(source_.substr(begin, end > begin ? end - begin : 0));
  while (!written.empty() && std::strchr("0123456789", written.back()) == nullptr) written.pop_back();
  written.erase(std::remove(written.begin(), written.end(), '_'), written.end());
  if (const auto exact = Decimal::parse(written)) return *exact;
  if (const auto* integer = node.as_integer()) return Decimal(integer->get(), 0);
  return node.as_floating_point()->get();
}

void TomlReader::words_of(const toml::table& table, std::string_view key, const std::string& path, std::string& to) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return;
  remember(path, *node);
  const Value value = value_of(*node);
  if (is_null(value))
    wrong_kind(path, *node, "a number, a date, or text in quotes");
  else
    to = to_text(value);
}

std::optional<std::size_t> TomlReader::whole_number(const toml::table& table, std::string_view key,
                                                    const std::string& path) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return std::nullopt;
  remember(path, *node);
  const auto* const number = node->as_integer();
  if (number != nullptr && number->get() >= 1 && number->get() <= 0xffffffff)
    return static_cast<std::size_t>(number->get());
  wrong_kind(path, *node, "a whole number from 1 on");
  return std::nullopt;
}

void TomlReader::values(const toml::table& table, std::string_view key, const std::string& path,
                        std::vector<Value>& to) {
  const toml::node* const node = table.get(key);
  if (node == nullptr) return;
  remember(path, *node);
  const toml::array* const list = node->as_array();
  if (list == nullptr) return wrong_kind(path, *node, "a list of values");
  for (const toml::node& element : *list) to.push_back(value_of(element));
}

}  // namespace lofty::engine
