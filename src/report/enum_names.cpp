// The names of the enumerators of files, listings and pictures.
// Covered by tests/api_test.cpp.

#include "base/name_table.hpp"
#include "lofty/listing.hpp"
#include "lofty/outputs.hpp"
#include "lofty/picture.hpp"
#include "lofty/write.hpp"

namespace lofty {

LOFTY_ENUM_NAMES(PictureKind, {PictureKind::bars, "bars"}, {PictureKind::lines, "lines"},
                 {PictureKind::movement, "movement"}, {PictureKind::shares, "shares"})

LOFTY_ENUM_NAMES(PictureFormat, {PictureFormat::svg, "svg"}, {PictureFormat::png, "png"}, {PictureFormat::pdf, "pdf"})

LOFTY_ENUM_NAMES(LinesPicture::Along, {LinesPicture::Along::dates, "dates"}, {LinesPicture::Along::numbers, "numbers"},
                 {LinesPicture::Along::texts, "texts"})

LOFTY_ENUM_NAMES(MovementPicture::Moved, {MovementPicture::Moved::up, "up"}, {MovementPicture::Moved::down, "down"},
                 {MovementPicture::Moved::stayed, "stayed"}, {MovementPicture::Moved::came, "came"},
                 {MovementPicture::Moved::left, "left"})

LOFTY_ENUM_NAMES(Detail, {Detail::none, "none"}, {Detail::brief, "brief"}, {Detail::full, "full"})

LOFTY_ENUM_NAMES(Format, {Format::csv, "csv"}, {Format::json, "json"}, {Format::markdown, "markdown"},
                 {Format::workbook, "workbook"}, {Format::page, "page"})

LOFTY_ENUM_NAMES(Output::Kind, {Output::Kind::csv, "csv"}, {Output::Kind::json, "json"},
                 {Output::Kind::markdown, "markdown"}, {Output::Kind::workbook, "workbook"},
                 {Output::Kind::page, "page"}, {Output::Kind::svg, "svg"}, {Output::Kind::png, "png"},
                 {Output::Kind::pdf, "pdf"}, {Output::Kind::standings, "standings"}, {Output::Kind::ladder, "ladder"},
                 {Output::Kind::table, "table"})

LOFTY_ENUM_NAMES(Replaces::What, {Replaces::What::nothing, "nothing"},
                 {Replaces::What::earlier_answer, "earlier answer"}, {Replaces::What::other, "other"})

}  // namespace lofty
