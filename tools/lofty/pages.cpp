#include "pages.hpp"

#include <algorithm>
#include <cctype>

#include "progress.hpp"
#include "terminal.hpp"

namespace tool {
namespace {

using lofty::Error;
using lofty::PictureKind;
using lofty::Role;
using lofty::StandingColumn;

// The picture that shows what the answer is about; none where nothing suits.
std::vector<lofty::Picture> suitable(const lofty::Standings& answer) {
  const auto any = [&](const auto& fits) {
    return std::any_of(answer.columns().begin(), answer.columns().end(), fits);
  };
  std::vector<PictureKind> kinds;
  if (any([](const StandingColumn& c) { return c.role == Role::measure && c.name == "was"; }))
    kinds.push_back(PictureKind::movement);
  if (any([](const StandingColumn& c) {
        return c.role == Role::measure && c.measure == lofty::Measure::running_share;
      }))
    kinds.push_back(PictureKind::shares);
  const bool dates = any([](const StandingColumn& c) {
    return c.role == Role::key && (c.type.kind == lofty::Kind::date || c.type.kind == lofty::Kind::timestamp);
  });
  if (answer.levels() > 1 && dates) kinds.push_back(PictureKind::lines);
  const bool places = any([](const StandingColumn& c) { return c.role == Role::place; });
  const bool entries = answer.rows() > 0 && !answer.key(0).empty();
  if (places && entries) kinds.push_back(PictureKind::bars);
  for (const PictureKind kind : kinds) {
    try {
      return {lofty::picture_of(answer, kind)};
    } catch (const Error&) {
      continue;  // too many entries, or nothing to draw: it was not wanted
    }
  }
  return {};
}

std::string quoted_name(const std::string& name) {
  const bool plain = !name.empty() && std::isdigit(static_cast<unsigned char>(name.front())) == 0 &&
                     std::all_of(name.begin(), name.end(),
                                 [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; });
  if (plain) return name;
  std::string out = "\"";
  for (const char c : name) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

std::optional<std::string> literal(const lofty::Value& value) {
  if (std::holds_alternative<lofty::Decimal>(value)) return lofty::to_text(value);
  if (std::holds_alternative<lofty::Date>(value)) return "date '" + lofty::to_text(value) + "'";
  const auto* const text = std::get_if<std::string>(&value);
  if (text == nullptr) return std::nullopt;
  std::string out = "'";
  for (const char c : *text) out += c == '\'' ? std::string("''") : std::string(1, c);
  return out + "'";
}

// "shop_no = 17 and valley is null": the entry of a listed row. Nothing for keys that no formula can spell.
std::optional<std::string> condition_of(const lofty::Standings& answer, std::size_t row) {
  std::string out;
  for (const auto& [name, value] : answer.key(row)) {
    const auto text = lofty::is_null(value) ? std::optional<std::string>() : literal(value);
    if (!lofty::is_null(value) && !text) return std::nullopt;
    out += (out.empty() ? "" : " and ") + quoted_name(name) + (text ? " = " + *text : " is null");
  }
  return out.empty() ? std::nullopt : std::optional(out);
}

std::vector<lofty::Workings> workings_of(const lofty::Ladder& ladder, const lofty::TableFiles& tables,
                                         const lofty::Standings& answer, const PageChoices& choices) {
  // Each of the workings reads the files again. How many there are depends on the rows, never on the time that the
  // answer took: the same call makes the same page on a busy machine.
  std::vector<lofty::Workings> out;
  const bool small = answer.accounting().read <= most_rows_for_workings;
  const std::size_t count = choices.workings.value_or(small ? 10 : 0);
  if (count == 0 || ladder.levels.empty() || ladder.levels.front().each.empty() || !ladder.crossed.empty()) return out;
  for (std::size_t row = 0; row < answer.rows() && out.size() < count; ++row) {
    if (answer.level(row) != 0) continue;
    try {
      if (const auto condition = condition_of(answer, row))
        out.push_back(lofty::why(ladder, tables, *condition, watched(choices.resources)));
    } catch (const Error&) {
      continue;  // an entry that cannot be named apart has no workings here
    }
  }
  return out;
}

}  // namespace

lofty::PageAnswer page_answer(const lofty::Ladder& ladder, const lofty::TableFiles& tables,
                              const lofty::Standings& answer, const PageChoices& choices) {
  lofty::PageAnswer out(answer);
  out.choices = lofty::choices_of(ladder);
  out.locale = ladder.data.locale;
  if (!choices.no_pictures) {
    for (const PictureKind kind : choices.pictures) out.pictures.push_back(lofty::picture_of(answer, kind));
    if (choices.pictures.empty()) out.pictures = suitable(answer);
  }
  out.workings = workings_of(ladder, tables, answer, choices);
  return out;
}

void put_page(std::vector<lofty::PageAnswer> answers, const PageChoices& choices, const std::string& title,
              const lofty::TextSink& sink) {
  const lofty::PageOptions options{.title = title, .most_rows = choices.most_rows};
  try {
    return lofty::page(answers, sink, options);
  } catch (const Error& error) {
    if (!lofty::is_fault_of_drawing(error.code()) || !choices.pictures.empty()) throw;
    const lofty::Problem& p = error.problems().front();
    remark("page-without-pictures: " + p.sentence + (p.advice.empty() ? "" : "; " + std::string(p.advice)) + "\n");
  }
  for (lofty::PageAnswer& answer : answers) answer.pictures.clear();
  lofty::page(answers, sink, options);
}

}  // namespace tool
