// lofty draw: pictures of an answer.

#include <algorithm>
#include <charconv>

#include "calls.hpp"
#include "commands.hpp"
#include "progress.hpp"
#include "terminal.hpp"

namespace tool {
namespace {

namespace fs = std::filesystem;
using lofty::Code;
using lofty::Error;
using lofty::Problem;

lofty::PictureKind kind_of(const std::string& name) {
  if (const auto kind = lofty::from_string<lofty::PictureKind>(name)) return *kind;
  bad_option("--as", name, "--as takes bars, lines, movement or shares", "--as bars", Code::unknown_word);
}

// A file by its ending, or a format for standard output.
struct Target {
  lofty::PictureFormat format = lofty::PictureFormat::svg;
  bool file = false;
};

Target target_of(const std::string& to) {
  const std::string ending = fs::path(to).extension().string();
  const auto format = lofty::picture_format_from(ending.empty() ? to : ending.substr(1));
  if (!format)
    bad_option("--to", to,
               "a picture is an svg, png or pdf file, not `" + (ending.empty() ? to : ending.substr(1)) + "`",
               "--to picture.svg", Code::unknown_word);
  if (ending.empty() && *format != lofty::PictureFormat::svg && output_is_terminal())
    bad_option("--to", to, "a picture is not for a terminal", "--to picture." + to);
  return {*format, !ending.empty()};
}

// "7": rows; "7 days": days.
void apply_smooth(const std::string& text, lofty::PictureOptions& options) {
  std::size_t count = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), count);
  const std::string unit = trimmed(std::string(end, text.data() + text.size()));
  if (error != std::errc() || count == 0 || count > 100'000 || (!unit.empty() && unit != "days" && unit != "rows"))
    bad_option("--smooth", text, "--smooth takes a number of rows or of days", "--smooth 7, or --smooth '7 days'");
  (unit == "days" ? options.smooth_days : options.smooth_rows) = count;
}

lofty::PictureOptions picture_options(const DrawOptions& o) {
  lofty::PictureOptions out;
  out.value = o.value.value_or("");
  out.along = o.along.value_or("");
  if (o.scale) {
    if (*o.scale != "same" && *o.scale != "free")
      bad_option("--scale", *o.scale, "--scale is same or free", "--scale free", Code::unknown_word);
    out.free_scale = *o.scale == "free";
  }
  if (o.smooth) apply_smooth(*o.smooth, out);
  if (o.mark) {
    const auto mark = lofty::Decimal::parse(*o.mark);
    if (!mark || mark->coefficient() <= 0 || *mark > lofty::Decimal(1, 0))
      bad_option("--mark", *o.mark, "--mark takes a share, more than 0 and at most 1", "--mark 0.8");
    out.mark = *mark;
  }
  out.at_most = o.at_most;
  for (const std::string& text : o.place_for) {
    const auto [name, value] = named("--place-for", text, "--place-for spend=4200");
    out.references.emplace_back(name, value_of(value));
  }
  return out;
}

// Options that another kind of picture has are refused rather than passed over.
void refuse_foreign(const DrawOptions& o, lofty::PictureKind kind) {
  using Kind = lofty::PictureKind;
  const auto only = [&](bool given, const char* option, std::initializer_list<Kind> kinds) {
    if (!given || std::find(kinds.begin(), kinds.end(), kind) != kinds.end()) return;
    std::string list;
    for (const Kind one : kinds) list += (list.empty() ? "" : " and ") + std::string(lofty::to_string(one));
    bad_option(option, "", std::string(option) + " is for " + list, "lofty draw --help");
  };
  only(o.along.has_value(), "--along", {Kind::lines});
  only(o.scale.has_value(), "--scale", {Kind::lines});
  only(o.smooth.has_value(), "--smooth", {Kind::lines});
  only(o.mark.has_value(), "--mark", {Kind::shares});
  only(!o.place_for.empty(), "--place-for", {Kind::bars});
  only(o.value.has_value(), "--value", {Kind::bars, Kind::lines, Kind::shares});
}

}  // namespace

int draw(const DrawOptions& options) {
  const lofty::PictureKind kind = kind_of(options.as);
  const Target target = target_of(options.to);
  refuse_foreign(options, kind);
  const lofty::PictureOptions how = picture_options(options);
  const lofty::Detail detail = detail_of(options.remarks);
  Asked asked = ask(options.ladder, options.resources.source, true);
  if (!asked.from_file)
    bad_option("draw", options.ladder, "draw takes a ladder file",
               "NAME.ladder.toml; rank ... --save-ladder NAME.ladder.toml writes one");
  lofty::Ladder& ladder = asked.text.ladder;
  choose_all(ladder, options.choices);
  if (options.title) ladder.title = *options.title;
  if (options.best) {
    if (ladder.levels.size() != 1)
      bad_option("--best", "", "--best is for ladders of one level", "best = 3 in a [[level]]");
    ladder.levels.front().best = options.best;
  }
  if (kind == lofty::PictureKind::shares && how.value.empty()) ladder = lofty::with_running_share(std::move(ladder));

  std::vector<lofty::Output> outputs;
  using Kind = lofty::Output::Kind;
  if (target.file)
    outputs.push_back({"--to", options.to,
                       target.format == lofty::PictureFormat::svg   ? Kind::svg
                       : target.format == lofty::PictureFormat::png ? Kind::png
                                                                    : Kind::pdf});
  try {
    const lofty::TableFiles tables = asked.tables();
    lofty::FileSet inputs = inputs_of(asked, options.ladder, tables);
    checked(outputs, inputs, nullptr, options.replace);
    const lofty::Standings answer = lofty::standings(ladder, tables, watched(options.resources));
    inputs.add(tables.opened());
    const std::vector<lofty::Replaces> replaced = checked(outputs, inputs, &answer, options.replace);
    const lofty::Picture picture = lofty::picture_of(answer, kind, how);
    const std::string bytes =
        lofty::drawn(picture, target.format, {.dark = options.dark, .width = options.width.value_or(960)});
    if (target.file)
      lofty::write_file(options.to, bytes);
    else
      print(bytes);
    remark(lofty::remarks_text(answer.remarks(), looks_of_errors(), detail));
    if (target.file)
      remark("wrote " + options.to + ": " + answer.shown_of_total() + replaced_text(outputs.front(), replaced.front()) +
             "\n");
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    asked.text.locate(problems);
    throw Error(std::move(problems));
  }
  return 0;
}

}  // namespace tool
