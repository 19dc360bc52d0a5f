// Bad input: the message, the exit status, and nothing half written. One row a case.
#include <gtest/gtest.h>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

struct Case {
  std::string what;
  std::vector<std::string> call;
  int status;
  std::vector<std::string> said;  // each somewhere on standard error
};

void run(const Scratch& scratch, const std::vector<Case>& cases) {
  for (const Case& c : cases) {
    const Ran ran = lofty(c.call, scratch.path());
    EXPECT_EQ(ran.status, c.status) << c.what << "\n" << ran.err;
    for (const std::string& part : c.said)
      EXPECT_NE(ran.err.find(part), std::string::npos) << c.what << ": `" << part << "` is not in\n" << ran.err;
    EXPECT_EQ(ran.out, "") << c.what;
  }
}

const char* const lines =
    "line_no,shop_no,quantity,unit_price,status\n1,1,2,1.50,paid\n2,2,0,2.00,paid\n3,1,4,0.25,void\n";

}  // namespace

TEST(BadInput, Files) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  s.file("empty.csv", "");
  s.file("ragged.csv", "a,b\n1,2\n3\n");
  s.file("quote.csv", "a,b\n1,\"2\n3,4\n");
  s.file("latin.csv", "a,b\n1,caf\xe9\n");
  s.file("doubled.csv", "a,b,a\n1,2,3\n");
  std::filesystem::create_directory(s.path() / "folder");
  run(s,
      {{"missing file", {"inspect", "order_line.csv"}, 2, {"no file order_line.csv", "nearest: order_lines.csv"}},
       {"missing file for rank", {"rank", "order_line.csv"}, 2, {"no file order_line.csv", "nearest: order_lines.csv"}},
       {"missing ladder",
        {"rank", "none.ladder.toml"},
        2,
        {"none.ladder.toml: cannot be opened: No such file or directory"}},
       {"folder", {"inspect", "folder"}, 2, {"folder: this is a folder, not a file"}},
       {"empty file",
        {"inspect", "empty.csv"},
        1,
        {"empty.csv: the file is empty: it has no heading line", "try: the first line names the columns"}},
       {"ragged rows",
        {"rank", "ragged.csv"},
        1,
        {"ragged.csv, line 3: this row has 1 field, the heading line has 2", "data.ragged = \"null\""}},
       {"unclosed quote",
        {"rank", "quote.csv"},
        1,
        {"quote.csv, line 2: a quoted field begins in this row and never ends"}},
       {"invalid UTF-8",
        {"rank", "latin.csv"},
        1,
        {"latin.csv, line 2: byte 9 (0xE9) is not UTF-8", "save the file as UTF-8"}},
       {"doubled headings", {"rank", "doubled.csv"}, 1, {"doubled.csv, line 1: columns 1 and 3 are both called `a`"}},
       {"part of a text",
        {"rank", "order_lines.csv#May"},
        2,
        {"only SQLite files and workbooks have several tables"}}});
}

TEST(BadInput, HeadingsOnlyIsAnEmptyAnswer) {
  const Scratch s;
  s.file("bare.csv", "a,b\n");
  const Ran ran = lofty({"rank", "bare.csv"}, s.path());
  EXPECT_EQ(ran.status, 0);
  EXPECT_NE(ran.err.find("nothing-counts: the table has no rows"), std::string::npos);
}

TEST(BadInput, Names) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  run(s, {{"column",
           {"rank", "order_lines.csv", "--figure", "amount=quantty * unit_price"},
           2,
           {"--figure amount: no column `quantty` in order_lines.csv\n    quantty * unit_price\n    "
            "\u203E\u203E\u203E\u203E\u203E\u203E\u203E\n  "
            "nearest: quantity\n"}},
          {"function",
           {"rank", "order_lines.csv", "--each", "shop_no", "--total", "n=cont(*)", "--by", "n desc"},
           2,
           {"no function `cont`", "nearest: count"}},
          {"tie rule",
           {"rank", "order_lines.csv", "--by", "quantity desc", "--ties", "competitive"},
           2,
           {"--ties takes competition, modified, dense, ordinal or fractional, not `competitive`",
            "nearest: competition"}},
          {"where a value of another name would stand",
           {"rank", "order_lines.csv", "--by", "quantity desc", "--place-for", "price=3"},
           2,
           {"--place-for: places go by `quantity`, not by `price`"}},
          {"further column",
           {"rank", "order_lines.csv", "--by", "quantity desc", "--also", "p=share spend"},
           2,
           {"--also takes a tie rule, by SORT LIST, tiers N"}},
          {"tiers of nothing",
           {"rank", "order_lines.csv", "--by", "quantity desc", "--also", "p=tiers none"},
           2,
           {"tiers are counted from 1 on"}},
          {"text order",
           {"rank", "order_lines.csv", "--by", "status asc", "--text-order", "status=alphabet"},
           2,
           {"a text order is language, natural or code point"}},
          {"locale",
           {"rank", "order_lines.csv", "--by", "status asc", "--locale", "xx"},
           2,
           {"--locale: no language has the code `xx`"}},
          {"option",
           {"rank", "order_lines.csv", "--tiebrake", "shop_no"},
           2,
           {"`lofty rank` has no option `--tiebrake`", "nearest: --tiebreak"}},
          {"period without its days",
           {"rank", "order_lines.csv", "--period", "recent"},
           2,
           {"--period takes a name, a colon, and which days it is"}},
          {"command", {"rnak", "order_lines.csv"}, 2, {"lofty has no command `rnak`", "nearest: rank"}},
          {"joined table",
           {"rank", "order_lines.csv", "--join", "order_lnes.csv on shop_no"},
           2,
           {"no file order_lnes.csv", "nearest: order_lines.csv"}},
          {"format", {"rank", "order_lines.csv", "--to", "jsn"}, 2, {"no format is called `jsn`", "nearest: json"}},
          {"missing value", {"rank", "order_lines.csv", "--best", "many"}, 2, {"many"}},
          {"no table", {"rank"}, 2, {"LADDER|TABLE is required"}},
          {"choice", {"rank", "order_lines.csv", "--choose", "days=3"}, 2, {"no choice is called `days`"}}});
}

