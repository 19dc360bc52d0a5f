#pragma once
// How much memory large arrays may take together, and what happens when that is spent.
//
// There is one budget for the process, because memory is what all its threads share. Each array of 64 KiB or more is
// counted. When one more would be too much, arrays that are not written to any longer, and may leave, are moved to a
// file without a name, the oldest first; when that isn't enough, the new one is made there. Such an array keeps its
// address, and the code that uses it does not know. What the system fetches of it again is let go of when the process
// comes near its limit. So the same code runs at any size, and results cannot depend on the limit. Covered by
// tests/base/budget_test.cpp.

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <cstdint>
#include <map>
#include <mutex>
#include <set>
#include <string>

#include "base/spill_file.hpp"
#include "lofty/run.hpp"

namespace lofty::engine {

class Budget {
 public:
  // Arrays of this size and more are counted, and those of that size and more may be made in the file. Bytes; tests
  // make both smaller before the first array is there.
  static std::atomic<std::size_t> counted_from, in_file_from;
  static std::atomic<bool> looks_at_others;  // false: only arrays count
  static Budget& shared();

  // A new array of this size, at least counted_from. Null: take it from the system. Otherwise it is this, which lies in
  // the file. Throws Error(cannot_write) where the file has no room. Thread-safe, as all of these.
  void* place(std::size_t size);
  // An array is given back; false: to the system, and otherwise it is done.
  bool take_back(void* data, std::size_t size);
  // More, or less, is in memory than was said.
  void count(std::ptrdiff_t more) { in_memory_.fetch_add(more, std::memory_order_relaxed); }
  bool has_in_file() const { return any_in_file_.load(std::memory_order_relaxed); }
  bool is_in_file(void* data);  // next to nothing where nothing is
  // This array is not written to any longer. It is of whole pages, which can be mapped.
  void may_leave(void* data, std::size_t size);
  // Would an array of this size go beyond the limit? `waiting`: bytes that were given back and wait to be used again.
  bool is_short_of(std::size_t size, std::size_t waiting);
  // Lets go of what the system fetched from the file, where the process has three quarters of its limit. While
  // something lies there, a thread of the budget's own does so every millisecond.
  void keep_to_limit();
  // The same, for those who come by often: where that thread has not come to it for a while, because all processors are
  // busy. Costs next to nothing where nothing lies in the file.
  void keep_to_limit_in_passing() {
    if (any_in_file_.load(std::memory_order_relaxed)) keep_when_due();
  }

  // These bytes of an array are not looked at for a while: if they lie in the file, their pages are let go of. A page
  // that others look at is fetched again. Costs next to nothing where nothing lies in the file, else microseconds.
  void let_go(const void* data, std::size_t size) {
    if (any_in_file_.load(std::memory_order_relaxed)) let_go_in_file(data, size);
  }

  struct Use {
    std::int64_t limit = 0;          // bytes; the greatest number where there is none
    std::int64_t in_memory = 0;      // now: arrays that are counted
    std::int64_t others = 0;         // now: what else the process has in memory
    std::uint64_t in_file = 0;       // now
    std::uint64_t most_in_file = 0;  // since the outermost run began
    std::string folder;              // of the file
  };
  Use use();
  // The limit of the runs that are going on; half of what is free if none is.
  std::uint64_t limit();

 private:
  friend class MemoryLimit;
  std::int64_t enter(const Run& run);  // for leave()
  void leave(std::int64_t own);
  void keep_when_due();
  void let_go_in_file(const void* data, std::size_t size);
  bool look_after(int round);

  // With the mutex held.
  void know_limit();
  void set_limit();
  std::string folder() const;
  void look_at_others();
  void move_oldest();
  void forget_age(void* data);
  void watch();
  void lies_in_file(void* data, const SpillFile::Stretch& stretch, std::size_t size);

  std::mutex mutex_;
  std::atomic<std::int64_t> in_memory_ = 0;  // what was allocated before the tests changed counted_from may be missing
  std::atomic<std::int64_t> limit_;
  std::atomic<std::int64_t> kept_limit_ = 0;  // for what lies in the file after the last run has ended: that run's
  std::atomic<bool> any_in_file_ = false;
  bool watched_ = false;                // by the thread
  std::atomic<std::int64_t> kept_ = 0;  // when the limit was last seen to: nanoseconds

  std::atomic<std::int64_t> usual_limit_ = 0;  // bytes; 0: not looked up yet
  std::atomic<std::int64_t> others_ = 0;       // bytes in memory that are not counted, when that was last looked at
  std::int64_t looked_ = 0;                    // and when: nanoseconds
  std::atomic<std::uint64_t> runs_ = 0;
  std::multiset<std::int64_t> limits_;  // of the runs that have one
  std::string folder_;
  SpillFile file_;
  struct InFile {
    SpillFile::Stretch stretch;
    std::size_t size = 0;
  };
  std::mutex file_mutex_;  // guards in_file_: pages are let go of while an array is being moved, which takes long
  std::map<void*, InFile> in_file_;
  std::map<std::uint64_t, std::pair<void*, std::size_t>> may_leave_;  // by age
  std::map<void*, std::uint64_t> age_;
  std::uint64_t next_age_ = 0, most_in_file_ = 0;

  Budget();
};

// While one of these lives, arrays keep to what `run` says: Run::memory, else half of what the machine has free when
// the first array is larger than that. Of several, the least counts, whatever thread made them. Costs some nanoseconds.
class MemoryLimit {
 public:
  explicit MemoryLimit(const Run& run) : own_(Budget::shared().enter(run)) {}
  ~MemoryLimit() { Budget::shared().leave(own_); }
  MemoryLimit(const MemoryLimit&) = delete;
  MemoryLimit& operator=(const MemoryLimit&) = delete;

 private:
  std::int64_t own_;
};

// Half of the memory that the machine, or the process's control group, has free now.
std::int64_t half_of_free_memory();

}  // namespace lofty::engine
