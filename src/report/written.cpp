// Which writer makes a format.
// Covered by tests/io/write_test.cpp.

#include "base/budget.hpp"
#include "base/folded.hpp"
#include "io/write_text.hpp"
#include "io/write_workbook.hpp"
#include "lofty/page.hpp"
#include "lofty/write.hpp"
#include "report/markdown.hpp"

namespace lofty {

Format format_from(std::string_view ending) {
  if (ending == "csv") return Format::csv;
  if (ending == "json") return Format::json;
  if (ending == "md") return Format::markdown;
  if (ending == "xlsx") return Format::workbook;
  if (ending == "html") return Format::page;
  throw Error(Problem{Code::unknown_word,
                      "no format is called `" + std::string(ending) + "`",
                      {},
                      nearest_word(ending, {"csv", "json", "md", "xlsx", "html"}),
                      "csv, json, md, xlsx or html"});
}

std::string written(const Standings& standings, Format format, const WriteOptions& options) {
  std::string out;
  write(
      standings, format, [&](std::string_view part) { out += part; }, options);
  return out;
}

void write(const Standings& standings, Format format, const TextSink& sink, const WriteOptions& options,
           const Run& run) {
  const engine::MemoryLimit limit(run);
  switch (format) {
    case Format::csv: return engine::write_csv(standings, options, sink, run);
    case Format::json: return engine::write_json(standings, sink, run);
    case Format::markdown: return sink(report::markdown(standings, options.whole_ties));
    case Format::workbook: return sink(engine::workbook({standings}));
    case Format::page: return page({PageAnswer(standings)}, sink, {.most_rows = options.page_rows});
  }
}

std::vector<Remark> write_remarks(const Standings& standings, Format format, const WriteOptions& options) {
  if (format == Format::csv && !options.guard_cells) return engine::csv_remarks(standings);
  if (format != Format::page) return {};
  const std::string left_out = rows_left_out(standings, options.page_rows);
  if (left_out.empty()) return {};
  return {{"page-cut", left_out + "; write.page_rows = " + std::to_string(standings.rows()) + " shows all"}};
}

std::string workbook(const std::vector<Standings>& answers) { return engine::workbook(answers); }

}  // namespace lofty
