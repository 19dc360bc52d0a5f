#include "relation/dealt_totals.hpp"

#include <algorithm>
#include <bit>
#include <exception>
#include <optional>

#include "base/budget.hpp"
#include "base/mix.hpp"
#include "base/parallel.hpp"
#include "relation/ordered_totals.hpp"

namespace lofty::engine {

std::size_t dealt_cells(const PartialTotals& part) {
  return part.keys.size() + part.carried.size() +
         static_cast<std::size_t>(std::count_if(part.states.begin(), part.states.end(),
                                                [](const AggregateStates& one) { return is_dealt(one.aggregate()); }));
}

// The entries of one partition, from what parts had totalled before they dealt out rows, and from these.
class DealtTotals::Partition {
 public:
  Partition(const Question& question, bool outlasts_rows) : all_(question, outlasts_rows) {}

  void add_groups(const PartialTotals& from, const std::vector<std::uint32_t>& groups) {
    for (const std::uint32_t g : groups) {
      const std::uint32_t id = all_.meet_group(from, g);
      for (std::size_t c = 0; c < all_.carried.size(); ++c) {
        all_.carried[c].grow(all_.groups());
        all_.carried[c].merge_group(from.carried[c], g, id);
      }
      for (std::size_t a = 0; a < all_.states.size(); ++a) {
        all_.states[a].grow(all_.groups());
        all_.states[a].merge_group(from.states[a], g, id);
      }
    }
    for (AggregateStates& states : all_.states) states.settle();
  }

  void add_rows(const PartialTotals& from, std::size_t partition) {
    from.dealt->each_batch(partition, batch_rows, [&](const DealtRows::Records& records) { add(from, records); });
  }

  PartialTotals& all() { return all_; }

 private:
  void add(const PartialTotals& from, const DealtRows::Records& records) {
    std::size_t cell = number(from, records);
    for (std::size_t c = 0; c < all_.carried.size(); ++c, ++cell) {
      Carried& values = all_.carried[c];
      values.grow(all_.groups());
      for (std::size_t i = 0; i < records.count; ++i)
        values.add(ids_[i], records.cell(i, cell), from.carried[c].cells(), records.row(i));
    }

    rows_.resize(records.count);
    for (std::size_t i = 0; i < records.count; ++i) rows_[i] = static_cast<std::uint32_t>(i);
    for (std::size_t a = 0; a < all_.states.size(); ++a) {
      const Aggregate& aggregate = all_.states[a].aggregate();
      const bool dealt = is_dealt(aggregate);
      if (dealt) load(from.states[a], records, cell++);
      all_.states[a].add(rows_, ids_, 0, aggregate.argument ? &values_ : nullptr, aggregate.filter ? &filter_ : nullptr,
                         all_.groups());
    }
  }

  // The entries that the rows are of; how many cells tell that.
  std::size_t number(const PartialTotals& from, const DealtRows::Records& records) {
    ids_.assign(records.count, 0);
    keys_.resize(records.count);
    for (std::size_t k = 0; k < all_.keys.size(); ++k) {
      for (std::size_t i = 0; i < records.count; ++i)
        keys_[i] = {all_.keys[k].translate(records.cell(i, k), from.keys[k]), ids_[i]};
      all_.tables[k].number_all(keys_.data(), keys_.size(), keys_.data(), [](std::size_t) {});
      const NumbersOver numbers(keys_.data());
      for (std::size_t i = 0; i < records.count; ++i) ids_[i] = numbers.get(i);
    }
    for (std::size_t i = 0; i < records.count; ++i) all_.meet(ids_[i], records.row(i), 1);
    return all_.keys.size();
  }