TEST(BadInput, Questions) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  s.file("shops.csv", "shop_no,shop\n1,a\n1,b\n");
  s.file("codes.csv", "shop_no,shop\n007,a\n");
  run(s, {{"text against number",
           {"rank", "order_lines.csv", "--where", "status > 5"},
           2,
           {"text compared with a number: `status` is text, `5` is an integer", "try: '5'"}},
          {"no direction",
           {"rank", "order_lines.csv", "--by", "quantity"},
           2,
           {"--by: highest or lowest first? `quantity` has no direction", "quantity desc puts the highest first"}},
          {"totals without each",
           {"rank", "order_lines.csv", "--total", "n=count(*)"},
           2,
           {"--total n: the total `n` needs a level", "try: --each shop_no"}},
          {"double quotes",
           {"rank", "order_lines.csv", "--where", "status <> \"void\""},
           2,
           {"text goes in single quotes: 'void'"}},
          {"join that multiplies",
           {"rank", "order_lines.csv", "--join", "shops.csv on shop_no"},
           1,
           {"line 2 of order_lines.csv has several partners in shops.csv: line 2 and line 3"}},
          {"keys that cannot be equal",
           {"rank", "order_lines.csv", "--join", "codes.csv on shop_no"},
           1,
           {"`shop_no` is integer on one side (1) and text on the other ('007')"}},
          {"division by zero",
           {"rank", "order_lines.csv", "--figure", "x=unit_price / quantity"},
           1,
           {"--figure x: division by zero: `quantity` is 0, in line 3 of order_lines.csv", "nullif(quantity, 0)"}},
          {"overflow",
           {"rank", "order_lines.csv", "--figure", "x=line_no * 99999999999999999999999999999999999999"},
           1,
           {"has more than 38 digits, in line 3 of"}},
          {"several values",
           {"rank", "order_lines.csv", "--each", "shop_no", "--total", "n=count(*)", "--by", "n desc", "--columns",
            "shop_no,status"},
           2,
           {"`status` has several values in one entry"}}});
}

TEST(BadInput, LadderFiles) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  s.file("key.ladder.toml", "[data]\nfrom = \"order_lines.csv\"\n[rank]\nech = [\"shop_no\"]\n");
  s.file("later.ladder.toml",
         "[data]\nfrom = \"order_lines.csv\"\ncolumns.ordered_on = { type = \"date\", form = \"dmy\" }\n");
  s.file("table.ladder.toml", "[data]\nfrom = \"order_line.csv\"\n");
  s.file(
      "many.ladder.toml",
      "title = \"x\"\n[data]\nfrom = \"order_lines.csv\"\n[figures]\namount = \"quantty * unit_price\"\n[rows]\nwhere "
      "= \"status > 5\"\n[totals]\nspend = \"sum(amount)\"\n[rank]\neach = [\"shop_n\"]\nby = \"spend\"\n");
  run(s, {{"key",
           {"rank", "key.ladder.toml"},
           2,
           {"key.ladder.toml, line 4, column 1: `rank` has no key `ech`\n    ech = [\"shop_no\"]\n    "
            "\u203E\u203E\u203E\n  nearest: "
            "each\n"}},
          {"key of a column",
           {"rank", "later.ladder.toml"},
           2,
           {"later.ladder.toml, line 3, column 39: `data.columns.ordered_on` has no key `form`"}},
          {"table",
           {"rank", "table.ladder.toml"},
           2,
           {"table.ladder.toml, line 2, column 9: no file order_line.csv", "nearest: order_lines.csv"}}});
  // check tells all of them at once, in the order of the file, on standard output.
  const Ran ran = lofty({"check", "many.ladder.toml"}, s.path());
  EXPECT_EQ(ran.status, 2);
  const std::size_t a = ran.out.find("line 5, column 11: no column `quantty`"),
                    b = ran.out.find("line 7, column 19: text compared with a number"),
                    c = ran.out.find("line 11, column 10: no column `shop_n`"),
                    d = ran.out.find("line 12, column 7: highest or lowest first?");
  EXPECT_TRUE(a < b && b < c && c < d && d != std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("many.ladder.toml: 4 problems\n"), std::string::npos) << ran.out;
}

