#include "relation/sort_codes.hpp"

namespace lofty::engine {

std::size_t ordering_of(const Question& question, const std::string& column) {
  for (std::size_t i = 0; i < question.orderings.size(); ++i)
    if (!column.empty() && question.orderings[i] == column) return i;
  return no_ordering;
}

bool encode_sort_key(const Ladder& ladder, const Question& question, const Column& column, const std::string& name,
                     bool descending, Nulls nulls, bool as_number, const Run& run, KeyList& out, CustomReport* report) {
  ColumnKey key{&column, descending, {.nulls = nulls, .locale = ladder.data.locale}};
  const std::size_t index = ordering_of(question, name);
  if (index == no_ordering || (as_number && column.type().numeric())) {
    encode(key, run, out);
    return false;
  }
  const Ordering& ordering = ladder.orderings[index];
  key.options.text = ordering.text;
  const CustomOrder listed{ordering.first, ordering.last, ordering.sequence};
  if (listed.first.empty() && listed.last.empty() && listed.sequence.empty()) {
    encode(key, run, out);
    return false;
  }
  key.descending = false;
  CustomKey custom{{}, [&column](std::size_t row) { return column.value(row); }, &listed, descending, nulls};
  encode(key, run, custom.usual);
  CustomReport unread;
  encode_custom(std::move(custom), column.rows(), run, out, report != nullptr ? report : &unread);
  return true;
}

}  // namespace lofty::engine
