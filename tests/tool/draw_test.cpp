// Pictures, pages and workbooks through the tool: what is written, and what is refused.
#include <gtest/gtest.h>

#include <algorithm>

#include "support/faults.hpp"
#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

const std::string demo = support::demo().string() + "/";

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

std::vector<std::string> files_in(const std::filesystem::path& folder) {
  std::vector<std::string> names;
  for (const auto& entry : std::filesystem::directory_iterator(folder))
    names.push_back(entry.path().filename().string());
  std::sort(names.begin(), names.end());
  return names;
}

}  // namespace

TEST(Draw, EachKindInEachFormat) {
  const Scratch s;
  const struct {
    const char *kind, *ladder;
  } pictures[] = {{"bars", "best_shops.ladder.toml"},
                  {"lines", "valley_weeks.ladder.toml"},
                  {"movement", "who_moved.ladder.toml"},
                  {"shares", "half_of_the_money.ladder.toml"}};
  for (const auto& picture : pictures)
    for (const auto& [ending, begin] : {std::pair{"svg", "<?xml"}, {"png", "\x89PNG"}, {"pdf", "%PDF"}}) {
      const std::string to = std::string(picture.kind) + "." + ending;
      const std::vector<std::string> call = {"draw", demo + picture.ladder, "--as", picture.kind, "--to", to};
      const Ran first = lofty(call, s.path());
      EXPECT_EQ(first.status, 0) << first.err;
      EXPECT_TRUE(has(first.err, "wrote " + to)) << first.err;
      EXPECT_TRUE(support::slurp(s.path() / to).starts_with(begin)) << to;
      // An earlier picture is known again, and replaced.
      const Ran again = lofty(call, s.path());
      EXPECT_EQ(again.status, 0) << again.err;
      EXPECT_TRUE(has(again.err, "it replaced an earlier answer")) << again.err;
    }
  const Ran printed = lofty({"draw", demo + "best_shops.ladder.toml", "--as", "bars", "--to", "svg"});
  EXPECT_TRUE(printed.out.starts_with("<?xml") && has(printed.out, "7,901.10"));
}

TEST(Draw, OptionsReachThePicture) {
  const auto svg = [](std::vector<std::string> more) {
    std::vector<std::string> call = {"draw", "--to", "svg", "--remarks", "none"};
    call.insert(call.end(), more.begin(), more.end());
    const Ran ran = lofty(call);
    EXPECT_EQ(ran.status, 0) << ran.err;
    return ran.out;
  };
  const std::string best = demo + "best_shops.ladder.toml";
  EXPECT_TRUE(has(svg({best, "--as", "bars", "--place-for", "spend=6000"}), "6,000.00 would take place 9"));
  EXPECT_TRUE(has(svg({best, "--as", "bars", "--value", "orders"}), ">orders<"));
  EXPECT_TRUE(has(svg({best, "--as", "bars", "--at-most", "3"}), "Not drawn: "));
  EXPECT_FALSE(has(svg({best, "--as", "bars", "--best", "2"}), "Twin Larder"));
  EXPECT_TRUE(has(svg({best, "--as", "bars", "--title", "A title of its own"}), "A title of its own"));
  EXPECT_TRUE(has(svg({best, "--as", "bars", "--dark"}), "#17202a"));
  EXPECT_TRUE(has(svg({demo + "valley_weeks.ladder.toml", "--as", "lines", "--smooth", "4", "--scale", "free"}),
                  "mean of the last 4"));
  EXPECT_TRUE(has(svg({demo + "valley_weeks.ladder.toml", "--as", "lines", "--choose", "days=30"}), "days = 30 days"));
  EXPECT_TRUE(
      has(svg({demo + "half_of_the_money.ladder.toml", "--as", "shares", "--mark", "0.8"}), "entries bring 80."));
  // A ladder without a running share gets one.
  EXPECT_TRUE(has(svg({demo + "best_shops.ladder.toml", "--as", "shares"}), "running share of spend"));
}

