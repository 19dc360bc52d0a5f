// What pictures show, from an answer: the entrance, and the kinds' names.
// Covered by tests/report/picture_test.cpp.

#include "lofty/picture.hpp"

#include "report/picture_source.hpp"
#include "report/width.hpp"

namespace lofty {
namespace {}  // namespace

Picture picture_of(const Standings& standings, PictureKind kind, const PictureOptions& options) {
  if (standings.rows() == 0) report::refuse(Code::nothing_to_draw, "there is nothing to draw: the answer has no rows");
  const report::PictureSource source(standings, options);
  Picture picture;
  picture.title = report::printable(standings.title());
  picture.question = report::printable(standings.question());
  picture.foot = {report::printable(standings.shown_of_total())};
  switch (kind) {
    case PictureKind::bars: picture.content = report::bars_of(source, picture.foot); break;
    case PictureKind::lines: picture.content = report::lines_of(source, picture.foot); break;
    case PictureKind::movement: picture.content = report::movement_of(source, picture.foot); break;
    case PictureKind::shares: picture.content = report::shares_of(source, picture.foot); break;
  }
  return picture;
}

}  // namespace lofty
