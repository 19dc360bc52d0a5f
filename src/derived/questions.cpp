#include "derived/questions.hpp"

namespace lofty::engine {

Questions::Questions(const Request& request, const Catalog& catalog)
    : ladder_(request.ladder), own_(request.ladder, catalog, request.further) {
  if (own_.questions().empty()) throw Error(own_.problems());
  if (request.crossed && !ladder_.crossed.empty()) {
    crossing_.emplace(ladder_, catalog, own_);
    further_problems_ = crossing_->problems();
  }
  if (request.compared && !ladder_.compare.empty() && ladder_.compare.with.empty()) {
    try {
      former_.emplace(ladder_, catalog, own_);
    } catch (const Error& error) {
      if (further_problems_.empty()) further_problems_ = error.problems();
    }
  }
}

std::vector<const Resolution*> Questions::all() const {
  std::vector<const Resolution*> out{&own_};
  if (!further_problems_.empty()) return out;
  if (former_) out.push_back(&former_->resolution());
  if (crossing_)
    for (const Crossing::Further& one : crossing_->questions()) out.push_back(&one.resolution);
  return out;
}

Plan Questions::plan(const Sizes& sizes, const Means& means) const {
  std::vector<Asked> asked;
  for (const Resolution* const one : all()) asked.push_back({one->ladder(), one->questions()});
  return make_plan(asked, sizes, means);
}

}  // namespace lofty::engine
