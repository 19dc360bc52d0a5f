#include "remark/window_remarks.hpp"

#include <algorithm>

#include "question/prose.hpp"
#include "remark/sentence.hpp"

namespace lofty::engine {
namespace {

class WindowRemarks {
 public:
  WindowRemarks(const LevelAnswer& answer, std::vector<Remark>& out) : a_(answer), names_(answer.names()), out_(out) {}

  void all() {
    of_entries_ = false;
    each(a_.question.row_windows, a_.entries.windows.notes, true);
    of_entries_ = true;
    each(a_.question.entry_windows, a_.window_notes, a_.question.row_level());
    for (const auto& [name, tiers] : a_.places.split_tiers) split(quoted(name), tiers);
  }

 private:
  void say(const char* code, std::string sentence) { out_.push_back({code, std::move(sentence)}); }

  // Windows over the same frame are spoken of together.
  void each(const std::vector<WindowUse>& uses, const std::vector<WindowNotes>& notes, bool rows) {
    std::vector<bool> said(notes.size(), false);
    for (std::size_t w = 0; w < notes.size(); ++w) {
      if (said[w]) continue;
      std::vector<std::string> calls;
      for (std::size_t other = w; other < notes.size(); ++other)
        if (frame_signature(*uses[other].call) == frame_signature(*uses[w].call) && speaks(*uses[other].call)) {
          said[other] = true;
          calls.push_back(quoted(uses[other].call->text));
        }
      if (!calls.empty()) one(*uses[w].call, calls, notes[w], rows);
      if (!notes[w].split_tiers.empty()) split(quoted(uses[w].call->text), notes[w].split_tiers);
    }
    undecided(uses, notes, rows);
  }
  // One remark for all whose values the input's order decides; that of most rows has the examples.
  void undecided(const std::vector<WindowUse>& uses, const std::vector<WindowNotes>& notes, bool rows) {
    std::vector<std::string> calls;
    const WindowNotes* most = nullptr;
    const WindowCall* call = nullptr;
    for (std::size_t w = 0; w < notes.size(); ++w) {
      if (notes[w].undecided == 0) continue;
      calls.push_back(quoted(uses[w].call->text));
      if (most != nullptr && notes[w].undecided <= most->undecided) continue;
      most = &notes[w];
      call = uses[w].call.get();
    }
    if (most == nullptr) return;
    const auto name = [&](std::uint32_t row) {
      return of_entries_ ? names_.entry_name(row) : a_.joined->origin_of(row).short_text();
    };
    say("input-decides",
        counted_of(most->undecided, rows) + " are equal along " + keys(call->order) + " (" + name(most->one) + " and " +
            name(most->other) + " for two), so that the order of the " + "input decides " + listed(calls) +
            (most->would_decide.empty()
                 ? std::string("; a further key in its `order by` would settle it")
                 : "; " + quoted(most->would_decide) + " as a further key in `order by` would settle it"));
  }

  // The first row of a frame that was not written is the partition's, whatever the order does to its end.
  static bool speaks(const WindowCall& call) {
    return call.uses_frame() && (call.frame_written || call.function != WindowFunction::first_value);
  }

  std::string counted_of(std::size_t count, bool rows) const {
    return rows ? counted(count, names_.row_noun()) : names_.counted_entries(count);
  }

  // Where keep.where leaves entries out, those whose frames are short may be among them.
  std::size_t listed_short_frames(const WindowNotes& notes, bool rows) const {
    const bool of_entries = !rows || a_.question.row_level();
    if (a_.kept.passes.empty() || !of_entries || notes.short_rows.size() < notes.short_frames)
      return notes.short_frames;
    std::vector<std::uint32_t> kept;  // as the notes number them
    for (std::uint32_t e = 0; e < a_.entries.count; ++e)
      if (a_.kept.lets_through(e)) kept.push_back(of_entries_ ? e : a_.entries.first_rows[e]);
    std::sort(kept.begin(), kept.end());
    return static_cast<std::size_t>(std::count_if(notes.short_rows.begin(), notes.short_rows.end(), [&](auto row) {
      return std::binary_search(kept.begin(), kept.end(), row);
    }));
  }

  static std::string keys(const std::vector<WindowKey>& of) {
    std::vector<std::string> names;
    for (const WindowKey& key : of) names.push_back(quoted(key.text));
    return listed(names);
  }

  void one(const WindowCall& call, const std::vector<std::string>& calls, const WindowNotes& notes, bool rows) {
    const std::string written = listed(calls);
    const bool several = calls.size() > 1;
    if (!call.frame_written && !call.order.empty()) {
      const std::string start =
          call.partition.empty() ? "the first one" : "the first one of the same " + keys(call.partition);
      if (notes.sharing > 0)
        say("peers-share", written + (several ? " run along " : " runs along ") + keys(call.order) + ", and " +
                               counted_of(notes.sharing, rows) + " share one value with their peers (up to " +
                               with_commas(notes.largest_peers) + " at a time), because no frame is written; " +
                               "`rows between unbounded preceding and current row` tells them apart, one by one");
      if (notes.runs)
        say("running-not-total", written + (several ? " run: from " : " runs: from ") + start + " along " +
                                     keys(call.order) +
                                     " to the row itself, because no frame is written; without `order by` " +
                                     (several ? "they would be totals" : "it would be the total"));
    }

    // Frames that a group's ends cut short.
    if (const std::size_t short_ones = listed_short_frames(notes, rows); short_ones > 0)
      say("short-frames",
          "of " + counted_of(short_ones, rows) + " the frame of " + written + " is shorter than it asks for, because " +
              (call.partition.empty() ? "there is nothing" : "their " + keys(call.partition) + " has nothing") +
              " beyond: what is there was used");

    // Rows that are counted where days may be meant.
    if (notes.missing_days + notes.doubled_days > 0) {
      const std::string day = call.order.front().text;
      std::string what;
      if (notes.missing_days > 0)
        what = counted(notes.missing_days, "day") + (notes.missing_days == 1 ? " is" : " are") + " missing";
      if (notes.doubled_days > 0)
        what += (what.empty() ? "" : " and ") + counted(notes.doubled_days, "day") +
                (notes.doubled_days == 1 ? " occurs" : " occur") + " more than once";
      say("rows-over-days",
          written + (several ? " count" : " counts") + " rows, not days: along " + quoted(day) + " " + what +
              "; `range between interval '6' day preceding and current row` counts days" +
              (of_entries_ && notes.missing_days > 0 && !a_.question.row_level()
                   ? ", and `fill = \"day\"` under [rank], with coalesce(..., 0) in the total, has an "
                     "entry for each of them"
                   : ""));
    }
  }

  void split(const std::string& what, const std::vector<std::uint32_t>& tiers) {
    if (tiers.empty()) return;
    std::vector<std::string> names;
    for (const std::uint32_t tier : tiers) {
      if (names.size() == 3) break;
      names.push_back(std::to_string(tier) + "|" + std::to_string(tier + 1));
    }
    if (tiers.size() > names.size()) names.push_back(counted(tiers.size() - names.size(), "other"));
    say("tiers-split",
        "in " + what + " a tie is split between tiers " + listed(names) + ": equal entries are on both sides");
  }

  const LevelAnswer& a_;
  const Names names_;
  bool of_entries_ = false;  // do the notes that are looked at number entries, or rows of the relation?
  std::vector<Remark>& out_;
};

}  // namespace

void add_window_remarks(const LevelAnswer& answer, std::vector<Remark>& out) { WindowRemarks(answer, out).all(); }

}  // namespace lofty::engine
