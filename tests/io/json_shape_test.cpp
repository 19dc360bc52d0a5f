// Values that are found without a parser, against a parser.
#include "io/json_shape.hpp"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <random>
#include <regex>
#include <string>
#include <vector>

using namespace lofty;
using engine::JsonShape;
using engine::JsonShapes;
using engine::JsonValue;

namespace {

// A line with what may be read behind it, which looks like more of the line.
struct Padded {
  explicit Padded(const std::string& line) : bytes(line + "\"\\1,:{}"), size(line.size()) {
    bytes.resize(std::max(bytes.size(), size + JsonShape::padding), '"');
  }
  std::string_view line() const { return std::string_view(bytes).substr(0, size); }
  std::string bytes;
  std::size_t size;
};

// What the values are by a parser: one text for each.
std::vector<std::string> parsed(const nlohmann::json& object) {
  std::vector<std::string> out;
  for (const auto& value : object) out.push_back(value.dump());
  return out;
}

std::vector<std::string> found(const std::vector<JsonValue>& values) {
  std::vector<std::string> out;
  for (const JsonValue& value : values) {
    const std::string text = value.kind == JsonValue::Kind::null   ? "null"
                             : value.kind == JsonValue::Kind::text ? '"' + std::string(value.text) + '"'
                                                                   : std::string(value.text);
    out.push_back(nlohmann::json::parse(text).dump());
  }
  return out;
}

std::string some_value(std::mt19937_64& random) {
  static const std::vector<std::string> some = {"1",         "-0.50",
                                                "1e5",       "12345678901234567890",
                                                "null",      "true",
                                                "false",     "\"\"",
                                                "\"Crumb\"", "\"Winter Wren & Sons\"",
                                                "\"Älv\"",   "01",
                                                "1.",        "-",
                                                "nul",       "\"a\\nb\"",
                                                "\"a\tb\"",  "[1]",
                                                "{\"a\":1}", "\"open",
                                                "",          "+1",
                                                ".5",        "1 2"};
  return some[random() % (random() % 3 == 0 ? some.size() : 11)];
}

std::string some_line(std::mt19937_64& random) {
  static const std::vector<std::string> blanks = {"", "", "", " ", "\t"};
  const auto blank = [&] { return blanks[random() % blanks.size()]; };
  const bool plain = random() % 2 == 0;
  std::string line = "{";
  for (const char* name : {"shop", "spend", "day"}) {
    if (line.size() > 1) line += ", ";
    line += '"' + std::string(name) + "\":" + (plain ? " " : blank()) + some_value(random) + (plain ? "" : blank());
  }
  line += "}";
  if (random() % 8 == 0) line += "\r";
  if (char& any = line[random() % line.size()]; random() % 4 == 0 && static_cast<unsigned char>(any) < 0x80)
    any = "\"{}:,1\\ x\x01"[random() % 10];
  return line;
}

}  // namespace