// An option with a list takes one value each time: the ladder after it is the ladder.
TEST(Draw, OptionsMayComeBeforeTheLadder) {
  const Scratch s;
  const std::string moved = demo + "who_moved.ladder.toml";
  for (const std::vector<std::string>& call :
       {std::vector<std::string>{"draw", "--as", "bars", "--to", "a.svg", "--choose", "days=60", moved},
        {"rank", "--choose", "days=60", "--columns", "rank,shop", moved},
        {"cost", "--choose", "days=60", moved},
        {"why", "--choose", "days=60", moved, "rank = 1"}}) {
    const Ran ran = lofty(call, s.path(), {"XDG_CACHE_HOME=" + s.path().string()});
    EXPECT_EQ(ran.status, 0) << call[0] << ran.err;
  }
  EXPECT_EQ(support::slurp(s.path() / "a.svg"),
            lofty({"draw", moved, "--as", "bars", "--to", "svg", "--choose", "days=60"}).out);
  const Ran twice = lofty({"rank", "--columns", "rank", "--columns", "shop,spend", moved, "--to", "csv"});
  EXPECT_TRUE(twice.out.starts_with("rank,shop,spend\n")) << twice.out;
}

TEST(Draw, RefusesWhatItCannotDoAndLeavesNothing) {
  const Scratch s;
  s.file("t.csv", "name,note,day,a\nx,one,2025-01-01,1\n");
  s.file("texts.ladder.toml", "[data]\nfrom = \"t.csv\"\n[list]\ncolumns = [\"name\", \"note\"]\n");
  s.file("one.ladder.toml",
         "[data]\nfrom = \"t.csv\"\n[totals]\nv = \"sum(a)\"\n[rank]\neach = [\"name\"]\nby = \"v desc\"\n");
  s.file("none.ladder.toml",
         "[data]\nfrom = \"t.csv\"\n[rows]\nwhere = \"a > 5\"\n[totals]\nv = \"sum(a)\"\n[rank]\neach = [\"name\"]\nby "
         "= \"v desc\"\n");
  s.file("foreign.svg", "<svg>somebody's</svg>");
  const auto before = files_in(s.path());
  const struct {
    std::string what;
    std::vector<std::string> call;
    int status;
    std::string said;
  } cases[] = {
      {"no such kind",
       {"one.ladder.toml", "--as", "pie", "--to", "a.svg"},
       2,
       "--as takes bars, lines, movement or shares"},
      {"no such format",
       {"one.ladder.toml", "--as", "bars", "--to", "a.gif"},
       2,
       "a picture is an svg, png or pdf file, not `gif`"},
      {"a page is no picture",
       {"one.ladder.toml", "--as", "bars", "--to", "a.html"},
       2,
       "a picture is an svg, png or pdf file, not `html`"},
      {"no folder",
       {"one.ladder.toml", "--as", "bars", "--to", "nowhere/a.svg"},
       2,
       "nowhere/a.svg: cannot be written: No such file or directory"},
      {"over an input",
       {"one.ladder.toml", "--as", "bars", "--to", "t.csv"},
       2,
       "a picture is an svg, png or pdf file"},
      {"over a foreign file",
       {"one.ladder.toml", "--as", "bars", "--to", "foreign.svg"},
       2,
       "foreign.svg is there already, and is not plainly an earlier answer of this kind"},
      {"places at one time",
       {"one.ladder.toml", "--as", "movement", "--to", "a.svg"},
       2,
       "a movement needs places at two times, and this answer lists one"},
      {"no places", {"texts.ladder.toml", "--as", "movement", "--to", "a.svg"}, 2, "this answer lists none"},
      {"no numbers",
       {"texts.ladder.toml", "--as", "bars", "--to", "a.svg"},
       2,
       "no listed column holds numbers to draw"},
      {"one point", {"one.ladder.toml", "--as", "lines", "--to", "a.svg"}, 1, "a line needs two points"},
      {"no rows",
       {"none.ladder.toml", "--as", "bars", "--to", "a.svg"},
       1,
       "there is nothing to draw: the answer has no rows"},
      {"no such column", {"one.ladder.toml", "--as", "bars", "--value", "vv", "--to", "a.svg"}, 2, "nearest: v"},
      {"another kind's option",
       {"one.ladder.toml", "--as", "bars", "--smooth", "3", "--to", "a.svg"},
       2,
       "--smooth is for lines"},
      {"no number of days",
       {"one.ladder.toml", "--as", "lines", "--smooth", "x", "--to", "a.svg"},
       2,
       "--smooth takes a number of rows or of days"},
      {"no share", {"one.ladder.toml", "--as", "shares", "--mark", "2", "--to", "a.svg"}, 2, "--mark takes a share"},
      {"a table", {"t.csv", "--as", "bars", "--to", "a.svg"}, 2, "draw takes a ladder file"},
      {"no target", {"one.ladder.toml", "--as", "bars"}, 2, "--to is required"},
  };
  for (const auto& one : cases) {
    std::vector<std::string> call = {"draw"};
    call.insert(call.end(), one.call.begin(), one.call.end());
    const Ran ran = lofty(call, s.path());
    EXPECT_EQ(ran.status, one.status) << one.what << "\n" << ran.err;
    EXPECT_TRUE(has(ran.err, one.said)) << one.what << "\n" << ran.err;
    EXPECT_EQ(files_in(s.path()), before) << one.what;
  }
  EXPECT_EQ(support::slurp(s.path() / "foreign.svg"), "<svg>somebody's</svg>");
}