  // An aggregate's values and which rows its filter lets through.
  void load(const AggregateStates& from, const DealtRows::Records& records, std::size_t cell) {
    if (from.aggregate().filter) {
      filter_.set_int64(records.count);
      for (std::size_t i = 0; i < records.count; ++i) filter_.ints[i] = records.cell(i, cell).tag != filtered_out;
    }
    if (!from.aggregate().argument) return;
    if (from.aggregate().kind == AggregateKind::count) {  // of which only nulls were dealt
      values_.set_int64(records.count);
      for (std::size_t i = 0; i < records.count; ++i)
        values_.ints[i] = records.cell(i, cell).tag == CellMaker::null ? int64_null : 0;
      return;
    }
    // What is filtered out looks like some value, which nothing takes.
    const auto cell_at = [&](std::size_t i) { return records.cell(i, cell); };
    CellMaker::load(from.cells(), records.count, cell_at, values_);
  }

  PartialTotals all_;
  std::vector<std::uint32_t> ids_, rows_;
  std::vector<GroupKey> keys_;
  Vector values_, filter_;
};

namespace {

// The groups that a part had before it dealt out rows, by partition.
std::vector<std::vector<std::uint32_t>> groups_by_partition(PartialTotals& part) {
  std::vector<std::vector<std::uint32_t>> out(DealtRows::partitions);
  std::vector<std::uint64_t> hashes(part.groups(), 0);
  for (std::size_t k = 0; k < part.keys.size(); ++k)
    for (std::uint32_t g = 0; g < part.groups(); ++g)
      hashes[g] = mix_two(hashes[g], part.keys[k].hash(part.cell(k, g)));
  for (std::uint32_t g = 0; g < part.groups(); ++g) out[DealtRows::partition_of(hashes[g])].push_back(g);
  return out;
}

}  // namespace

// What is left of a partition, and waits for the others.
struct DealtTotals::Made {
  struct Blank {
    std::size_t rows = 0, entries = 0;
    KeptArray<std::uint32_t> by_entry;
  };
  struct Mean {
    KeptArray<int128> sums;
    KeptArray<std::int64_t> counts;
  };
  KeptArray<std::uint32_t> first_rows, row_counts;
  std::vector<Piece> columns;  // by Question::entry_columns
  std::vector<Blank> blanks;   // by Question::aggregates
  std::vector<Mean> means;     // of exact averages, by column
};

// A column that has several values in one entry: the one to be told of is of the first column, and of its first row.
struct DealtTotals::Conflict {
  std::size_t column = 0;
  std::uint32_t row = 0;
  std::exception_ptr error;
};

// Puts the entries of all partitions in the order of their first rows, of which each is another row.
class DealtTotals::InOrderOfFirstRows {
 public:
  explicit InOrderOfFirstRows(const std::vector<Made>& all) {
    // One bit for each row that is the first of an entry: how many there are before it is its entry's place.
    std::uint32_t last = 0;
    for (const Made& one : all)
      for (const std::uint32_t row : one.first_rows.values()) last = std::max(last, row);
    std::vector<std::uint64_t> bits(last / 64 + 1, 0);
    for (const Made& one : all)
      for (const std::uint32_t row : one.first_rows.values()) bits[row / 64] |= std::uint64_t{1} << row % 64;
    std::vector<std::uint32_t> before(bits.size());
    std::uint32_t count = 0;
    for (std::size_t w = 0; w < bits.size(); ++w) {
      before[w] = count;
      count += static_cast<std::uint32_t>(std::popcount(bits[w]));
    }

    from_.resize(count);
    std::uint32_t at = 0;
    for (const Made& one : all)
      for (const std::uint32_t row : one.first_rows.values()) {
        const std::uint64_t lower = bits[row / 64] & ((std::uint64_t{1} << row % 64) - 1);
        from_[before[row / 64] + static_cast<std::uint32_t>(std::popcount(lower))] = at++;
      }
  }

  // By place: where the entry is, counted through all partitions.
  const std::vector<std::uint32_t>& from() const { return from_; }
  // Numbers that the partitions have, put in order.
  template <class T, class Of>
  std::vector<T> ordered(std::vector<Made>& all, const Of& of) const {
    std::vector<T> as_they_are;
    as_they_are.reserve(from_.size());
    for (Made& one : all) {
      KeptArray<T>& some = of(one);
      as_they_are.insert(as_they_are.end(), some.values().begin(), some.values().end());
      if (some.values().empty()) as_they_are.resize(as_they_are.size() + one.first_rows.values().size());
      some = {};
    }
    std::vector<T> out(from_.size());
    for (std::size_t place = 0; place < out.size(); ++place) out[place] = as_they_are[from_[place]];
    return out;
  }

