#include "order/word_sort.hpp"

#include <dlfcn.h>
#include <hwy/contrib/sort/vqsort.h>
#include <hwy/targets.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cassert>
#include <utility>

namespace lofty::engine {
namespace {

// Below SSE4 the vector sort needs 128 ns a word, the radix sort some 25.
#if HWY_ARCH_X86
constexpr std::int64_t worthwhile = HWY_SSE4 | HWY_AVX2 | HWY_AVX3 | HWY_AVX3_DL;
#else
constexpr std::int64_t worthwhile = ~(std::int64_t{HWY_SCALAR} | HWY_EMU128);
#endif

// Highway, loaded when there is something to sort: its library measures a timer while it is loaded, which takes 3.5 ms,
// longer than many a ladder. Its functions are therefore looked up by name (as the Itanium C++ ABI writes them, which
// Linux has on x86-64 and arm64); where the library is not there, words are sorted by radix.
class Highway {
 public:
  static const Highway& get() {
    static const Highway one;
    return one;
  }
  // Has somebody needed it already?
  static bool loaded() { return loaded_.load(std::memory_order_relaxed); }

  std::int64_t targets() const { return targets_; }  // worthwhile ones, before any was forced
  std::int64_t targets_now() const { return supported_ != nullptr ? supported_() & worthwhile : 0; }
  void force(std::int64_t targets) const {
    if (force_ != nullptr) force_(targets);
  }
  void sort(std::uint64_t* words, std::size_t count) const {
    alignas(hwy::Sorter) char sorter[sizeof(hwy::Sorter)];
    construct_(sorter);
    sort_(sorter, words, count, hwy::SortAscending());
    destroy_(sorter);
  }

 private:
  Highway() {
    loaded_ = true;
    void* const library = ::dlopen(LOFTY_HIGHWAY_SORT_NAME, RTLD_NOW | RTLD_LOCAL);
    if (library == nullptr) return;
    find(library, "_ZN3hwy16SupportedTargetsEv", supported_);
    find(library, "_ZN3hwy26SetSupportedTargetsForTestEl", force_);
    find(library, "_ZN3hwy6SorterC1Ev", construct_);
    find(library, "_ZN3hwy6Sorter6DeleteEv", destroy_);
    find(library, "_ZNK3hwy6SorterclEPmmNS_13SortAscendingE", sort_);
    if (supported_ && force_ && construct_ && destroy_ && sort_) targets_ = targets_now();
  }
  template <class Function>
  static void find(void* library, const char* name, Function*& to) {
    to = reinterpret_cast<Function*>(::dlsym(library, name));
  }

  static inline std::atomic<bool> loaded_{false};
  std::int64_t targets_ = 0;
  std::int64_t (*supported_)() = nullptr;
  void (*force_)(std::int64_t) = nullptr;
  void (*sort_)(const void* self, std::uint64_t* words, std::size_t count, hwy::SortAscending) = nullptr;
  void (*construct_)(void* self) = nullptr;
  void (*destroy_)(void* self) = nullptr;
};

std::atomic<bool> radix_forced{false};

std::int64_t machine_targets() { return Highway::get().targets(); }
std::int64_t usable_targets() { return radix_forced.load(std::memory_order_relaxed) ? 0 : machine_targets(); }

void sort_by_radix(std::uint64_t* words, std::size_t count, std::vector<std::uint64_t>& scratch) {
  std::uint64_t all = ~std::uint64_t{0}, any = 0;
  for (std::size_t i = 0; i < count; ++i) {
    all &= words[i];
    any |= words[i];
  }
  scratch.resize(count);
  std::uint64_t *from = words, *to = scratch.data();
  for (int shift = 0; shift < 64; shift += 8) {
    if (((all ^ any) >> shift & 0xff) == 0) continue;
    std::array<std::size_t, 256> at{};
    for (std::size_t i = 0; i < count; ++i) ++at[from[i] >> shift & 0xff];
    std::size_t sum = 0;
    for (std::size_t& one : at) sum += std::exchange(one, sum);
    for (std::size_t i = 0; i < count; ++i) to[at[from[i] >> shift & 0xff]++] = from[i];
    std::swap(from, to);
  }
  if (from != words) std::copy(from, from + count, words);
}

}  // namespace

void WordSorter::sort(std::uint64_t* words, std::size_t count) {
  constexpr std::size_t few = 128;                // measured: from here on the vectors' set-up pays
  constexpr std::size_t worth_loading = 1 << 15;  // some 0.8 ms by radix
  if (count <= few) return std::sort(words, words + count);
  if ((count < worth_loading && !Highway::loaded()) || usable_targets() == 0)
    return sort_by_radix(words, count, scratch_);
  Highway::get().sort(words, count);
}

std::string word_sort_target() {
  const std::int64_t targets = usable_targets() & Highway::get().targets_now();
  return targets == 0 ? "radix" : hwy::TargetName(targets & -targets);
}

std::vector<std::string> word_sort_targets() {
  std::vector<std::string> names;
  for (std::int64_t rest = machine_targets(); rest != 0; rest &= rest - 1)
    names.emplace_back(hwy::TargetName(rest & -rest));
  names.emplace_back("radix");
  return names;
}

void force_word_sort_target(const std::string& target) {
  const std::int64_t all = machine_targets();
  radix_forced = target == "radix";
  Highway::get().force(0);
  if (radix_forced || target.empty()) return;
  for (std::int64_t rest = all; rest != 0; rest &= rest - 1)
    if (target == hwy::TargetName(rest & -rest)) return Highway::get().force(rest & -rest);
  assert(false && "not a target of this machine");
}

}  // namespace lofty::engine
