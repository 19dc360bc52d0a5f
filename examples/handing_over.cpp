// A picture and a page of an answer, ready to be handed over.
//   handing_over DEMO_FOLDER OUTPUT_FOLDER
#include <filesystem>
#include <iostream>

#include "lofty/lofty.hpp"

int main(int argc, char** argv) try {
  if (argc < 3) return 2;
  const std::filesystem::path demo = argv[1], out = argv[2];
  const lofty::Ladder ladder = lofty::read_ladder_file(demo / "best_shops.ladder.toml").ladder;
  const lofty::Standings answer = lofty::standings(ladder, lofty::TableFiles(demo));

  // What the picture shows is a plain value: here, the shops that share the first place.
  const lofty::Picture picture = lofty::picture_of(answer, lofty::PictureKind::bars);
  for (const lofty::BarsPicture::Bar& bar : std::get<lofty::BarsPicture>(picture.content).groups.front().bars)
    if (bar.place == "1=") std::cout << bar.label << " " << bar.text << "\n";

  lofty::write_file(out / "best.svg", lofty::drawn(picture, lofty::PictureFormat::svg));

  lofty::PageAnswer on_page(answer);
  on_page.pictures = {picture};
  on_page.workings = {lofty::why(ladder, lofty::TableFiles(demo), "shop = 'Twin Pantry'")};
  lofty::write_file(out / "best.html", lofty::page({on_page}, {.title = "Best shops"}));
  return 0;
} catch (const lofty::Error& error) {
  std::cerr << error.what() << "\n";
  return 1;
}
