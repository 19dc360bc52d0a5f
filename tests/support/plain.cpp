#include "support/plain.hpp"

#include <sstream>

namespace plain {

std::vector<std::vector<std::string>> read_csv(const std::string& text) {
  std::vector<std::vector<std::string>> rows;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) {
    std::vector<std::string> row(1);
    for (const char c : line) {
      if (c == ',')
        row.emplace_back();
      else
        row.back() += c;
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

std::vector<std::optional<double>> places(std::size_t size, lofty::Ties ties,
                                          const std::function<bool(std::size_t, std::size_t)>& better,
                                          const std::function<bool(std::size_t, std::size_t)>& sooner,
                                          const std::function<bool(std::size_t)>& unranked) {
  std::vector<std::optional<double>> out(size);
  for (std::size_t i = 0; i < size; ++i) {
    if (unranked(i)) continue;
    double ahead = 0, level = 0, ordinal = 1;
    std::vector<std::size_t> heads;  // one of each different value that is ahead
    for (std::size_t k = 0; k < size; ++k) {
      if (unranked(k)) continue;
      if (better(k, i)) {
        ++ahead;
        bool seen = false;
        for (const std::size_t h : heads) seen = seen || (!better(h, k) && !better(k, h));
        if (!seen) heads.push_back(k);
      } else if (!better(i, k)) {
        ++level;
        ordinal += k != i && sooner(k, i);
      }
    }
    switch (ties) {
      case lofty::Ties::competition: out[i] = ahead + 1; break;
      case lofty::Ties::modified: out[i] = ahead + level; break;
      case lofty::Ties::dense: out[i] = static_cast<double>(heads.size()) + 1; break;
      case lofty::Ties::ordinal: out[i] = ahead + ordinal; break;
      case lofty::Ties::fractional: out[i] = ahead + (level + 1) / 2; break;
    }
  }
  return out;
}

int compare(const lofty::Value& a, const lofty::Value& b, bool descending) {
  if (lofty::is_null(a) || lofty::is_null(b)) return lofty::is_null(a) - lofty::is_null(b);
  const int order = a < b ? -1 : b < a;
  return descending ? -order : order;
}

}  // namespace plain
