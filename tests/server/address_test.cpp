// Addresses of tables on servers, and that no password leaves them.
#include "server/address.hpp"

#include <gtest/gtest.h>

#include "base/passwords.hpp"
#include "lofty/lofty.hpp"

using namespace lofty;
using engine::parse_address;

TEST(Address, HasAConnectionAndATable) {
  const engine::ServerAddress one =
      parse_address("postgresql://ann@db.example:5433/sales?sslmode=require#archive.order_lines");
  EXPECT_EQ(one.connection, "postgresql://ann@db.example:5433/sales?sslmode=require");
  EXPECT_EQ(one.table, "archive.order_lines");
  EXPECT_EQ(one.shown, "postgresql://ann@db.example:5433/sales?sslmode=require#archive.order_lines");
}

TEST(Address, OtherNamesAreNone) {
  for (const char* name : {"order_lines.csv", "sales.sqlite#order_lines", "C://x", "://x", "a b://x", ""})
    EXPECT_FALSE(engine::is_address(name)) << name;
}

TEST(Address, PasswordsAreLeftOut) {
  for (const auto& [given, shown] : {
           std::pair{"postgresql://ann:honey@db/sales#t", "postgresql://ann@db/sales#t"},
           std::pair{"postgresql://ann:h@n:ey@db/sales#t", "postgresql://ann@db/sales#t"},
           std::pair{"postgresql://:honey@db/sales#t", "postgresql://@db/sales#t"},
           std::pair{"postgresql:///sales?host=/tmp&password=honey#t", "postgresql:///sales?host=/tmp#t"},
           std::pair{"postgresql:///sales?password=honey&host=/tmp#t", "postgresql:///sales?host=/tmp#t"},
           std::pair{"postgresql:///sales?password=honey&sslpassword=honey#t", "postgresql:///sales#t"},
           std::pair{"postgresql:///sales?password=honey&password=honey&a=b#t", "postgresql:///sales?a=b#t"},
           std::pair{"postgresql://db:5432/sales#a:b@c", "postgresql://db:5432/sales#a:b@c"},
           std::pair{"shops.csv", "shops.csv"},
       })
    EXPECT_EQ(engine::without_password(given), shown) << given;
}

TEST(Address, PasswordsAreLeftOutOfTexts) {
  EXPECT_EQ(engine::without_passwords("from = \"postgresql://ann:honey@db/sales#t\"  # ours: "
                                      "http://x/?password=honey&a=b, and postgresql://db/sales"),
            "from = \"postgresql://ann@db/sales#t\"  # ours: http://x/?a=b, and postgresql://db/sales");
  EXPECT_EQ(engine::without_passwords("no address: // here"), "no address: // here");
  Problem problem{Code::unknown_table, "not there", {}, {}, {}};
  problem.location.text = "from = \"postgresql://ann:honey@db/sales#t\"";
  problem.location.offset = 20;
  problem.location.length = 30;
  const Problem shown = Error(problem).problems().front();
  EXPECT_EQ(shown.location.text, "from = \"postgresql://ann@db/sales#t\"");
  EXPECT_LE(shown.location.offset + shown.location.length, shown.location.text.size());
}

TEST(Address, WhatIsWrongIsSaidWithoutThePassword) {
  for (const char* wrong :
       {"mongo://ann:honey@db/sales#t", "postgresql://ann:honey@db/sales", "postgresql://ann:honey@db/sales#"})
    try {
      parse_address(wrong);
      ADD_FAILURE() << wrong;
    } catch (const Error& error) {
      EXPECT_EQ(error.code(), Code::unknown_table);
      EXPECT_EQ(std::string(error.what()).find("honey"), std::string::npos) << error.what();
    }
}

// A saved ladder has the address, and not the password.
TEST(Address, ASavedLadderHasNoPassword) {
  const Ladder ladder{.data = {.from = "postgresql://ann:honey@db/sales#t",
                               .joins = {{.with = "postgresql://ann:honey@db/sales#u", .on = {"k"}}}}};
  const std::string text = ladder_text(ladder);
  EXPECT_EQ(text.find("honey"), std::string::npos) << text;
  EXPECT_NE(text.find("postgresql://ann@db/sales#u"), std::string::npos) << text;
}

TEST(Address, AnotherSourceKeepsTheNamesOfTables) {
  Ladder ladder{.data = {.from = "order_lines.csv",
                         .read = {.nulls = {"-"}},
                         .joins = {{.with = "shops.csv", .on = {"shop_no"}}}}};
  replace_source(ladder, "march.csv");
  EXPECT_EQ(ladder.data.from, "march.csv");
  EXPECT_EQ(ladder.data.as, "order_lines");
  EXPECT_EQ(ladder.data.read.nulls, std::vector<std::string>{"-"});
  replace_source(ladder, "postgresql://db/sales#shops", "shops");
  EXPECT_EQ(ladder.data.joins[0].with, "postgresql://db/sales#shops");
  replace_source(ladder, "postgresql://db/sales#lines");
  EXPECT_TRUE(ladder.data.read.empty());  // a server's table has types of its own
  try {
    replace_source(ladder, "x.csv", "shop");
    ADD_FAILURE();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems()[0].nearest, "shops");
  }
}
