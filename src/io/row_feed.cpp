#include "io/row_feed.hpp"
#include "io/declared.hpp"
#include "io/field_batch.hpp"
#include "io/headings.hpp"

#include <algorithm>
#include <optional>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/folded.hpp"
#include "base/kept_parts.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

class FedTable final : public TableSource {
 public:
  FedTable(std::string name, std::string form, std::vector<std::string> headings, std::shared_ptr<const RowFeed> feed,
           ReadOptions options)
      : name_(std::move(name)),
        form_(std::move(form)),
        headings_(std::move(headings)),
        feed_(std::move(feed)),
        options_(std::move(options)) {
    check_headings();
  }

  const std::string& name() const override { return name_; }
  const std::vector<std::string>& headings() const override { return headings_; }
  std::string form() const override { return form_; }

  Table read(std::span<const std::size_t> columns, const Run& run) const override {
    const MemoryLimit limit(run);
    auto data = std::make_shared<TableData>();
    data->name = name_;
    data->headings = headings_;
    data->columns.resize(headings_.size());
    data->census.resize(headings_.size());

    // All rows, with guesses of the types.
    std::vector<Declared> declared;
    for (const std::size_t column : columns) declared.push_back(engine::declared(options_, headings_[column]));
    std::vector<Part> parts(feed_->pieces());
    for (Part& part : parts)
      for (const Declared& one : declared) part.readers.emplace_back(one.type, one.written);
    const KeptColumns kept = kept_columns(columns.size(), parts.size());
    parallel_for(parts.size(), run, [&](std::size_t p) {
      fill(p, columns, parts[p], run);
      for (std::size_t i = 0; i < kept.size(); ++i) parts[p].readers[i].keep_in(*kept[i]);
    });
    for (Part& part : parts) {
      part.first_row = data->rows;
      data->rows += part.rows;
    }
    if (data->rows > most_rows)
      throw problem(Code::too_many_rows, "it has more than 4,294,967,294 rows, which is as many as can be numbered");
    std::vector<Type> types;
    for (std::size_t i = 0; i < columns.size(); ++i) {
      Census& census = data->census[columns[i]];
      for (const Part& part : parts) census.merge(part.readers[i].census());
      types.push_back(column_type(declared[i].type, census));
    }

    // Once more where a guess was wrong.
    parallel_for(parts.size(), run, [&](std::size_t p) { fill_again(p, columns, types, parts[p], kept, run); });

    // Column by column.
    data->numbered = feed_->numbered();
    data->number_in_file = feed_->numbers();
    for (std::size_t i = 0; i < columns.size(); ++i) {
      report_misfits(i, columns[i], types[i], declared[i], parts, *data);
      std::vector<Piece> pieces;
      for (Part& part : parts) {
        pieces.push_back(part.readers[i].take(types[i]));
        if (types[i].kind == Kind::decimal) types[i].scale = std::max(types[i].scale, pieces.back().type.scale);
      }
      data->columns[columns[i]] = Column::seal(types[i], std::move(pieces), run);
    }
    for (Remark& remark : feed_->remarks()) data->remarks.push_back(std::move(remark));
    return Access::made<Table>(std::move(data));
  }

 private:
  Error problem(Code code, std::string sentence, std::string advice = {}) const {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.location.file = name_;
    return Error(std::move(p));
  }