 private:
  std::vector<std::uint32_t> from_;
};

DealtTotals::DealtTotals(const Question& question, bool outlast_rows, const Run& run)
    : question_(question),
      outlast_rows_(outlast_rows),
      run_(run),
      partitions_(DealtRows::partitions),
      kept_columns_(question.entry_columns.size()) {}
DealtTotals::~DealtTotals() = default;

void DealtTotals::take_rows(const std::vector<std::unique_ptr<PartialTotals>>& parts) {
  if (!pays(parts)) return;
  parallel_for(DealtRows::partitions, run_, [&](std::size_t p) { take_rows(parts, p); });
}

// What the rows of one partition turn into says it for all.
bool DealtTotals::pays(const std::vector<std::unique_ptr<PartialTotals>>& parts) {
  std::size_t bytes = 0;
  for (const auto& part : parts)
    if (part->dealt) bytes += part->dealt->records(0) * part->dealt->bytes_of_record();
  const std::size_t least = least_taken_bytes / DealtRows::partitions;
  if (bytes < std::max(least, next_look_)) return false;
  for (const auto& part : parts)
    if (part->dealt) part->dealt->settle();
  take_rows(parts, 0);
  waiting_ += bytes;

  // Totals are looked up everywhere, so that they have to be in memory. Their arrays grow by half and more.
  const std::size_t own = partitions_[0]->all().groups() * (100 + 40 * question_.aggregates.size());
  const auto limit = static_cast<double>(Budget::shared().use().limit);
  const bool fit = static_cast<double>(own) * DealtRows::partitions < limit / 4;
  const bool pay = fit && 2 * own <= waiting_;
  next_look_ = pay ? own : waiting_;
  if (pay) waiting_ = 0;
  return pay;
}

void DealtTotals::take_rows(const std::vector<std::unique_ptr<PartialTotals>>& parts, std::size_t partition) {
  auto& totals = partitions_[partition];
  if (!totals) totals = std::make_unique<Partition>(question_, outlast_rows_);
  for (const auto& part : parts) {
    if (!part->dealt) continue;
    totals->add_rows(*part, partition);
    part->dealt->forget(partition);
  }
}

// The entries of a partition.
std::optional<DealtTotals::Conflict> DealtTotals::make(const std::vector<std::unique_ptr<PartialTotals>>& parts,
                                                       const PartitionCalls& calls, std::size_t p) {
  Made& made = made_[p];
  made.blanks.resize(question_.aggregates.size());
  made.means.resize(means_.size());
  for (const EntryColumn& column : question_.entry_columns) made.columns.emplace_back(column.type);

  // What parts had totalled comes before the rows that they dealt out.
  std::unique_ptr<Partition> totals = std::move(partitions_[p]);
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const bool dealt = parts[i]->dealt && parts[i]->dealt->records(p) > 0;
    if (!dealt && groups_[i][p].empty()) continue;
    if (!totals) totals = std::make_unique<Partition>(question_, outlast_rows_);
    totals->add_groups(*parts[i], groups_[i][p]);
    if (!dealt) continue;
    totals->add_rows(*parts[i], p);
    parts[i]->dealt->forget(p);
  }
  if (!totals) return std::nullopt;

