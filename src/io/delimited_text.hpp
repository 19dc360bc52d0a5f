#pragma once
// Delimited text, in memory: where records end, what its lines and characters are, and libcsv set up for it.

#include <csv.h>

#include <cstddef>
#include <string_view>

namespace lofty::engine {

inline bool is_line_end(char c) { return c == '\n' || c == '\r'; }

// After the last line feed of a text that ends a record: one before which the number of quotes is even. 0: there is
// none.
std::size_t last_record_end(std::string_view text);

// Where record `index` of a text begins, by the rules that libcsv follows; with `every_line` an empty line is a record.
std::size_t record_begin(std::string_view text, std::size_t index, bool every_line);

// How many bytes in front are whole, well-formed characters (Unicode 15, table 3-7).
std::size_t valid_prefix(std::string_view text);

// The sign that a heading line has most of; commas win ties. `usual` where it has none.
char likely_delimiter(std::string_view line, char usual);

// libcsv, set up the way this product reads: strict, blanks kept, and nothing is the same as "".
class CsvParser {
 public:
  // `every_line`: an empty line is a record without fields, instead of nothing.
  explicit CsvParser(char delimiter, bool every_line = false) {
    const int lines = every_line ? CSV_REPALL_NL : 0;
    csv_init(&parser_, static_cast<unsigned char>(CSV_STRICT | CSV_STRICT_FINI | CSV_EMPTY_IS_NULL | lines));
    csv_set_delim(&parser_, static_cast<unsigned char>(delimiter));
    csv_set_space_func(&parser_, [](unsigned char) { return 0; });
  }
  CsvParser(const CsvParser&) = delete;
  CsvParser& operator=(const CsvParser&) = delete;
  ~CsvParser() { csv_free(&parser_); }

  // Bytes read; less than text.size() where the text is malformed.
  std::size_t parse(std::string_view text, void (*field)(void*, std::size_t, void*), void (*record)(int, void*),
                    void* to) {
    return csv_parse(&parser_, text.data(), text.size(), field, record, to);
  }
  // False: the last quote was never closed.
  bool finish(void (*field)(void*, std::size_t, void*), void (*record)(int, void*), void* to) {
    return csv_fini(&parser_, field, record, to) == 0;
  }

 private:
  csv_parser parser_{};
};

}  // namespace lofty::engine
