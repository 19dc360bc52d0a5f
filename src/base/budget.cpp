#include "base/budget.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <limits>
#include <new>
#include <optional>
#include <string_view>
#include <system_error>
#include <thread>
#include <utility>

#include "base/pages.hpp"
#include "lofty/memory.hpp"

namespace lofty::engine {
namespace {

constexpr std::int64_t no_limit = std::numeric_limits<std::int64_t>::max();
constexpr std::int64_t look_from = 64 * 1024 * 1024;  // bytes: less is there on any machine
constexpr std::int64_t page = 4096;
// Shares of a limit. Up to a half no call looks at more than a counter; beyond five eighths memory that waits for its
// next use is given up. Arrays get eleven sixteenths, and one more is for pages of the file: what lies there becomes
// resident sixteen pages at a time, a quarter of a gigabyte in ten milliseconds, before it is let go of.
constexpr std::int64_t sixteenths_unwatched = 8, sixteenths_with_waiting = 10, sixteenths_for_arrays = 11,
                       sixteenths_resident = 12;
std::int64_t share(std::int64_t limit, std::int64_t sixteenths) { return limit / 16 * sixteenths; }

constexpr std::int64_t with_folder = -1;  // instead of a run's limit: it has a folder of its own, and no limit

std::int64_t now() { return std::chrono::steady_clock::now().time_since_epoch().count(); }  // nanoseconds

// True on a thread that works in the budget: what it allocates and gives back there is small, and must not ask it.
thread_local bool inside_budget = false;

class InBudget {
 public:
  explicit InBudget(std::mutex& mutex) : lock_(mutex) { inside_budget = true; }
  ~InBudget() { inside_budget = false; }
  InBudget(const InBudget&) = delete;
  InBudget& operator=(const InBudget&) = delete;

 private:
  const std::lock_guard<std::mutex> lock_;
};

// The beginning of a small file of the system; empty where it is not there. Without an allocation: this is where memory
// comes from.
class SystemText {
 public:
  explicit SystemText(const char* path) {
    const int file = ::open(path, O_RDONLY | O_CLOEXEC);
    if (file < 0) return;
    const ssize_t size = ::read(file, text_, sizeof text_ - 1);
    ::close(file);
    if (size > 0) text_[size] = 0;
  }
  // The number that follows this word, or the first of the file; nothing where there is none.
  std::optional<std::int64_t> number(const char* after = "") const {
    const char* const word = std::strstr(text_, after);
    if (word == nullptr) return {};
    const char* const begin = word + std::strlen(after);
    char* end = nullptr;
    const long long value = std::strtoll(begin, &end, 10);
    return end == begin ? std::optional<std::int64_t>() : value;
  }
  // What follows this word, up to the end of its line; empty where it is not there.
  std::string_view line_after(const char* word) const {
    const char* const found = std::strstr(text_, word);
    if (found == nullptr) return {};
    const std::string_view rest(found + std::strlen(word));
    return rest.substr(0, rest.find('\n'));
  }
  // The numbers that it begins with: one of them.
  std::int64_t nth(int which) const {
    const char* at = text_;
    char* end = nullptr;
    for (; which > 0; --which, at = end) std::strtoll(at, &end, 10);
    return std::strtoll(at, &end, 10);
  }

