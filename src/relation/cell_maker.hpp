#pragma once
// Values as the cells of a GroupTable.
// Covered by tests/ladder/property_test.cpp.

#include <cmath>
#include <cstring>
#include <string_view>
#include <vector>

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

  // The column has another dictionary from now on.
  void forget_codes() { own_codes_.clear(); }

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
};

}  // namespace lofty::engine
