#include "order/word_sort.hpp"

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

std::atomic<bool> radix_forced{false};

// Before any is forced.
std::int64_t machine_targets() {
  static const std::int64_t targets = hwy::SupportedTargets() & worthwhile;
  return targets;
}

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

struct WordSorter::Vectors {
  hwy::Sorter sorter;
};

WordSorter::WordSorter() = default;
WordSorter::~WordSorter() = default;

void WordSorter::sort(std::uint64_t* words, std::size_t count) {
  constexpr std::size_t few = 128;  // measured: from here on the vectors' set-up pays
  if (count <= few) return std::sort(words, words + count);
  if (usable_targets() == 0) return sort_by_radix(words, count, scratch_);
  if (!vectors_) vectors_ = std::make_unique<Vectors>();
  vectors_->sorter(words, count, hwy::SortAscending());
}

std::string word_sort_target() {
  const std::int64_t targets = usable_targets() & hwy::SupportedTargets();
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
  hwy::SetSupportedTargetsForTest(0);
  if (radix_forced || target.empty()) return;
  for (std::int64_t rest = all; rest != 0; rest &= rest - 1)
    if (target == hwy::TargetName(rest & -rest)) return hwy::SetSupportedTargetsForTest(rest & -rest);
  assert(false && "not a target of this machine");
}

}  // namespace lofty::engine
