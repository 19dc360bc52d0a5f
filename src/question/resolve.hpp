#pragma once
// From a Ladder to the questions of its levels.
// Covered by tests/ladder/check_test.cpp.

#include <memory>
#include <utility>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "question/question.hpp"
#include "table/table_stretches.hpp"

namespace lofty::engine {

// A ladder as it is resolved: names first, by the tables' headings; then types, once the tables are read. What several
// questions want to read can be collected in between. The ladder and the catalog have to outlive it.
class Resolution {
 public:
  // Opens the tables and resolves the names.
  Resolution(const Ladder& ladder, const Catalog& catalog, FurtherConditions further = {});
  Resolution(Resolution&&) noexcept;
  ~Resolution();

  // Reads the columns that are mentioned, and resolves everything again, with their types. Once.
  void read(const Run& run);

  // In place of read(), where the first table can be read a stretch of rows at a time: reads the other tables and its
  // first stretch, and resolves everything again, with their types. Null where that cannot be, or something is wrong:
  // read() may follow then. The run has to outlive it. `and_what` is done with the rows, as progress says.
  std::unique_ptr<TableStretches> begin_stretches(const char* and_what, const Run& run);
  // In its place for a further question: takes the tables that another question over the same ones has read so far.
  // False where something is wrong.
  bool take_tables(const Resolution& other);
  // Replaces what the first table holds, which took so long to read.
  void set_first_table(const Table& table, double seconds);
  // After begin_stretches(): as if no table had been read.
  void forget_tables();

  // All that is wrong, as far as it is known yet.
  const std::vector<Problem>& problems() const { return problems_; }
  // By level, outermost first, one at least; none where a table cannot be opened. They refer to the ladder.
  const std::vector<Question>& questions() const { return questions_; }
  std::vector<Question> take_questions() { return std::move(questions_); }

 private:
  void bind_levels();

  const Ladder& ladder_;
  const Catalog& catalog_;
  FurtherConditions further_;
  struct Tables;
  std::unique_ptr<Tables> tables_;
  std::vector<Problem> problems_;
  std::vector<Question> questions_;
};

// The same at once: with `read` the tables are read, too. Problems are appended.
std::vector<Question> resolve_levels(const Ladder& ladder, const Catalog& catalog, bool read, const Run& run,
                                     std::vector<Problem>& problems, const FurtherConditions& further = {});
// Of a ladder of one level.
Question resolve(const Ladder& ladder, const Catalog& catalog, bool read, const Run& run,
                 std::vector<Problem>& problems, const FurtherConditions& further = {});

}  // namespace lofty::engine
