#include "order/word_sort.hpp"

#include <dlfcn.h>
#include <hwy/contrib/sort/vqsort.h>
#include <hwy/targets.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cassert>
#include <utility>

namespace lofty::engine {
namespace {

// Below SSE4 the vector sort needs 128 ns a word.
#if HWY_ARCH_X86
constexpr std::int64_t worthwhile = HWY_SSE4 | HWY_AVX2 | HWY_AVX3 | HWY_AVX3_DL, wide = HWY_AVX3 | HWY_AVX3_DL;
#else
constexpr std::int64_t worthwhile = ~(std::int64_t{HWY_SCALAR} | HWY_EMU128), wide = 0;
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
  // Has it been needed already?
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

std::atomic<bool> radix_forced{false}, vectors_forced{false};

std::int64_t machine_targets() { return Highway::get().targets(); }
std::int64_t usable_targets() { return radix_forced.load(std::memory_order_relaxed) ? 0 : machine_targets(); }

// Where words differ, above the bits that rise anyway.
struct Differing {
  int from = 0, bits = 0;
};

Differing differing(const std::uint64_t* words, std::size_t count, int rising) {
  std::uint64_t all = ~std::uint64_t{0}, any = 0;
  for (std::size_t i = 0; i < count; ++i) {
    all &= words[i];
    any |= words[i];
  }
  const std::uint64_t different = (all ^ any) >> rising << rising;
  if (different == 0) return {};
  const int from = std::countr_zero(different);
  return {from, static_cast<int>(std::bit_width(different)) - from};
}

// Digits of up to 11 bits: their 2,048 counts fit the first-level cache. Few words don't pay for so many.
constexpr int widest_digit = 11;
int digits_of(int bits, std::size_t count) {
  const int widest = std::clamp(static_cast<int>(std::bit_width(count)) - 1, 4, widest_digit);
  return (bits + widest - 1) / widest;
}

void sort_by_radix(std::uint64_t* words, std::size_t count, const Differing& where, int digits,
                   std::vector<std::uint64_t>& scratch) {
  if (where.bits == 0) return;
  if (scratch.size() < count) scratch.resize(count);
  const int width = (where.bits + digits - 1) / digits;
  const std::uint64_t mask = (std::uint64_t{1} << width) - 1;
  std::array<std::uint32_t, std::size_t{1} << widest_digit> at;
  std::uint64_t *from = words, *to = scratch.data();
  for (int digit = 0; digit < digits; ++digit) {
    const int shift = where.from + digit * width;
    std::fill_n(at.begin(), mask + 1, 0);
    for (std::size_t i = 0; i < count; ++i) ++at[from[i] >> shift & mask];
    std::uint32_t sum = 0;
    for (std::size_t i = 0; i <= mask; ++i) sum += std::exchange(at[i], sum);
    for (std::size_t i = 0; i < count; ++i) to[at[from[i] >> shift & mask]++] = from[i];
    std::swap(from, to);
  }
  if (from != words) std::copy(from, from + count, words);
}

}  // namespace

void WordSorter::sort(std::uint64_t* words, std::size_t count, int rising) {
  constexpr std::size_t few = 128;                // measured: from here on the set-up of the others pays
  constexpr std::size_t worth_loading = 1 << 20;  // Highway saves some 3 ns a word, and takes 3.5 ms to load
  if (count <= few) return std::sort(words, words + count);
  const Differing where = differing(words, count, rising);
  const int digits = digits_of(where.bits, count);
  if (vectors_forced.load(std::memory_order_relaxed)) return Highway::get().sort(words, count);
  // Measured in buckets of 300 to 20,000 words: a digit takes 2 to 3 ns a word, Highway's sort 6 with AVX-512, 12 with
  // AVX2.
  const bool may_load = in_all_ >= worth_loading || Highway::loaded();
  if (digits <= 2 || !may_load) return sort_by_radix(words, count, where, digits, scratch_);
  const std::int64_t targets = usable_targets();
  const int most_digits = targets == 0 ? 64 : (targets & wide) != 0 ? 2 : 4;
  if (digits <= most_digits) return sort_by_radix(words, count, where, digits, scratch_);
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
  vectors_forced = !radix_forced && !target.empty();
  Highway::get().force(0);
  if (radix_forced || target.empty()) return;
  for (std::int64_t rest = all; rest != 0; rest &= rest - 1)
    if (target == hwy::TargetName(rest & -rest)) return Highway::get().force(rest & -rest);
  assert(false && "not a target of this machine");
}

}  // namespace lofty::engine