TEST(BadInput, Outputs) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  std::filesystem::create_directory(s.path() / "folder.csv");
  run(s, {{"no such folder",
           {"rank", "order_lines.csv", "--to", "none/out.csv"},
           2,
           {"none/out.csv: cannot be written: No such file or directory", "name a folder that is there"}},
          {"a folder",
           {"rank", "order_lines.csv", "--to", "folder.csv"},
           2,
           {"folder.csv: this is a folder, not a file"}}});
}

TEST(BadInput, AFullDiskLeavesNothingBehind) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  const Ran full = support::shell("cd " + s.path().string() + " && " LOFTY_TOOL " rank order_lines.csv > /dev/full");
  EXPECT_EQ(full.status, 1);
  EXPECT_NE(full.err.find("standard output could not be written whole: No space left on device"), std::string::npos);
  // A file system of one page, where we may make one.
  const auto disk = s.path() / "disk";
  std::filesystem::create_directory(disk);
  if (support::shell("mount -t tmpfs -o size=4k tmpfs " + disk.string()).status != 0)
    GTEST_SKIP() << "mounting needs rights that this user has not";
  std::string many = lines;
  for (int i = 4; i < 3000; ++i) many += std::to_string(i) + ",1,1,1.00,paid\n";
  s.file("many.csv", many);
  const Ran ran = lofty({"rank", "many.csv", "--to", "disk/out.csv"}, s.path());
  std::size_t left = 0;
  for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(disk)) ++left;
  support::shell("umount " + disk.string());
  EXPECT_EQ(ran.status, 1);
  EXPECT_NE(ran.err.find("disk/out.csv: could not be written whole, and was not changed: No space left on device"),
            std::string::npos)
      << ran.err;
  EXPECT_EQ(left, 0u);
}

// An option over a ladder's file: what it says wrong is the option's, and the file is not named for it.
TEST(BadInput, OptionsOverALadderFileAnswerForThemselves) {
  const Scratch s;
  s.file("order_lines.csv", lines);
  s.file("best.ladder.toml",
         "[data]\nfrom = \"order_lines.csv\"\n[totals]\nspend = \"sum(quantity)\"\n[rank]\neach = [\"shop_no\"]\nby = "
         "\"spend desc\"\n");
  const std::vector<Case> cases = {
      {"heading",
       {"rank", "best.ladder.toml", "--heading", "spnd=x"},
       2,
       {"lofty: --heading spnd: list.headings names a column that is not listed", "nearest: spend"}},
      {"format",
       {"rank", "best.ladder.toml", "--format", "spend=12 = 13"},
       2,
       {"lofty: --format spend: `12` cannot mean 13"}},
      {"join", {"rank", "best.ladder.toml", "--join", "shops.csv on shop_no"}, 2, {"lofty: --join: no file shops.csv"}},
      {"tie rule",
       {"rank", "best.ladder.toml", "--ties", "denser"},
       2,
       {"lofty: --ties: --ties takes competition", "nearest: dense"}},
      {"bars",
       {"rank", "best.ladder.toml", "--bars", "spnd"},
       2,
       {"lofty: --bars: list.bars names a column that is not listed"}},
      {"by", {"rank", "best.ladder.toml", "--by", "spnd desc"}, 2, {"lofty: --by: no column `spnd`"}},
      {"ordering",
       {"rank", "best.ladder.toml", "--put-first", "vally=a"},
       2,
       {"lofty: --put-first, --put-last, --sequence or --text-order of vally: "}},
      // What no option said is the file's.
      {"the file's own",
       {"rank", "best.ladder.toml", "--total", "spend=sum(quantty)", "--best", "3"},
       2,
       {"lofty: --total spend: no column `quantty`"}}};
  run(s, cases);
  s.file("wrong.ladder.toml",
         "[data]\nfrom = \"order_lines.csv\"\n[rank]\neach = [\"shp_no\"]\nby = \"shop_no desc\"\n");
  run(s, {{"key of the file",
           {"rank", "wrong.ladder.toml", "--best", "3"},
           2,
           {"lofty: wrong.ladder.toml, line 4, column 10: no column `shp_no`"}}});
}
