#pragma once
// Reads values from parsed TOML, and notes where each one is and what is wrong with it.

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "io/toml_parser.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder_file.hpp"

namespace lofty::engine {

// A missing key leaves `to` as it is. A value of another kind than wanted is a problem, which is appended; reading goes
// on, so that all problems of a file come at once. `path` is the key with its sections, as messages name it.
class TomlReader {
 public:
  using Names = std::vector<std::string>;

  TomlReader(std::string_view source, LadderText& out, std::vector<Problem>& problems);
  LadderText& out() { return out_; }
  // The ladder's language, once it is known: months in examples may have its names.
  void set_locale(std::string locale) { locale_ = std::move(locale); }
  const std::string& locale() const { return locale_; }

  // ---- sections
  const toml::table* sub_table(const toml::table& table, std::string_view key, const std::string& path);
  // Reports the keys that ladder_keys() does not have for this section: "periods.*" for the path "periods.recent".
  void section(const toml::table& table, const std::string& path, std::string_view section);
  // The entries of a table in the order of the file.
  static std::vector<std::pair<std::string, const toml::node*>> in_order(const toml::table& table);

  // ---- values
  void text(const toml::table& table, std::string_view key, const std::string& path, std::string& to);
  void texts(const toml::table& table, std::string_view key, const std::string& path, Names& to);
  void flag(const toml::table& table, std::string_view key, const std::string& path, bool& to);
  // One of a few words; true where it is there and is one of them.
  bool word(const toml::table& table, std::string_view key, const std::string& path, const Names& words,
            std::string& to);
  std::optional<std::size_t> whole_number(const toml::table& table, std::string_view key, const std::string& path);
  void values(const toml::table& table, std::string_view key, const std::string& path, std::vector<Value>& to);
  // A number, a date or a text, as text.
  void words_of(const toml::table& table, std::string_view key, const std::string& path, std::string& to);
  void formulas(const toml::table& table, const std::string& section_name, std::vector<NamedFormula>& to);
  // Numbers are taken from the file's text, because toml++ holds doubles. Null where a node is no single value.
  Value value_of(const toml::node& node) const;

  // ---- where things are, and what is wrong with them
  void remember(const std::string& path, const toml::node& node);
  LadderText::Spot spot_of(const toml::source_region& region) const;
  void wrong_kind(const std::string& path, const toml::node& node, const char* wanted);
  // Adds a problem, which marks the text of the region.
  Problem& problem(Code code, std::string sentence, const std::string& key, const toml::source_region& at,
                   std::string nearest = {}, std::string advice = {});

 private:
  std::size_t offset_of(const toml::source_position& at) const;
  static std::string join(const std::string& prefix, std::string_view key);

  std::string_view source_;
  LadderText& out_;
  std::vector<Problem>& problems_;
  std::vector<std::size_t> line_starts_;
  std::string locale_;
};

// The sections of a ladder (ladder_sections.cpp).
void read_sections(TomlReader& in, const toml::table& root);

}  // namespace lofty::engine
