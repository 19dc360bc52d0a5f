#pragma once
// What a ladder declares of a table's columns, and the remark on values that do not fit it.
// Covered by tests/io/sources_test.cpp and tests/io/delimited_test.cpp.

#include <optional>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/remark.hpp"
#include "table/infer.hpp"

namespace lofty::engine {

inline std::optional<Type> declared_type(const ReadOptions& options, const std::string& heading) {
  for (const auto& option : options.columns) {
    if (option.column != heading) continue;
    for (const Kind kind :
         {Kind::integer, Kind::decimal, Kind::floating, Kind::date, Kind::timestamp, Kind::boolean, Kind::text})
      if (option.type == to_string(kind)) return Type{.kind = kind};
  }
  return std::nullopt;
}

inline NumberForm declared_form(const ReadOptions& options, const std::string& heading) {
  for (const auto& option : options.columns)
    if (option.column == heading) return {option.thousands, option.point};
  return {};
}

// The type that every column was declared with or, from its census, looks like.
inline Type column_type(const std::optional<Type>& declared, const Census& census) {
  Type type = declared.value_or(type_from(census));
  if (type.kind == Kind::decimal) type.scale = census.scale;
  return type;
}

// The values of one column that are not of its type.
class Misfits {
 public:
  // `place` makes "line 17", which is wanted for the first examples only.
  template <class Place>
  void add(const std::string& text, const Place& place) {
    constexpr std::size_t most_length = 40;
    if (++count_ <= most_examples)
      examples_ += (count_ > 1 ? ", " : "") + place() + " `" + text.substr(0, most_length) + "`";
  }
  // Appends "2 values of `quantity` in lines.csv are not an integer and count as null: ..." where there are some.
  void report(const std::string& heading, const std::string& table, const Type& type,
              std::vector<Remark>& remarks) const;

 private:
  static constexpr std::size_t most_examples = 3;
  std::size_t count_ = 0;
  std::string examples_;
};

}  // namespace lofty::engine