  PartialTotals& all = totals->all();
  std::optional<Conflict> conflict;
  const auto take = [&](std::size_t c, Piece piece) {
    piece.pack();
    piece.keep_in(kept_columns_[c]);
    made.columns[c] = std::move(piece);
  };
  try {
    make_columns(
        all, question_, [&](const EntryColumn& column) { return calls.of_first_rows(column, all); },
        [&](const EntryColumn& column, const Carried& values, std::size_t entry) {
          conflict = {static_cast<std::size_t>(&column - question_.entry_columns.data()), values.second(entry), {}};
          calls.several(column, values, all, entry);
        },
        take,
        [&](std::size_t c, AggregateStates& states) {
          const std::size_t aggregate = question_.entry_columns[c].index;
          Entries::Blank blank;
          take(c, states.values(all.groups(), blank));
          made.blanks[aggregate] = {blank.rows, blank.entries, {blank.by_entry, kept_others_}};

          const auto found = std::find(means_.begin(), means_.end(), static_cast<int>(c));
          if (found == means_.end()) return;
          const Entries::Mean mean = states.mean(*found, all.groups());
          made.means[static_cast<std::size_t>(found - means_.begin())] = {{mean.sums, kept_others_},
                                                                          {mean.counts, kept_others_}};
        });
  } catch (...) {
    if (!conflict) throw;
    conflict->error = std::current_exception();
    return conflict;
  }
  made.first_rows = {all.first_rows, kept_others_};
  made.row_counts = {all.row_counts, kept_others_};
  return conflict;
}

void DealtTotals::make_entries(std::vector<std::unique_ptr<PartialTotals>>& parts, const PartitionCalls& calls,
                               Entries& entries) {
  for (std::size_t c = 0; c < question_.entry_columns.size(); ++c)
    if (question_.entry_columns[c].from == EntryColumn::From::aggregate &&
        parts.front()->states[question_.entry_columns[c].index].exact_mean())
      means_.push_back(static_cast<int>(c));
  for (auto& part : parts) {
    if (part->dealt) part->dealt->finish();
    groups_.push_back(groups_by_partition(*part));
    for (AggregateStates& states : part->states) states.tell_distinct_by_group();
  }
  made_.resize(DealtRows::partitions);
  std::vector<std::optional<Conflict>> conflicts(DealtRows::partitions);
  parallel_for(DealtRows::partitions, run_, [&](std::size_t p) { conflicts[p] = make(parts, calls, p); });
  parts.clear();

  const Conflict* first = nullptr;
  for (const auto& one : conflicts)
    if (one && (first == nullptr || std::pair(one->column, one->row) < std::pair(first->column, first->row)))
      first = &*one;
  if (first != nullptr) std::rethrow_exception(first->error);
  put_together(entries);
}

void DealtTotals::put_together(Entries& entries) {
  const InOrderOfFirstRows order(made_);
  entries.count = order.from().size();
  entries.columns.resize(question_.entry_columns.size());
  for (std::size_t c = 0; c < entries.columns.size(); ++c) {
    const EntryColumn::From from = question_.entry_columns[c].from;
    if (from != EntryColumn::From::key && from != EntryColumn::From::carried && from != EntryColumn::From::aggregate)
      continue;
    std::vector<Piece> pieces;
    for (Made& one : made_) pieces.push_back(std::move(one.columns[c]));
    const ColumnPtr as_it_is = Column::seal(question_.entry_columns[c].type, std::move(pieces), run_);
    entries.columns[c] = Column::picked(*as_it_is, order.from(), run_);
  }

  entries.blanks.resize(question_.aggregates.size());
  for (std::size_t a = 0; a < entries.blanks.size(); ++a) {
    Entries::Blank& blank = entries.blanks[a];
    for (const Made& one : made_) {
      blank.rows += one.blanks[a].rows;
      blank.entries += one.blanks[a].entries;
    }
    if (blank.rows > 0)
      blank.by_entry = order.ordered<std::uint32_t>(
          made_, [a](Made & one) -> auto& { return one.blanks[a].by_entry; });
  }
  for (std::size_t m = 0; m < means_.size(); ++m)
    entries.means.push_back({means_[m],
                             order.ordered<int128>(
                                 made_, [m](Made & one) -> auto& { return one.means[m].sums; }),
                             order.ordered<std::int64_t>(
                                 made_, [m](Made & one) -> auto& { return one.means[m].counts; })});
  entries.row_counts = order.ordered<std::uint32_t>(
      made_, [](Made & one) -> auto& { return one.row_counts; });
  entries.first_rows = order.ordered<std::uint32_t>(
      made_, [](Made & one) -> auto& { return one.first_rows; });
}

}  // namespace lofty::engine
