#include "derived/read_once.hpp"

#include <algorithm>
#include <optional>
#include <set>

#include "table/checked_source.hpp"

namespace lofty::engine {
namespace {

class KeptTable : public TableSource {
 public:
  explicit KeptTable(std::shared_ptr<const TableSource> inner) : inner_(std::move(inner)) {}
  const std::string& name() const override { return inner_->name(); }
  const std::vector<std::string>& headings() const override { return inner_->headings(); }
  std::string form() const override { return inner_->form(); }
  TableSize size() const override {
    TableSize size = inner_->size();
    size.stretch_bytes = 0;  // it stays
    return size;
  }
  Table read(std::span<const std::size_t> columns, const Run& run) const override {
    const bool there = table_ && std::all_of(columns.begin(), columns.end(),
                                             [&](std::size_t column) { return table_->holds(column); });
    if (there) return *table_;
    wanted_.insert(columns.begin(), columns.end());
    const std::vector<std::size_t> all(wanted_.begin(), wanted_.end());
    table_ = read_from(*inner_, all, run);
    return *table_;
  }
  void want(const std::set<std::size_t>& columns) const { wanted_.insert(columns.begin(), columns.end()); }

 private:
  std::shared_ptr<const TableSource> inner_;
  mutable std::set<std::size_t> wanted_;
  mutable std::optional<Table> table_;
};

}  // namespace

std::shared_ptr<const TableSource> ReadOnce::open(const std::string& name, const ReadOptions& options) const {
  // Two uses of one table may be read in different ways.
  for (const auto& one : opened_)
    if (one.name == name && one.options == options) return one.source;
  auto source = std::make_shared<KeptTable>(opened(inner_, name, options));
  opened_.push_back({name, options, source});
  return source;
}

void ReadOnce::want(const std::vector<Question>& questions) {
  for (const Question& question : questions)
    for (const TableUse& use : question.tables)
      if (const auto* kept = dynamic_cast<const KeptTable*>(use.source.get())) kept->want(use.wanted);
}

}  // namespace lofty::engine
