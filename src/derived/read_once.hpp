#pragma once
// Several questions over the same tables, which are read once for all of them.
// Covered by tests/derived/why_test.cpp and tests/derived/compare_test.cpp.

#include <memory>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// A catalog whose tables stay once they have been read, with all columns that any of the questions was said to want. A
// column that was not announced has its table read again. Not thread-safe.
class ReadOnce : public Catalog {
 public:
  explicit ReadOnce(const Catalog& inner) : inner_(inner) {}
  std::shared_ptr<const TableSource> open(const std::string& name, const ReadOptions& options) const override;

  // What questions will want, whose names were resolved over this catalog.
  static void want(const std::vector<Question>& questions);

 private:
  struct Opened {
    std::string name;
    ReadOptions options;
    std::shared_ptr<const TableSource> source;
  };
  const Catalog& inner_;
  mutable std::vector<Opened> opened_;
};

}  // namespace lofty::engine
