#pragma once
// Lines of JSON that are written like one before them.
// Covered by tests/io/json_shape_test.cpp, against a parser.

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace lofty::engine {

// Where the number that begins here ends (RFC 8259, section 6); null where it is none. As many bytes as
// JsonShape::padding after `end` can be read.
const char* json_number_end(const char* at, const char* end);

// A value, as its line has it.
struct JsonValue {
  enum class Kind : std::uint8_t { null, boolean, number, text };
  std::string_view text;  // of a text, what is between its quotes
  Kind kind = Kind::null;
};

// How an object's line is written: the bytes around its values. Lines of one file mostly differ in their values only;
// in those the values are found without a parser, and nothing else has to be checked. All lines are UTF-8.
class JsonShape {
 public:
  static constexpr std::size_t padding = 8;  // bytes after a line that can be read, whatever they hold

  // Takes the shape of a line, without its line end, that is one valid object of different members. False: it holds
  // lists or objects, or an escape; then the shape fits no line.
  bool learn(std::string_view line);

  // The values of the first of some lines, in the order of names(), and how long it is without its line end. Then it is
  // one valid object (RFC 8259) with these members. 0: a parser has to look; `values` holds anything.
  std::size_t find(std::string_view lines, std::vector<JsonValue>& values) const;

  const std::vector<std::string>& names() const { return names_; }

 private:
  struct Between {
    std::string bytes;  // with padding
    std::size_t size = 0;
  };
  static bool begins_with(const char* at, const Between& between);

  std::vector<std::string> names_;
  std::vector<Between> around_;  // what stands before each value, and after the last; empty: fits nothing
};

// The shapes of the lines that were met last. Not thread-safe.
class JsonShapes {
 public:
  // The shape of the first of some lines, whose values are then values() and whose length without its line end is
  // size(); null where a parser has to look.
  const JsonShape* find(std::string_view lines);
  // After find() gave null: remembers the shape of this line, a valid object of different members.
  void learn(std::string_view line);
  const std::vector<JsonValue>& values() const { return values_; }
  std::size_t size() const { return size_; }

 private:
  // Objects that leave out what is null have some shapes, not one.
  static constexpr std::size_t most = 8;
  // In lines that are all written differently, looking for shapes costs more than it saves.
  static constexpr std::size_t most_in_vain = 64;

  std::array<JsonShape, most> shapes_;
  std::size_t known_ = 0, last_ = 0, oldest_ = 0, in_vain_ = 0;
  std::vector<JsonValue> values_;
  std::size_t size_ = 0;
};

}  // namespace lofty::engine