  void check_headings() {
    if (options_.skip > 0 || options_.skip_last > 0)
      throw problem(Code::bad_value, "it has no lines that can be left out", "`skip` is for delimited text and sheets");
    if (!options_.encoding.empty())
      throw problem(Code::bad_value, "its encoding is settled", "`encoding` is for delimited text");

    // Its own headings, or those that the ladder gives it.
    if (!options_.header.empty()) {
      if (options_.header.size() != headings_.size())
        throw problem(Code::bad_heading, "data.header names " + std::to_string(options_.header.size()) +
                                             " columns, the table has " + std::to_string(headings_.size()));
      headings_ = options_.header;
    }
    check_column_count(name_, headings_.size());
    for (std::size_t i = 0; i < headings_.size(); ++i)
      if (headings_[i].find_first_not_of(" \t") == std::string::npos)
        throw problem(Code::bad_heading, "column " + std::to_string(i + 1) + " has no heading",
                      "data.header names all columns");
    if (const auto doubled = doubled_heading(headings_))
      throw problem(Code::bad_heading,
                    "columns " + std::to_string(doubled->first + 1) + " and " + std::to_string(doubled->second + 1) +
                        " are both called `" + headings_[doubled->first] + "`",
                    "data.header gives them names of their own");
    for (const auto& option : options_.columns) {
      if (std::find(headings_.begin(), headings_.end(), option.column) != headings_.end()) continue;
      Problem p{Code::unknown_column, "no column `" + option.column + "` in " + name_, {}, {}, {}};
      p.location.key = "data.columns." + option.column;
      p.nearest = nearest_word(option.column, headings_);
      throw Error(std::move(p));
    }
  }

  // A piece of the rows.
  struct Part {
    std::vector<PieceReader> readers;  // by wanted column
    std::size_t rows = 0, first_row = 0;
  };

  void fill(std::size_t piece, std::span<const std::size_t> columns, Part& part, const Run& run) const {
    std::vector<PieceReader*> readers;
    for (PieceReader& reader : part.readers) readers.push_back(&reader);
    FieldBatch batch(readers, options_.nulls);
    part.rows = 0;
    feed_->each(piece, columns, run, [&](std::span<const FedField> fields) {
      if (part.rows++ % 4096 == 0) check_stop(run);
      for (const FedField& field : fields) field.null ? batch.add_null() : batch.add(field.text);
      if (!fields.empty()) batch.end_record();
    });
    batch.flush();
    for (PieceReader& reader : part.readers) reader.pack();
  }

  void fill_again(std::size_t piece, std::span<const std::size_t> columns, const std::vector<Type>& types, Part& part,
                  const KeptColumns& kept, const Run& run) const {
    std::vector<std::size_t> of, which;
    Part forced;
    for (std::size_t i = 0; i < columns.size(); ++i) {
      if (part.readers[i].serves(types[i])) continue;
      of.push_back(columns[i]);
      which.push_back(i);
      forced.readers.emplace_back(types[i]);
    }
    if (of.empty()) return;
    fill(piece, of, forced, run);
    if (forced.rows != part.rows)
      throw problem(Code::changed_file, "it was changed while it was read",
                    "try again when no other program is writing to it, or take a copy");
    for (std::size_t k = 0; k < which.size(); ++k) {
      if (!kept.empty()) forced.readers[k].keep_in(*kept[which[k]]);
      part.readers[which[k]] = std::move(forced.readers[k]);
    }
  }

  void report_misfits(std::size_t i, std::size_t column, const Type& type, const Declared& declared,
                      std::vector<Part>& parts, TableData& data) const {
    Misfits misfits;
    Marks marks;
    std::size_t other_marks = 0;
    for (Part& part : parts) {
      marks.merge(part.readers[i].marks());
      for (const Misfit& one : part.readers[i].misfits()) {
        misfits.add(one.text, [&] { return data.place_of(part.first_row + one.row); });
        other_marks += declared.written && has_other_mark(*declared.written, one.text);
      }
    }
    misfits.report(headings_[column], name_, type, data.remarks);
    if (declared.written) report_marks(headings_[column], name_, *declared.written, marks, other_marks, data.remarks);
  }

  std::string name_, form_;
  std::vector<std::string> headings_;
  std::shared_ptr<const RowFeed> feed_;
  ReadOptions options_;
};

}  // namespace

std::shared_ptr<const TableSource> fed_table(std::string name, std::string form, std::vector<std::string> headings,
                                             std::shared_ptr<const RowFeed> feed, const ReadOptions& options) {
  return std::make_shared<FedTable>(std::move(name), std::move(form), std::move(headings), std::move(feed), options);
}

}  // namespace lofty::engine
