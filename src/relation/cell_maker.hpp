#pragma once
// Values as the cells of a GroupTable.
// Covered by tests/ladder/property_test.cpp.

#include <cmath>
#include <cstring>
#include <limits>
#include <string_view>
#include <vector>

#include "base/mix.hpp"
#include "formula/evaluator.hpp"
#include "relation/group_keys.hpp"
#include "table/dictionary.hpp"

namespace lofty::engine {

// Turns a node's values into cells, batch by batch. Codes of a table's text column are used as they are; texts that
// a formula made, and integers beyond 64 bits, are numbered by a dictionary of this object. Where tables do not last
// (`keeps_texts`), so are the texts of columns.
class CellMaker {
 public:
  enum Tag : std::uint8_t { null, number, column_code, own_code };

  explicit CellMaker(const Node& node, bool keeps_texts = false) : node_(&node), keeps_texts_(keeps_texts) {}

  Cell cell(const Vector& v, std::size_t i) {
    switch (v.lane) {
      case Vector::Lane::int64:
        if (v.ints[i] == int64_null) return {};
        return {static_cast<std::uint64_t>(v.ints[i]), number};
      case Vector::Lane::int128: {
        if (v.wide[i] == int128_min) return {};
        if (fits_int64(v.wide[i]) && v.wide[i] != int64_null)
          return {static_cast<std::uint64_t>(static_cast<std::int64_t>(v.wide[i])), number};
        return own(std::string_view(reinterpret_cast<const char*>(&v.wide[i]), sizeof(int128)));
      }
      case Vector::Lane::float64: {
        if (std::isnan(v.doubles[i])) return {};
        std::uint64_t bits;
        std::memcpy(&bits, &v.doubles[i], sizeof bits);
        return {bits, number};
      }
      case Vector::Lane::code:
        if (v.codes[i] == Dictionary::none) return {};
        if (node_->op != Op::name) return own(v.dictionary->text(v.codes[i]));
        if (keeps_texts_) return own_of_code(*v.dictionary, v.codes[i]);
        dictionary_ = v.dictionary;
        return {v.codes[i], column_code};
      case Vector::Lane::text:
        if (v.texts[i].data() == nullptr) return {};
        return own(v.texts[i]);
    }
    return {};
  }

  // A cell of another maker of the same node, as this one numbers it.
  Cell translate(const Cell& cell, const CellMaker& from) {
    if (cell.tag == column_code) dictionary_ = from.dictionary_;
    return cell.tag == own_code ? own(from.own_.text(static_cast<std::uint32_t>(cell.code))) : cell;
  }

  // A hash that equal values have in common, whichever maker of the same node their cells are of.
  std::uint64_t hash(const Cell& cell) {
    if (cell.tag != own_code) return mix(cell.code * 4 + cell.tag);
    while (own_tags_.size() < own_.size())
      own_tags_.push_back(Dictionary::tag_of(own_.text(static_cast<std::uint32_t>(own_tags_.size()))));
    return mix(own_tags_[cell.code]);
  }

  // The column has another dictionary from now on.
  void forget_codes() { own_codes_.clear(); }

  // The values of cells, one for each, as a node's values for a batch. cell(i) gives the i-th; `from` made them.
  template <class CellAt>
  static void load(const CellMaker& from, std::size_t count, const CellAt& cell, Vector& out);

  void put(const Cell& cell, Piece& piece) const {
    switch (cell.tag) {
      case null: return piece.add_null();
      case column_code: return piece.add_text(dictionary_->text(static_cast<std::uint32_t>(cell.code)));
      case own_code: {
        const std::string_view bytes = own_.text(static_cast<std::uint32_t>(cell.code));
        if (node_->type.kind == Kind::text) return piece.add_text(bytes);
        int128 value;
        std::memcpy(&value, bytes.data(), sizeof value);
        return piece.add_wide(value);
      }
      default: break;
    }
    if (node_->type.kind == Kind::floating) {
      double value;
      std::memcpy(&value, &cell.code, sizeof value);
      return piece.add_double(value);
    }
    piece.add_integer(static_cast<std::int64_t>(cell.code));
  }

 private:
  Cell own(std::string_view bytes) { return {own_.add(bytes), own_code}; }
  // Each text of the column's dictionary is looked up once.
  Cell own_of_code(const Dictionary& dictionary, std::uint32_t code) {
    if (own_codes_.empty()) own_codes_.assign(dictionary.size(), Dictionary::none);
    if (own_codes_[code] == Dictionary::none) own_codes_[code] = own_.add(dictionary.text(code));
    return {own_codes_[code], own_code};
  }
  const Node* node_;
  bool keeps_texts_;
  const Dictionary* dictionary_ = nullptr;
  Dictionary own_;
  std::vector<std::uint32_t> own_codes_;  // by code of the column's dictionary, where texts are kept
  std::vector<std::uint32_t> own_tags_;   // by own code: hashes, as far as they were wanted
};

template <class CellAt>
void CellMaker::load(const CellMaker& from, std::size_t count, const CellAt& cell, Vector& out) {
  out.type = from.node_->type;
  if (out.type.kind == Kind::floating) {
    out.lane = Vector::Lane::float64;
    out.doubles.resize(count);
    for (std::size_t i = 0; i < count; ++i) {
      const Cell one = cell(i);
      if (one.tag == null)
        out.doubles[i] = std::numeric_limits<double>::quiet_NaN();
      else
        std::memcpy(&out.doubles[i], &one.code, sizeof one.code);
    }
    return;
  }

  // Texts: codes of the column's dictionary, or this maker's own.
  if (out.type.kind == Kind::text) {
    bool codes = false;
    for (std::size_t i = 0; i < count && !codes; ++i) codes = cell(i).tag == column_code;
    if (codes) {
      out.lane = Vector::Lane::code;
      out.dictionary = from.dictionary_;
      out.codes.resize(count);
      for (std::size_t i = 0; i < count; ++i)
        out.codes[i] = cell(i).tag == null ? Dictionary::none : static_cast<std::uint32_t>(cell(i).code);
      return;
    }
    out.set_text(count);
    for (std::size_t i = 0; i < count; ++i)
      if (cell(i).tag == own_code) out.texts[i] = from.own_.text(static_cast<std::uint32_t>(cell(i).code));
    return;
  }

  // Whole numbers, of 64 bits if all are.
  bool wide = false;
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i) {
    const Cell one = cell(i);
    out.ints[i] = one.tag == null ? int64_null : static_cast<std::int64_t>(one.code);
    wide = wide || one.tag == own_code;
  }
  if (!wide) return;
  out.lane = Vector::Lane::int128;
  out.wide.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    const Cell one = cell(i);
    if (one.tag == own_code)
      std::memcpy(&out.wide[i], from.own_.text(static_cast<std::uint32_t>(one.code)).data(), sizeof(int128));
    else
      out.wide[i] = one.tag == null ? int128_min : int128{out.ints[i]};
  }
}

}  // namespace lofty::engine
