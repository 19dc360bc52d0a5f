#pragma once
// Records whose fields come one by one, converted many at a time.
// Covered by tests/io/delimited_test.cpp and tests/io/sources_test.cpp.

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "io/open_file.hpp"
#include "table/infer.hpp"

namespace lofty::engine {

inline constexpr std::size_t fields_at_once = 4096;  // whose places stay in the first-level cache

// Adds a column's fields to its reader. Empty ones are null, and those that are among `nulls`.
void add_fields(PieceReader& reader, const FieldRun& fields, const std::vector<std::string>& nulls);

// Writes fields one behind the other, and hands some hundred records at a time to the readers, column by column. Not
// thread-safe.
class FieldBatch {
 public:
  // By field: its reader, null where nobody wants it. `nulls`: texts that mean null. Both are referred to.
  FieldBatch(const std::vector<PieceReader*>& readers, const std::vector<std::string>& nulls);

  // The next field of the record; what is beyond the last reader is counted only. An empty text is none that is null.
  void add(std::string_view text) {
    if (text.empty() && size_ < readers_.size()) empty_texts_[size_] = any_empty_text_ = 1;
    put(text);
  }
  void add_null() { put({}); }
  std::size_t fields() const { return size_; }  // of the record so far

  void end_record();   // fields that are missing are null
  void drop_record();  // it is none
  void flush();        // hands over what is left

 private:
  void put(std::string_view text);
  void begin_record();

  const std::vector<PieceReader*>& readers_;
  const std::vector<std::string>& nulls_;
  TextBuffer text_;                    // each field, and a byte behind it
  std::vector<std::uint32_t> begins_;  // of fields; one more than there are readers for each record
  std::size_t size_ = 0;
  unsigned char any_empty_text_ = 0;
  std::vector<unsigned char> empty_texts_;  // by field
};

}  // namespace lofty::engine