TEST(Draw, WithoutGnuplotItSaysWhichPackage) {
  const Scratch s;
  const std::vector<std::string> no_programs = {"PATH=" + s.path().string()};
  const std::string best = demo + "best_shops.ladder.toml";
  const Ran ran = lofty({"draw", best, "--as", "bars", "--to", "a.svg"}, s.path(), no_programs);
  EXPECT_EQ(ran.status, 1);
  EXPECT_TRUE(has(ran.err, "pictures are drawn by the program gnuplot, which is not installed") &&
              has(ran.err, "install the package gnuplot-nox"))
      << ran.err;
  EXPECT_TRUE(files_in(s.path()).empty());
  // A page that was not asked for a picture does without, and says so.
  const Ran page = lofty({"rank", best, "--to", "a.html"}, s.path(), no_programs);
  EXPECT_EQ(page.status, 0);
  EXPECT_TRUE(has(page.err, "page-without-pictures: ")) << page.err;
  EXPECT_FALSE(has(support::slurp(s.path() / "a.html"), "<img"));
  EXPECT_EQ(lofty({"rank", best, "--to", "b.html", "--picture", "bars"}, s.path(), no_programs).status, 1);
  EXPECT_EQ(files_in(s.path()), std::vector<std::string>{"a.html"});
  // One that fails is an error, not half a picture.
  s.file("gnuplot", "#!/bin/sh\necho '<?xml and no more'\necho broken >&2\n");
  std::filesystem::permissions(s.path() / "gnuplot", std::filesystem::perms::owner_all);
  const Ran broken = lofty({"draw", best, "--as", "bars", "--to", "a.svg"}, s.path(),
                           {"PATH=" + s.path().string() + ":/usr/bin:/bin"});
  EXPECT_EQ(broken.status, 1);
  EXPECT_TRUE(has(broken.err, "gnuplot could not draw the picture: broken")) << broken.err;
  EXPECT_FALSE(std::filesystem::exists(s.path() / "a.svg"));
}

