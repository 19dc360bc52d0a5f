#include "io/field_batch.hpp"

#include <algorithm>
#include <cstring>

namespace lofty::engine {

void add_fields(PieceReader& reader, const FieldRun& fields, const std::vector<std::string>& nulls) {
  if (nulls.empty()) return reader.add_fields(fields);
  for (std::size_t r = 0; r < fields.count; ++r) {
    const std::string_view text = fields[r];
    if (text.empty() || std::find(nulls.begin(), nulls.end(), text) != nulls.end())
      reader.add_null();
    else
      reader.add(text);
  }
}

FieldBatch::FieldBatch(const std::vector<PieceReader*>& readers, const std::vector<std::string>& nulls)
    : readers_(readers), nulls_(nulls), empty_texts_(readers.size(), 0) {
  begins_.reserve(fields_at_once + readers.size() + 1);
  text_.reserve(64 * 1024);
}

void FieldBatch::put(std::string_view text) {
  if (size_++ >= readers_.size()) return;
  if (size_ == 1) begins_.push_back(static_cast<std::uint32_t>(text_.size()));
  const std::size_t before = text_.size(), after = before + text.size() + 1;
  if (text_.capacity() < after + FieldRun::padding) text_.reserve(2 * after + FieldRun::padding);
  text_.resize(after);
  if (!text.empty()) std::memcpy(text_.data() + before, text.data(), text.size());
  begins_.push_back(static_cast<std::uint32_t>(after));
}

void FieldBatch::end_record() {
  while (size_ < readers_.size()) add_null();
  if (any_empty_text_ != 0) {
    // It cannot wait for others, in which empty means null.
    const std::size_t stride = readers_.size() + 1;
    const std::vector<std::uint32_t> own(begins_.end() - static_cast<std::ptrdiff_t>(stride), begins_.end());
    begins_.resize(begins_.size() - stride);
    const TextBuffer text(text_.begin() + own.front(), text_.end());
    flush();
    for (std::size_t f = 0; f < readers_.size(); ++f) {
      if (readers_[f] == nullptr) continue;
      const std::string_view value(text.data() + (own[f] - own.front()), own[f + 1] - own[f] - 1);
      const bool null_word = std::find(nulls_.begin(), nulls_.end(), value) != nulls_.end();
      if ((value.empty() && empty_texts_[f] == 0) || null_word)
        readers_[f]->add_null();
      else
        readers_[f]->add(value);
    }
  }
  begin_record();
  if (begins_.size() >= fields_at_once) flush();
}

void FieldBatch::drop_record() {
  begins_.resize(begins_.size() - (size_ == 0 ? 0 : std::min(size_, readers_.size()) + 1));
  begin_record();
}

void FieldBatch::begin_record() {
  size_ = 0;
  if (any_empty_text_ == 0) return;
  std::fill(empty_texts_.begin(), empty_texts_.end(), 0);
  any_empty_text_ = 0;
}

void FieldBatch::flush() {
  const std::size_t stride = readers_.size() + 1;
  for (std::size_t f = 0; f < readers_.size(); ++f)
    if (readers_[f] != nullptr)
      add_fields(*readers_[f], {text_.data(), begins_.data() + f, stride, begins_.size() / stride}, nulls_);
  begins_.clear();
  text_.clear();
}

}  // namespace lofty::engine
