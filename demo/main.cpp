// Writes the Thornwick Honey tables: thornwick FOLDER [--lines N] [--shops N] [--seed N]

#include <CLI/CLI.hpp>

#include <cstdio>

#include "thornwick.hpp"

int main(int argc, char** argv) {
  CLI::App app{"Writes the made-up tables of Thornwick Honey into a folder: order_lines.csv, shops.csv, products.csv"};
  thornwick::Size size;
  std::string folder;
  app.add_option("FOLDER", folder, "Where to write")->required();
  app.add_option("--lines", size.lines, "Order lines")->capture_default_str();
  app.add_option("--shops", size.shops, "Shops; 0: as many as suit the lines")->capture_default_str();
  app.add_option("--seed", size.seed, "Another seed makes other tables")->capture_default_str();
  CLI11_PARSE(app, argc, argv);
  try {
    thornwick::write_tables(folder, size);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "thornwick: %s\n", error.what());
    return 1;
  }
  return 0;
}
