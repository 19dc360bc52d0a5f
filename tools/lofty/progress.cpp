#include "progress.hpp"

#include <unistd.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <mutex>

#include "lofty/listing.hpp"
#include "terminal.hpp"

namespace tool {
namespace {

using Clock = std::chrono::steady_clock;

std::atomic<bool> line_is_there = false;

void put(std::string_view text) noexcept {
  if (::write(STDERR_FILENO, text.data(), text.size()) < 0) return;  // a line that is for people only
}

std::string duration(double seconds) {
  const long whole = std::lround(std::max(1.0, seconds));
  if (whole < 60) return std::to_string(whole) + " s";
  const long minutes = (whole + 30) / 60;
  return minutes < 60 ? std::to_string(minutes) + " min"
                      : std::to_string(minutes / 60) + " h " + std::to_string(minutes % 60) + " min";
}

// One for the process: a command makes its calls one after the other.
class ProgressLine {
 public:
  // `call`: another call of the library begins with it, of which nothing is done.
  void begin(std::string_view what, bool call = false) {
    const std::scoped_lock lock(mutex_);
    if (call) {
      share_ = 0;
      call_begin_ = Clock::now();
    }
    step_ = what;
    show(true);
  }
  void advance(double share) {
    const std::scoped_lock lock(mutex_);
    if (share < share_) call_begin_ = Clock::now();  // another call
    share_ = share;
    show(false);
  }

 private:
  void show(bool at_once) {
    constexpr std::chrono::milliseconds patience(2000), between(200);
    const auto now = Clock::now();
    if (now - begin_ < patience || (!at_once && now - shown_ < between)) return;
    shown_ = now;
    std::string line = step_.empty() ? "working" : step_;
    if (share_ > 0) line += "  " + std::to_string(static_cast<int>(share_ * 100)) + " %";
    const double spent = std::chrono::duration<double>(now - call_begin_).count();
    if (share_ > 0.05 && share_ < 1 && spent > 1)
      line += ", about " + duration(spent * (1 - share_) / share_) + " left";
    const auto width = static_cast<std::size_t>(std::max(20, looks_of_errors().width));
    if (line.size() >= width) line.resize(width - 1);
    line_is_there = true;
    put("\r\x1b[K" + lofty::safe_for_terminal(line));
  }

  std::mutex mutex_;
  const Clock::time_point begin_ = Clock::now();
  Clock::time_point shown_ = begin_, call_begin_ = begin_;
  std::string step_;
  double share_ = 0;
};

ProgressLine& progress_line() {
  static ProgressLine one;
  return one;
}

}  // namespace

lofty::Run watched(const Resources& resources) {
  lofty::Run run{.threads = resources.threads, .memory = resources.memory, .spill_to = resources.spill_to};
  if (!errors_are_for_people()) return run;
  ProgressLine& line = progress_line();  // which counts from now on
  run.progress = [&line](double share) { line.advance(share); };
  run.step = [&line](std::string_view what) { line.begin(what); };
  return run;
}

void begin_step(const std::string& what) {
  if (errors_are_for_people()) progress_line().begin(what, true);
}

void clear_progress() noexcept {
  if (line_is_there.exchange(false)) put("\r\x1b[K");
}

}  // namespace tool
