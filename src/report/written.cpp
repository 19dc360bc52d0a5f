// Which writer makes a format.
// Covered by tests/io/write_test.cpp.

#include "io/write_text.hpp"
#include "io/write_workbook.hpp"
#include "lofty/page.hpp"
#include "lofty/write.hpp"
#include "report/markdown.hpp"
#include "table/folded.hpp"

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
  switch (format) {
    case Format::csv: return engine::csv_text(standings, options);
    case Format::json: return engine::json_answer(standings);
    case Format::markdown: return report::markdown(standings, options.whole_ties);
    case Format::workbook: return engine::workbook({standings});
    case Format::page: return page({PageAnswer(standings)});
  }
  return {};
}

std::string workbook(const std::vector<Standings>& answers) { return engine::workbook(answers); }

}  // namespace lofty
