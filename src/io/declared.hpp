#pragma once
// What a ladder declares of a table's columns, and the remark on values that do not fit it.
// Covered by tests/io/sources_test.cpp and tests/io/delimited_test.cpp.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/remark.hpp"
#include "lofty/specimen.hpp"
#include "table/infer.hpp"

namespace lofty::engine {

// What is declared of one column; a type where anything is.
struct Declared {
  std::optional<Type> type;
  std::shared_ptr<const Specimen> written;
};

// Throws Error(syntax, bad_value) for an example that is none.
inline Declared declared(const ReadOptions& options, const std::string& heading) {
  Declared out;
  for (const auto& option : options.columns) {
    if (option.column != heading) continue;
    if (!option.written.empty()) {
      out.written = std::make_shared<const Specimen>(Specimen::parse(option.written, options.locale));
      out.type = Type{.kind = out.written->kind()};
    }
    if (option.type == Kind::interval || option.type == Kind::unknown)
      throw Error(Problem{Code::bad_value,
                          "`" + heading + "` cannot have the type " + to_string(*option.type),
                          {},
                          {},
                          "integer, decimal, float, date, timestamp, boolean or text"});
    if (option.type) out.type = Type{.kind = *option.type};
  }
  return out;
}

// The type that every column was declared with or, from its census, looks like.
inline Type column_type(const std::optional<Type>& declared, const Census& census) {
  Type type = declared.value_or(type_from(census));
  if (type.kind == Kind::decimal) type.scale = census.scale;
  if (type.kind == Kind::timestamp && declared)
    type.zoned = census.of(Look::zoned) > census.of(Look::timestamp) + census.of(Look::date);
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

// Would a text fit the example if it had the mark of it instead of its own? "$ 12.50" next to "12.50 €".
bool has_other_mark(const Specimen& written, std::string_view text);
// Appends "`price`: 1,200 values have the mark €, 34 have none" where both occur.
// `other`: how many have another one, and are misfits.
void report_marks(const std::string& heading, const std::string& table, const Specimen& written, const Marks& marks,
                  std::size_t other, std::vector<Remark>& remarks);

}  // namespace lofty::engine
