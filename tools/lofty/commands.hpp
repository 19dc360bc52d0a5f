#pragma once
// What each command does, once its options are read.

#include <optional>
#include <string>
#include <vector>

#include "option_texts.hpp"
#include "resources.hpp"

namespace tool {

struct InspectOptions : TableOptions {
  std::vector<std::string> tables;
  std::optional<std::string> where;
  std::optional<std::size_t> first, last, sample, seed;
  Resources resources = {};
};

struct RankOptions : TableOptions {
  std::vector<std::string> sources;  // a ladder file, or a table; or several ladder files
  const std::string& source() const { return sources.front(); }
  std::vector<std::string> formats, bars, pictures, joins, figures, totals, windows, named_windows, also, headings,
      choices, each, within, columns, periods, put_first, put_last, sequences, text_orders, place_for;
  std::optional<std::string> title, where, by, tiebreak, ties, rank_as, cut, order, alternative, locale, zone, having,
      eligible, keep_where;
  std::optional<int> first_month;
  std::optional<std::string> best, worst, include, fill, compare;
  std::optional<std::size_t> first, last, sample, seed, workings, page_rows;
  std::optional<std::string> stage, save_standings, expect, remarks;
  std::string to, save_ladder;
  Resources resources = {};
  bool unranked = false, others = false, replace = false, guard_cells = false, whole_ties = false, no_pictures = false;
};

struct WhyOptions {
  std::string ladder, condition;
  std::vector<std::string> choices;
  std::size_t lines = 20;
  Resources resources = {};
};

struct TranslateOptions {
  std::string ladder;
  std::vector<std::string> choices;
  SourceOptions source;
};

struct CostOptions {
  std::string ladder;
  std::vector<std::string> choices;
  bool run = false, measure_again = false;
  Resources resources = {};
};

struct DrawOptions {
  std::string ladder, as, to;
  std::optional<std::string> value, along, scale, smooth, mark, title, remarks;
  std::optional<std::size_t> at_most, best;
  std::optional<int> width;
  std::vector<std::string> choices, place_for;
  bool dark = false, replace = false;
  Resources resources = {};
};

struct DemoOptions {
  std::optional<std::string> to;  // the folder that the page and the pictures go into
};

struct CheckOptions {
  std::vector<std::string> ladders;
  SourceOptions source;
};

// Each returns an exit status, or throws lofty::Error.
int inspect(const InspectOptions& options);
int rank(const RankOptions& options);
int why(const WhyOptions& options);
int check(const CheckOptions& options);
int translate(const TranslateOptions& options);
int cost(const CostOptions& options);
int draw(const DrawOptions& options);
int functions(const std::string& word);
int demo(const DemoOptions& options);

}  // namespace tool
