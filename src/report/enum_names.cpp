// The names of the enumerators of files, listings and pictures.
// Covered by tests/api_test.cpp.

#include "lofty/listing.hpp"
#include "lofty/outputs.hpp"
#include "lofty/picture.hpp"
#include "lofty/write.hpp"
#include "table/name_table.hpp"

namespace lofty {

namespace {
constexpr std::pair<PictureKind, const char*> picture_kind_names[] = {
    {PictureKind::bars, "bars"},
    {PictureKind::lines, "lines"},
    {PictureKind::movement, "movement"},
    {PictureKind::shares, "shares"},
};
}  // namespace
const char* to_string(PictureKind value) { return engine::name_in(picture_kind_names, value); }
template <>
std::optional<PictureKind> from_string<PictureKind>(std::string_view name) {
  return engine::named_in(picture_kind_names, name);
}

namespace {
constexpr std::pair<PictureFormat, const char*> picture_format_names[] = {
    {PictureFormat::svg, "svg"},
    {PictureFormat::png, "png"},
    {PictureFormat::pdf, "pdf"},
};
}  // namespace
const char* to_string(PictureFormat value) { return engine::name_in(picture_format_names, value); }
template <>
std::optional<PictureFormat> from_string<PictureFormat>(std::string_view name) {
  return engine::named_in(picture_format_names, name);
}

namespace {
constexpr std::pair<LinesPicture::Along, const char*> lines_picture_along_names[] = {
    {LinesPicture::Along::dates, "dates"},
    {LinesPicture::Along::numbers, "numbers"},
    {LinesPicture::Along::texts, "texts"},
};
}  // namespace
const char* to_string(LinesPicture::Along value) { return engine::name_in(lines_picture_along_names, value); }
template <>
std::optional<LinesPicture::Along> from_string<LinesPicture::Along>(std::string_view name) {
  return engine::named_in(lines_picture_along_names, name);
}

namespace {
constexpr std::pair<MovementPicture::Moved, const char*> movement_picture_moved_names[] = {
    {MovementPicture::Moved::up, "up"},         {MovementPicture::Moved::down, "down"},
    {MovementPicture::Moved::stayed, "stayed"}, {MovementPicture::Moved::came, "came"},
    {MovementPicture::Moved::left, "left"},
};
}  // namespace
const char* to_string(MovementPicture::Moved value) { return engine::name_in(movement_picture_moved_names, value); }
template <>
std::optional<MovementPicture::Moved> from_string<MovementPicture::Moved>(std::string_view name) {
  return engine::named_in(movement_picture_moved_names, name);
}

namespace {
constexpr std::pair<Detail, const char*> detail_names[] = {
    {Detail::none, "none"},
    {Detail::brief, "brief"},
    {Detail::full, "full"},
};
}  // namespace
const char* to_string(Detail value) { return engine::name_in(detail_names, value); }
template <>
std::optional<Detail> from_string<Detail>(std::string_view name) {
  return engine::named_in(detail_names, name);
}

namespace {
constexpr std::pair<Format, const char*> format_names[] = {
    {Format::csv, "csv"},           {Format::json, "json"}, {Format::markdown, "markdown"},
    {Format::workbook, "workbook"}, {Format::page, "page"},
};
}  // namespace
const char* to_string(Format value) { return engine::name_in(format_names, value); }
template <>
std::optional<Format> from_string<Format>(std::string_view name) {
  return engine::named_in(format_names, name);
}

namespace {
constexpr std::pair<Output::Kind, const char*> output_kind_names[] = {
    {Output::Kind::csv, "csv"},           {Output::Kind::json, "json"},   {Output::Kind::markdown, "markdown"},
    {Output::Kind::workbook, "workbook"}, {Output::Kind::page, "page"},   {Output::Kind::svg, "svg"},
    {Output::Kind::png, "png"},           {Output::Kind::pdf, "pdf"},     {Output::Kind::standings, "standings"},
    {Output::Kind::ladder, "ladder"},     {Output::Kind::table, "table"},
};
}  // namespace
const char* to_string(Output::Kind value) { return engine::name_in(output_kind_names, value); }
template <>
std::optional<Output::Kind> from_string<Output::Kind>(std::string_view name) {
  return engine::named_in(output_kind_names, name);
}

namespace {
constexpr std::pair<Replaces::What, const char*> replaces_what_names[] = {
    {Replaces::What::nothing, "nothing"},
    {Replaces::What::earlier_answer, "earlier answer"},
    {Replaces::What::other, "other"},
};
}  // namespace
const char* to_string(Replaces::What value) { return engine::name_in(replaces_what_names, value); }
template <>
std::optional<Replaces::What> from_string<Replaces::What>(std::string_view name) {
  return engine::named_in(replaces_what_names, name);
}

}  // namespace lofty
