// The remark on values that do not fit their column's type.

#include "io/declared.hpp"

#include "question/prose.hpp"

namespace lofty::engine {

void Misfits::report(const std::string& heading, const std::string& table, const Type& type,
                     std::vector<Remark>& remarks) const {
  if (count_ == 0) return;
  const bool one = count_ == 1;
  remarks.push_back({"misfits", std::to_string(count_) + (one ? " value of `" : " values of `") + heading + "` in " +
                                    table + (one ? " is" : " are") + " not " +
                                    (type.kind == Kind::integer ? "an " : "a ") + to_string(type.kind) + " and " +
                                    (one ? "counts" : "count") + " as null: " + examples_ +
                                    (count_ > most_examples ? ", ..." : "")});
}

bool has_other_mark(const Specimen& written, std::string_view text) {
  const std::size_t first = text.find_first_of("0123456789"), last = text.find_last_of("0123456789");
  return !written.mark().empty() && first != std::string_view::npos &&
         written.read(text.substr(first, last + 1 - first)).has_value();
}

void report_marks(const std::string& heading, const std::string& table, const Specimen& written, const Marks& marks,
                  std::size_t other, std::vector<Remark>& remarks) {
  if ((marks.with == 0 || marks.without == 0) && other == 0) return;
  std::string sentence = "`" + heading + "` in " + table + " mixes marks: " + with_commas(marks.with) +
                         (marks.with == 1 ? " value has " : " values have ") + written.mark();
  if (marks.without > 0)
    sentence += ", " + with_commas(marks.without) + (marks.without == 1 ? " has none" : " have none");
  if (other > 0)
    sentence +=
        ", " + with_commas(other) + (other == 1 ? " has another and counts" : " have another and count") + " as null";
  remarks.push_back({"mixed-marks", sentence});
}

}  // namespace lofty::engine