TEST(Draw, AFullDiskLeavesTheOldPicture) {
  if (!support::faults_work()) GTEST_SKIP() << "this build has an allocator of its own";
  const Scratch s;
  for (const std::string to : {"a.svg", "a.html"}) {
    const std::vector<std::string> call =
        to == "a.svg"
            ? std::vector<std::string>{"draw", demo + "best_shops.ladder.toml", "--as", "bars", "--to", to, "--remarks",
                                       "none"}
            : std::vector<std::string>{
                  "rank", demo + "best_shops.ladder.toml", "--to", to, "--remarks", "none", "--workings", "1"};
    ASSERT_EQ(lofty(call, s.path()).status, 0);
    const long writes = support::calls_of("write", call, s.path());
    std::string old = support::slurp(s.path() / to);
    ASSERT_GT(writes, 0);
    int failed = 0;
    for (long at = 1; at <= writes; ++at) {
      const Ran ran = support::lofty_with({"write", at, "28"}, call, s.path());
      failed += ran.status == 1;
      const std::string now = support::slurp(s.path() / to);
      EXPECT_TRUE(ran.status == 0 || now == old) << at << ran.err;
      old = now;  // a page has the times that the run took
      EXPECT_TRUE(now.ends_with(to == "a.svg" ? "</svg>\n\n" : "</html>\n")) << at;
    }
    EXPECT_GT(failed, 0) << to;
  }
  EXPECT_EQ(files_in(s.path()), (std::vector<std::string>{"a.html", "a.svg"}));
}

