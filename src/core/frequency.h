#pragma once
#include "casts.h"
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"

namespace imbroglio {

struct Frequency {
  double usual = missing; // the median gap between two days with a value
  double mean = missing;  // of the gaps that are no interruption
  std::size_t gaps = 0;   // how many of those
};

// How often a series has a value, from the days on which it has one. A gap of more than a week and
// of more than three usual gaps is an interruption, which tells nothing of how often.
inline Frequency frequency_of(const double* values, const double* days, std::size_t n,
                              std::vector<double>& gaps) {
  Frequency found;
  gaps.clear();
  std::size_t before = n;
  for (std::size_t i = 0; i < n; ++i) {
    if (std::isnan(values[i])) continue;
    if (before < n) gaps.push_back(days[i] - days[before]);
    before = i;
  }
  if (gaps.empty()) return found;
  const auto middle = gaps.begin() + to_index(gaps.size() / 2);
  std::nth_element(gaps.begin(), middle, gaps.end());
  found.usual = *middle;
  const double longest = std::max(7.0, 3.0 * found.usual);
  double sum = 0.0;
  for (double gap : gaps) {
    if (gap > longest) continue;
    sum += gap;
    ++found.gaps;
  }
  found.mean = sum / static_cast<double>(found.gaps);
  return found;
}

} // namespace imbroglio
