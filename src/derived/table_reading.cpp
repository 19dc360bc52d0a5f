#include "derived/table_reading.hpp"

#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "question/problem_list.hpp"
#include "question/prose.hpp"

namespace lofty::engine {

TableReading::TableReading(std::span<const Resolution* const> questions, const Run& run)
    : questions_(questions), run_(run) {
  const std::size_t count = questions.front()->questions().front().tables.size();
  tables.read.resize(count);
  seconds.resize(count);
  wanted_.resize(count);
  there_.resize(count);
  for (const Resolution* const one : questions)
    for (const Question& level : one->questions())
      for (std::size_t t = 0; t < count; ++t)
        wanted_[t].insert(level.tables[t].wanted.begin(), level.tables[t].wanted.end());
}

void TableReading::read(std::size_t table, const Run& run) {
  Stopwatch watch;
  tell_step(run, [&] { return "reading " + name_and_size(table); });
  try {
    const std::vector<std::size_t> columns(wanted_[table].begin(), wanted_[table].end());
    tables.read[table] = read_from(*use(table).source, columns, run);
    there_[table] = 1;
  } catch (const Error& error) {
    if (error.code() == Code::stopped) throw;
    ProblemList(problems).add(error.problems());
  }
  seconds[table] += watch.lap();
}

void TableReading::read_all() {
  const double each = 1.0 / static_cast<double>(there_.size());
  for (std::size_t t = 0; t < there_.size(); ++t)
    if (there_[t] == 0) read(t, run_within(run_, each * static_cast<double>(t), each * static_cast<double>(t + 1)));
}

void TableReading::read_others() {
  Run quiet = run_;  // the progress is that of the first table
  quiet.progress = {};
  for (std::size_t t = 1; t < there_.size(); ++t)
    if (there_[t] == 0) read(t, quiet);
}

std::string TableReading::name_and_size(std::size_t table) const {
  const double megabytes = use(table).source->size().bytes / 1e6;
  return use(table).source->name() +
         (megabytes >= 1 ? " (" + with_commas(static_cast<std::size_t>(megabytes)) + " MB)" : std::string());
}

Resolution::Typed read_and_type(const Resolution& question, const Run& run) {
  const Resolution* const one = &question;
  TableReading reading({&one, 1}, run);
  reading.read_all();
  if (reading.problems.empty()) return question.with_types(reading.tables);
  Resolution::Typed out{{}, question.problems()};
  ProblemList(out.problems).add(std::move(reading.problems));
  return out;
}

}  // namespace lofty::engine