TEST(JsonShape, FindsWhatAParserFinds) {
  std::mt19937_64 random(7);
  JsonShapes shapes;
  std::vector<JsonValue> values;
  JsonShape shape;
  std::size_t without_parser = 0, lines = 0;
  for (int i = 0; i < 50'000; ++i) {
    if (i % 500 == 0) shapes = {};  // it may have given up
    const Padded line(some_line(random));
    const auto object = nlohmann::json::parse(line.line(), nullptr, false);
    const bool valid = object.is_object();

    // In order of the line, which the parser doesn't keep: names tell.
    const JsonShape* const known = shapes.find(line.line());
    if (known != nullptr) {
      ASSERT_TRUE(valid) << line.line();
      ASSERT_EQ(known->names().size(), object.size()) << line.line();
      nlohmann::json in_order = nlohmann::json::array();
      for (const std::string& name : known->names()) in_order.push_back(object.at(name));
      ASSERT_EQ(found(shapes.values()), parsed(in_order)) << line.line();
      ++without_parser;
    }
    if (!valid || object.size() != 3) continue;
    ++lines;
    if (known == nullptr) shapes.learn(line.line());

    // A line has its own shape unless it holds an escape or other values inside.
    const bool plain = line.line().find('\\') == std::string_view::npos &&
                       line.line().find('[') == std::string_view::npos &&
                       line.line().find('{', 1) == std::string_view::npos;
    if (shape.learn(line.line())) {
      ASSERT_TRUE(shape.find(line.line(), values)) << line.line();
    } else {
      ASSERT_FALSE(plain) << line.line();
      ASSERT_FALSE(shape.find(line.line(), values)) << line.line();
    }
  }
  EXPECT_GT(lines, 5'000u);
  EXPECT_GT(without_parser, lines / 5);
}

TEST(JsonShape, NumbersAreThoseOfTheStandard) {
  JsonShape shape;
  std::vector<JsonValue> values;
  ASSERT_TRUE(shape.learn(Padded("{\"n\":1}").line()));
  for (const char* number : {"0", "-0", "10", "0.25", "-1.5e-3", "2E+5", "1e0"})
    EXPECT_TRUE(shape.find(Padded("{\"n\":" + std::string(number) + "}").line(), values)) << number;
  for (const char* number : {"", "-", "01", "-01", "1.", ".5", "1e", "1e+", "+1", "0x10", "1 ", "NaN"})
    EXPECT_FALSE(shape.find(Padded("{\"n\":" + std::string(number) + "}").line(), values)) << number;
}

// All that could be written with these characters, against the grammar: RFC 8259, section 6.
TEST(JsonShape, NumbersOfEveryLength) {
  JsonShape shape;
  std::vector<JsonValue> values;
  ASSERT_TRUE(shape.learn(Padded("{\"n\":1}").line()));
  const std::regex grammar("-?(0|[1-9][0-9]*)(\\.[0-9]+)?([eE][+-]?[0-9]+)?");
  std::mt19937_64 random(3);
  int right = 0;
  for (int i = 0; i < 100'000; ++i) {
    std::string number(random() % 12, '0');
    const bool digits = random() % 2 == 0;
    for (char& c : number) c = (digits ? "0123456789123456" : "0190190145..eE-+")[random() % 16];
    if (digits && !number.empty()) number[random() % number.size()] = '.';
    const bool is_one = std::regex_match(number, grammar);
    const Padded line("{\"n\":" + number + "}");
    ASSERT_EQ(shape.find(line.line(), values) != 0, is_one) << number;
    if (is_one) {
      EXPECT_EQ(values.at(0).text, number);
    }
    right += is_one ? 1 : 0;
  }
  EXPECT_GT(right, 10'000);
}

// A line ends where the next one begins.
TEST(JsonShape, FindsTheFirstOfSomeLines) {
  JsonShapes shapes;
  const std::string one = "{\"a\": 1, \"b\": \"x\"}";
  shapes.learn(Padded(one).line());
  for (const std::string more : {"\n", "\n{\"a\": 1}", "\n\n", "\n}"}) {
    const Padded lines("{\"a\": 20.5, \"b\": \"yz\"}" + more);
    ASSERT_NE(shapes.find(lines.line()), nullptr) << more;
    EXPECT_EQ(shapes.size(), one.size() + 4);
    EXPECT_EQ(shapes.values().at(0).text, "20.5");
  }
  for (const std::string more : {"}", " 1", ",", "{\"a\": 1, \"b\": \"x\"}", "\t\n"})
    EXPECT_EQ(shapes.find(Padded(one + more).line()), nullptr) << more;
  EXPECT_EQ(shapes.find(Padded("{\"a\": 1, \"b\": \"x\n\"}").line()), nullptr);
  EXPECT_EQ(shapes.find(Padded("{\"a\": 1\n, \"b\": \"x\"}").line()), nullptr);
}

// A text may end at any place of eight bytes, and whatever follows the line is not of it.
TEST(JsonShape, TextsOfEveryLength) {
  JsonShape shape;
  std::vector<JsonValue> values;
  ASSERT_TRUE(shape.learn(Padded("{\"t\":\"\"}").line()));
  for (std::size_t size = 0; size < 40; ++size) {
    const std::string text(size, '\xc3');
    const Padded line("{\"t\":\"" + text + "\"}");
    EXPECT_TRUE(shape.find(line.line(), values));
    EXPECT_EQ(values.at(0).text, text);
    EXPECT_FALSE(shape.find(Padded("{\"t\":\"" + text).line(), values));
    for (std::size_t at = 0; at < size; ++at)
      for (const char c : {'\\', '\n', '\x1f', '\0'}) {
        std::string bad = text;
        bad[at] = c;
        EXPECT_FALSE(shape.find(Padded("{\"t\":\"" + bad + "\"}").line(), values)) << size << " " << at;
      }
  }
}

// Objects that leave out some members have several shapes; where every line has its own, none is looked for any more.
TEST(JsonShape, SeveralAreKnown) {
  JsonShapes shapes;
  const auto met = [&](const std::string& text) {
    const Padded line(text);
    if (shapes.find(line.line()) != nullptr) return true;
    shapes.learn(line.line());
    return false;
  };
  EXPECT_FALSE(met("{\"a\": 1, \"b\": 2}"));
  EXPECT_FALSE(met("{\"a\": 1}"));
  EXPECT_TRUE(met("{\"a\": 5, \"b\": null}"));
  EXPECT_TRUE(met("{\"a\": \"x\"}"));
  for (int i = 0; i < 200; ++i) EXPECT_FALSE(met("{\"m" + std::to_string(i) + "\": 1}"));
  EXPECT_FALSE(met("{\"m199\": 1}"));
}