// The number of rows decides, not the time that the answer took: a busy machine makes the same page.
TEST(Page, HasWorkingsWhereTheRowsAreFew) {
  const Scratch s;
  const auto workings = [&](std::size_t rows, const std::vector<std::string>& more) {
    std::string text = "shop,amount\n";
    for (std::size_t row = 0; row < rows; ++row) text += row % 2 == 0 ? "Acorn,1\n" : "Birch,2\n";
    s.file("t.csv", text);
    std::vector<std::string> call = {"rank", "t.csv",  "--total", "spend=sum(amount)", "--each",    "shop",
                                     "--to", "a.html", "--by",    "spend desc",        "--replace", "--no-pictures"};
    call.insert(call.end(), more.begin(), more.end());
    const Ran ran = lofty(call, s.path());
    EXPECT_EQ(ran.status, 0) << ran.err;
    const std::string html = support::slurp(s.path() / "a.html");
    const std::size_t at = html.find("Workings of the first ");
    return at == std::string::npos ? std::string() : html.substr(at, html.find('<', at) - at);
  };
  EXPECT_EQ(workings(250'000, {}), "Workings of the first 2 entries");
  EXPECT_EQ(workings(250'001, {}), "");
  EXPECT_EQ(workings(250'001, {"--workings", "1"}), "Workings of the first entry");
  EXPECT_EQ(workings(250'000, {"--workings", "0"}), "");
}

TEST(Several, GoIntoOnePageOrWorkbook) {
  const Scratch s;
  const std::string best = demo + "best_shops.ladder.toml", moved = demo + "who_moved.ladder.toml",
                    crossed = demo + "families_by_valley.ladder.toml";
  const Ran page =
      lofty({"rank", best, moved, "--to", "m.html", "--title", "This <month>", "--choose", "days=60"}, s.path());
  EXPECT_EQ(page.status, 0) << page.err;
  EXPECT_TRUE(has(page.err, "wrote m.html: 2 ladders")) << page.err;
  const std::string html = support::slurp(s.path() / "m.html");
  EXPECT_TRUE(has(html, "<title>This &lt;month&gt;</title>") && has(html, "<dd>60 days</dd>"));
  const Ran book = lofty({"rank", best, moved, crossed, best, "--to", "m.xlsx"}, s.path());
  EXPECT_EQ(book.status, 0) << book.err;
  // Each sheet is a table to us: the titles are its names, cut to what a sheet may be called, and told apart.
  for (const char* sheet : {"Best shops ever", "Best shops of the last ninety d", "What each valley buys families",
                            "Best shops ever (2)", "Contents", "About"}) {
    const Ran read = lofty({"inspect", std::string("m.xlsx#") + sheet, "--first", "1"}, s.path());
    EXPECT_EQ(read.status, 0) << sheet << read.err;
  }
  EXPECT_TRUE(has(lofty({"inspect", "m.xlsx#Best shops ever", "--first", "2"}, s.path()).out, "Little STORES"));
  // An apostrophe is part of a name, but not at its ends.
  s.file("t.csv", "name,a\nx,1\n");
  for (const auto& [file, title] : {std::pair{"a.ladder.toml", "'The Wren's' list"}, {"b.ladder.toml", "Ends in '"}})
    s.file(file, std::string("title = \"") + title + "\"\n[data]\nfrom = \"t.csv\"\n");
  EXPECT_EQ(lofty({"rank", "a.ladder.toml", "b.ladder.toml", "--to", "n.xlsx"}, s.path()).status, 0);
  for (const char* sheet : {"The Wren's' list", "Ends in"})
    EXPECT_TRUE(has(lofty({"inspect", std::string("n.xlsx#") + sheet, "--first", "1"}, s.path()).out, "x")) << sheet;
  for (const char* file : {"t.csv", "a.ladder.toml", "b.ladder.toml", "n.xlsx"})
    std::filesystem::remove(s.path() / file);

  const struct {
    std::vector<std::string> call;
    std::string said;
  } cases[] = {
      {{"rank", best, moved, "--to", "m.csv"}, "several ladders go into one page or one workbook"},
      {{"rank", best, moved}, "several ladders go into one page or one workbook"},
      {{"rank", best, moved, "--best", "3", "--to", "m.html"},
       "`--best` does not say which of several ladders it is for"},
      {{"rank", best, demo + "shops.csv", "--to", "n.html"},
       "several sources are ladders, or tables that are one, and not both"},
      {{"rank", best, moved, "--to", "n.html", "--choose", "dys=3"}, "dys"},
      {{"rank", best, "--to", "n.csv", "--workings", "3"}, "--workings is for a page"},
      {{"rank", best, "--to", "n.json", "--all"}, "--all is for listings and Markdown"},
      {{"rank", best, "--to", "n.html", "--picture", "pie"}, "--picture takes bars, lines, movement or shares"},
  };
  for (const auto& one : cases) {
    const Ran ran = lofty(one.call, s.path());
    EXPECT_EQ(ran.status, 2) << one.said << ran.err;
    EXPECT_TRUE(has(ran.err, one.said)) << ran.err;
  }
  EXPECT_EQ(files_in(s.path()), (std::vector<std::string>{"m.html", "m.xlsx"}));
}

// A real office program opens the workbook and shows what it means.
TEST(Several, AnOfficeProgramOpensTheWorkbook) {
  if (support::shell("command -v libreoffice >/dev/null").status != 0)
    GTEST_SKIP() << "SKIPPED: libreoffice is not installed (scripts/install_packages full installs it)";
  const Scratch s;
  ASSERT_EQ(lofty({"rank", demo + "half_of_the_money.ladder.toml", demo + "best_shops.ladder.toml", "--to", "m.xlsx"},
                  s.path())
                .status,
            0);
  const Ran office = support::shell("cd " + s.path().string() + " && HOME=" + s.path().string() +
                                    " libreoffice --headless --convert-to 'csv:Text - txt - csv "
                                    "(StarCalc):44,34,76,1,,0,false,false,true,false,false,-1' m.xlsx 2>&1");
  ASSERT_EQ(office.status, 0) << office.out;
  const std::string half = support::slurp(s.path() / "m-How few shops bring half of the.csv");
  // As it is shown: the format of the ladder's example, the mark of a tie, whole numbers of cents.
  EXPECT_TRUE(
      half.starts_with("rank,shop,spend,share so far\n1=,\u00C6rlig Spoon,\"7,901.10\",2.4 %\n1=,Little "
                       "STORES,\"7,901.10\",2.4 %\n3,tin Basket,\"6,779.55\",3.4 %\n"))
      << half.substr(0, 300);
  EXPECT_TRUE(has(support::slurp(s.path() / "m-Best shops ever.csv"), "9=,Winter Wren"));
  EXPECT_TRUE(has(support::slurp(s.path() / "m-Contents.csv"), "Best shops ever"));
}

TEST(Demo, EndsWithAPageAndFourPictures) {
  const Scratch s;
  const Ran ran = lofty({"demo"}, s.path());
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(files_in(s.path() / "lofty-demo"),
            (std::vector<std::string>{"best.svg", "half.svg", "month.html", "moved.svg", "valleys.svg"}));
  EXPECT_TRUE(has(ran.out, "The page and the pictures are in " + (s.path() / "lofty-demo").string())) << ran.out;
  // Under a minute of reading, at 250 words of prose a minute: commands and tables are looked at rather than read.
  std::size_t words = 0;
  for (std::size_t at = 0; at < ran.out.size();) {
    const std::size_t end = std::min(ran.out.find('\n', at), ran.out.size());
    const std::string line = ran.out.substr(at, end - at);
    at = end + 1;
    if (!line.empty() && !line.starts_with("  ") && !line.starts_with("   $"))
      words += static_cast<std::size_t>(std::count(line.begin(), line.end(), ' ')) + 1;
  }
  EXPECT_LT(words, 250u) << ran.out;
  // Each command can be copied: it does what the tour showed.
  std::vector<std::string> commands;
  for (std::size_t at = 0; (at = ran.out.find("   $ lofty ", at)) != std::string::npos;) {
    std::size_t end = ran.out.find('\n', at);
    while (ran.out[end - 1] == '\\') end = ran.out.find('\n', end + 1);
    commands.push_back(ran.out.substr(at + 11, end - at - 11));
    at = end;
  }
  EXPECT_EQ(commands.size(), 9u);
  for (const std::string& command : commands) {
    const Ran one = support::shell("cd " + s.path().string() + " && " LOFTY_TOOL " " + command);
    EXPECT_EQ(one.status, 0) << command << one.err;
    EXPECT_TRUE(has(ran.out, one.out)) << command;
  }
  const Ran poor = lofty({"demo", "--to", "other"}, s.path(), {"PATH=" + s.path().string()});
  EXPECT_EQ(poor.status, 0) << poor.err;
  EXPECT_TRUE(has(poor.err, "gnuplot-nox"));
}

// On a terminal: the pager, the width, and the short tie; elsewhere none of them.
TEST(Terminal, LongListingsGoThroughThePager) {
  const Scratch s;
  std::string lines = "name,a\n";
  for (int i = 0; i < 60; ++i)
    lines += "shop " + std::to_string(100 + i) + "," + std::to_string(i < 2 ? 100 - i : 7) + "\n";
  s.file("t.csv", lines);
  const std::string long_listing = "rank t.csv --total 'v=sum(a)' --each name --by 'v desc' --remarks none";
  const auto with_pager = [&](const std::string& pager, const std::string& command) {
    return support::shell("cd " + s.path().string() + " && export TERM=xterm PAGER='" + pager +
                          "' && script -qec \"stty rows 20 cols 60; " LOFTY_TOOL " " + command + "\" /dev/null")
        .out;
  };
  EXPECT_TRUE(has(with_pager("sed s/^/PAGED/", long_listing), "PAGED"));
  EXPECT_FALSE(has(with_pager("sed s/^/PAGED/", long_listing + " --best 1"), "PAGED"));  // short
  EXPECT_TRUE(has(with_pager("no-such-pager", long_listing), "shop 101"));               // not lost
  EXPECT_FALSE(
      has(support::shell("cd " + s.path().string() + " && PAGER='sed s/^/PAGED/' " LOFTY_TOOL " " + long_listing).out,
          "PAGED"));
  const std::string tie = with_pager("", long_listing + " --best 3");
  EXPECT_TRUE(has(tie, "(53 more share place 3")) << tie;
  EXPECT_FALSE(has(with_pager("", long_listing + " --best 3 --all"), "more share place 3"));
  EXPECT_FALSE(has(support::shell("cd " + s.path().string() + " && " LOFTY_TOOL " " + long_listing + " --best 3").out,
                   "more share place 3"));
}
