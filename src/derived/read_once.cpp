#include "derived/read_once.hpp"

#include <algorithm>
#include <optional>
#include <set>

#include "table/checked_source.hpp"
#include "table/table_stretches.hpp"

namespace lofty::engine {
namespace {

class KeptTable : public TableSource, public StretchSource {
 public:
  KeptTable(std::shared_ptr<const TableSource> inner, bool in_stretches)
      : inner_(std::move(inner)), in_stretches_(in_stretches) {}
  const std::string& name() const override { return inner_->name(); }
  const std::vector<std::string>& headings() const override { return inner_->headings(); }
  std::string form() const override { return inner_->form(); }
  TableSize size() const override { return inner_->size(); }
  Table read(std::span<const std::size_t> columns, const Run& run) const override {
    const bool there = table_ && std::all_of(columns.begin(), columns.end(),
                                             [&](std::size_t column) { return table_->holds(column); });
    if (there) return *table_;
    wanted_.insert(columns.begin(), columns.end());
    const std::vector<std::size_t> all(wanted_.begin(), wanted_.end());
    table_ = read_from(*inner_, all, run);
    return *table_;
  }
  std::uint64_t stretch_bytes() const override {
    const auto* const source = dynamic_cast<const StretchSource*>(inner_.get());
    return in_stretches_ && source != nullptr ? source->stretch_bytes() : 0;
  }
  std::unique_ptr<TableStretches> stretches(std::span<const std::size_t> columns, const Run& run) const override {
    if (stretch_bytes() == 0) return nullptr;
    std::set<std::size_t> wanted = wanted_;
    wanted.insert(columns.begin(), columns.end());
    return dynamic_cast<const StretchSource&>(*inner_).stretches(std::vector<std::size_t>(wanted.begin(), wanted.end()),
                                                                 run);
  }
  void want(const std::set<std::size_t>& columns) const { wanted_.insert(columns.begin(), columns.end()); }

 private:
  std::shared_ptr<const TableSource> inner_;
  bool in_stretches_;
  mutable std::set<std::size_t> wanted_;
  mutable std::optional<Table> table_;
};

}  // namespace

std::shared_ptr<const TableSource> ReadOnce::open(const std::string& name, const ReadOptions& options) const {
  // Two uses of one table may be read in different ways.
  for (const auto& one : opened_)
    if (one.name == name && one.options == options) return one.source;
  auto source = std::make_shared<KeptTable>(opened(inner_, name, options), in_stretches_);
  opened_.push_back({name, options, source});
  return source;
}

void ReadOnce::want(const std::vector<Question>& questions) {
  for (const Question& question : questions)
    for (const TableUse& use : question.tables)
      if (const auto* kept = dynamic_cast<const KeptTable*>(use.source.get())) kept->want(use.wanted);
}

}  // namespace lofty::engine
