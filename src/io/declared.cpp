// The remark on values that do not fit their column's type.

#include "io/declared.hpp"

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

}  // namespace lofty::engine
