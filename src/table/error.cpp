// Errors, and the names of their codes.

#include "lofty/error.hpp"

#include <algorithm>
#include <cassert>
#include "table/call_check.hpp"

namespace lofty {

bool is_data_fault(Code code) { return code >= Code::empty_file; }

namespace {

std::string summary(const std::vector<Problem>& problems) {
  assert(!problems.empty());
  std::string text;
  for (const Problem& problem : problems) {
    if (!text.empty()) text += '\n';
    if (!problem.location.file.empty()) text += problem.location.file + ": ";
    if (!problem.location.key.empty()) text += problem.location.key + ": ";
    text += problem.sentence;
    if (!problem.nearest.empty()) text += "; nearest: `" + problem.nearest + "`";
  }
  return text;
}

}  // namespace

Error::Error(Problem problem) : Error(std::vector<Problem>{std::move(problem)}) {}
Error::Error(std::vector<Problem> problems) : std::runtime_error(summary(problems)), problems_(std::move(problems)) {}

bool Error::data_fault() const noexcept {
  return std::all_of(problems_.begin(), problems_.end(), [](const Problem& p) { return is_data_fault(p.code); });
}

}  // namespace lofty

namespace lofty::engine {

void refuse_call(const char* precondition) { throw CallError(precondition); }

}  // namespace lofty::engine