 private:
  char text_[1024] = {};
};

}  // namespace

std::atomic<std::size_t> Budget::counted_from = 64 * 1024;
std::atomic<std::size_t> Budget::in_file_from = 1024 * 1024;
std::atomic<bool> Budget::looks_at_others = true;

std::int64_t half_of_free_memory() {
  std::int64_t free = no_limit;
  if (const auto kib = SystemText("/proc/meminfo").number("MemAvailable:")) free = *kib * 1024;

  // The process's control group may have less than the machine; some of what it uses can be given up. In a container
  // the group's own folder is the root of what is mounted.
  const SystemText groups("/proc/self/cgroup");
  const std::string_view first = groups.line_after(":memory:"), second = groups.line_after("0::");
  const auto look = [&](const char* root, std::string_view group, const char* most_name, const char* used_name) {
    char path[512];
    const auto number = [&](const char* name) {
      std::snprintf(path, sizeof path, "%s%.*s/%s", root, static_cast<int>(group.size()), group.data(), name);
      return SystemText(path).number();
    };
    if (const auto most = number(most_name))
      free = std::min(free, std::max(*most / 4, *most - number(used_name).value_or(0)));
  };
  for (const std::string_view group : {first, std::string_view()})
    look("/sys/fs/cgroup/memory", group, "memory.limit_in_bytes", "memory.usage_in_bytes");
  for (const std::string_view group : {second, std::string_view()})
    look("/sys/fs/cgroup", group, "memory.max", "memory.current");
  return free == no_limit ? no_limit : free / 2;
}

Budget::Budget() : limit_(look_from) {
  // A child process has a copy of all this, but not the thread; and no lock may be held at that moment.
  ::pthread_atfork(
      [] {
        shared().mutex_.lock();
        shared().file_mutex_.lock();
      },
      [] {
        shared().file_mutex_.unlock();
        shared().mutex_.unlock();
      },
      [] {
        for (auto& [data, one] : shared().in_file_) one.stretch.of_parent = true;
        shared().file_.leave_to_parent();
        shared().watched_ = false;
        shared().file_mutex_.unlock();
        shared().mutex_.unlock();
      });
}

std::string Budget::folder() const { return folder_.empty() ? temporary_folder() : folder_; }

Budget& Budget::shared() {
  // It outlives every static that still gives memory back; and does not need `new`, which may be what needs it.
  alignas(Budget) static unsigned char memory[sizeof(Budget)];
  static auto* const instance = new (memory) Budget;
  return *instance;
}

void Budget::set_limit() {
  limit_ = !limits_.empty() ? *limits_.begin() : usual_limit_ > 0 ? usual_limit_.load() : look_from;
  kept_limit_ = limit_.load();
}

void Budget::know_limit() {
  if (!limits_.empty() || usual_limit_ > 0) return;
  usual_limit_ = half_of_free_memory();
  set_limit();
}

std::int64_t Budget::enter(const Run& run) {
  if (run.memory == 0 && run.spill_to.empty()) {
    ++runs_;
    return 0;
  }
  const InBudget in_budget(mutex_);
  if (runs_++ == 0) most_in_file_ = file_.bytes();
  if (!run.spill_to.empty() && file_.bytes() == 0) folder_ = run.spill_to;
  const auto own = static_cast<std::int64_t>(std::min<std::uint64_t>(run.memory, no_limit));
  if (own > 0) limits_.insert(own);
  set_limit();
  return own > 0 ? own : with_folder;
}

void Budget::leave(std::int64_t own) {
  const bool last = --runs_ == 0;
  if (own == 0 && !(last && usual_limit_ > 0)) return;
  const InBudget in_budget(mutex_);
  if (own > 0) limits_.erase(limits_.find(own));
  if (last) {
    usual_limit_ = 0;  // something else may be free next time
    folder_.clear();
  }
  const std::int64_t kept = kept_limit_;
  set_limit();
  if (last) kept_limit_ = kept;  // for what still lies in the file
}

bool Budget::is_short_of(std::size_t size, std::size_t waiting) {
  const std::int64_t wanted = in_memory_ + static_cast<std::int64_t>(std::max(size, waiting));
  if (runs_ == 0 || wanted <= share(limit_, sixteenths_with_waiting) || inside_budget) return false;
  const InBudget in_budget(mutex_);
  know_limit();
  return wanted > share(limit_, sixteenths_with_waiting);
}

void* Budget::place(std::size_t size) {
  const auto more = static_cast<std::int64_t>(size);
  const std::int64_t with_it = in_memory_.fetch_add(more, std::memory_order_relaxed) + more;
  if (with_it <= share(limit_.load(std::memory_order_relaxed), sixteenths_unwatched) || inside_budget ||
      runs_.load(std::memory_order_relaxed) == 0)
    return nullptr;
  const InBudget in_budget(mutex_);
  know_limit();
  if (with_it <= share(limit_, sixteenths_unwatched)) return nullptr;
  try {
    look_at_others();
    const auto is_spent = [&] { return in_memory_ + others_ > share(limit_, sixteenths_for_arrays); };
    while (is_spent() && !may_leave_.empty()) move_oldest();
    if (!is_spent() || size < in_file_from) return nullptr;
    constexpr auto unit = static_cast<std::size_t>(page);
    const std::size_t mapped = (size + unit - 1) / unit * unit;
    const SpillFile::Stretch stretch = file_.map(mapped, folder());
    in_memory_ -= more;
    lies_in_file(stretch.data, stretch, mapped);
    return stretch.data;
  } catch (...) {
    in_memory_ -= more;
    throw;
  }
}

// The oldest of those that may leave memory moves to the file.
void Budget::move_oldest() {
  const auto [data, size] = may_leave_.begin()->second;
  const SpillFile::Stretch stretch = file_.move(static_cast<char*>(data), size, folder());
  forget_age(data);
  in_memory_ -= static_cast<std::int64_t>(size);
  lies_in_file(data, stretch, size);
}

// What is in memory besides the arrays that are counted: small ones, and what the C library keeps for later.
void Budget::look_at_others() {
  if (!looks_at_others) {
    others_ = 0;
    return;
  }
  constexpr std::int64_t pause = 1'000'000;  // nanoseconds
  if (now() - looked_ < pause) return;
  looked_ = now();
  const SystemText pages("/proc/self/statm");  // mapped, resident, and of these a file's
  others_ = std::max<std::int64_t>(0, (pages.nth(1) - pages.nth(2)) * page - in_memory_);
}

void Budget::forget_age(void* data) {
  const auto known = age_.find(data);
  if (known == age_.end()) return;
  may_leave_.erase(known->second);
  age_.erase(known);
}

void Budget::may_leave(void* data, std::size_t size) {
  const InBudget in_budget(mutex_);
  if (age_.contains(data)) return;
  {
    const std::lock_guard lock(file_mutex_);
    if (in_file_.contains(data)) return;
  }
  age_.emplace(data, next_age_);
  may_leave_.emplace(next_age_++, std::pair{data, size});
}

bool Budget::take_back(void* data, std::size_t size) {
  const InBudget in_budget(mutex_);
  if (any_in_file_) {
    const std::lock_guard lock(file_mutex_);
    if (const auto there = in_file_.find(data); there != in_file_.end()) {
      file_.unmap(there->second.stretch, there->second.size);
      in_file_.erase(there);
      any_in_file_ = !in_file_.empty();
      return true;
    }
  }
  forget_age(data);
  in_memory_ -= static_cast<std::int64_t>(size);
  return false;
}

bool Budget::is_in_file(void* data) {
  if (!any_in_file_.load(std::memory_order_relaxed) || inside_budget ||
      reinterpret_cast<std::uintptr_t>(data) % static_cast<std::uintptr_t>(page) != 0)
    return false;
  const InBudget in_budget(file_mutex_);
  return in_file_.contains(data);
}

void Budget::keep_when_due() {
  constexpr std::int64_t overdue = 3'000'000;
  if (now() - kept_.load(std::memory_order_relaxed) > overdue) keep_to_limit();
}

void Budget::keep_to_limit() {
  kept_ = now();
  const SystemText pages("/proc/self/statm");  // mapped, resident, and of these a file's
  const std::int64_t resident = pages.nth(1) * page, of_files = pages.nth(2) * page;
  const std::int64_t limit = kept_limit_.load(std::memory_order_relaxed);
  constexpr std::int64_t not_worth_it = 32;  // a share of the limit: what is left is the program itself
  if (resident <= share(limit, sixteenths_resident) || of_files <= limit / not_worth_it) return;
  const InBudget in_budget(file_mutex_);
  for (const auto& [data, one] : in_file_) SpillFile::let_go(one.stretch, one.size);
}

void Budget::let_go_in_file(const void* data, std::size_t size) {
  constexpr std::uintptr_t at_once = 64 * 1024;  // the system fetches so many bytes around the one that is wanted
  const InBudget in_budget(file_mutex_);
  auto found = in_file_.upper_bound(const_cast<void*>(data));
  if (found == in_file_.begin()) return;
  const auto& [array, one] = *--found;
  const auto begin = reinterpret_cast<std::uintptr_t>(array), end = begin + one.size;
  const auto from = reinterpret_cast<std::uintptr_t>(data), to = from + size;
  if (from >= end) return;
  const std::uintptr_t first = std::max(begin, from / at_once * at_once);
  const std::uintptr_t last = std::min(end, (to + at_once - 1) / at_once * at_once);
  SpillFile::let_go({.data = reinterpret_cast<char*>(first), .offset = 0}, last - first);
}

// Starts the thread that lets go of pages until nothing lies in the file. Where the system gives no thread, that is
// left to keep_to_limit_in_passing().
void Budget::watch() {
  if (std::exchange(watched_, true)) return;

  // Signals are for the program's own threads.
  sigset_t all, before;
  sigfillset(&all);
  ::pthread_sigmask(SIG_SETMASK, &all, &before);
  try {
    std::thread([this] {
      for (int round = 1; look_after(round); ++round) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }).detach();
  } catch (const std::system_error&) {
    watched_ = false;
  }
  ::pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

// One round of that thread; false: it was the last.
bool Budget::look_after(int round) {
  constexpr int rounds_apart = 128;
  keep_to_limit();
  if (round % rounds_apart == 0 && in_memory_ + others_ > share(kept_limit_, sixteenths_resident))
    give_back_freed_parts();
  const std::unique_lock lock(mutex_, std::try_to_lock);
  if (!lock) return true;  // an array is being moved
  look_at_others();
  return watched_ = any_in_file_;
}

void Budget::lies_in_file(void* data, const SpillFile::Stretch& stretch, std::size_t size) {
  {
    const std::lock_guard lock(file_mutex_);
    in_file_.emplace(data, InFile{stretch, size});
  }
  any_in_file_ = true;
  most_in_file_ = std::max(most_in_file_, file_.bytes());
  watch();
}

Budget::Use Budget::use() {
  const InBudget in_budget(mutex_);
  looked_ = 0;
  look_at_others();
  return {runs_ > 0 ? limit_.load() : no_limit, in_memory_, others_, file_.bytes(), most_in_file_, folder()};
}

std::uint64_t Budget::limit() {
  const InBudget in_budget(mutex_);
  if (runs_ > 0) know_limit();
  return static_cast<std::uint64_t>(runs_ > 0 ? limit_.load() : half_of_free_memory());
}

}  // namespace lofty::engine

namespace lofty {

MemoryForecast memory_forecast(double bytes, const Run& run) {
  MemoryForecast out;
  out.limit = run.memory > 0 ? run.memory : static_cast<std::uint64_t>(engine::half_of_free_memory());
  if (bytes > static_cast<double>(out.limit)) out.in_file = static_cast<std::uint64_t>(bytes) - out.limit;
  out.folder = run.spill_to.empty() ? engine::temporary_folder() : run.spill_to;
  std::error_code error;
  if (const auto space = std::filesystem::space(out.folder, error); !error) out.room = space.available;
  return out;
}

}  // namespace lofty
