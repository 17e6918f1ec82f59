#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>
#include "common.h"

namespace imbroglio {

// The least and the greatest of the values that are there; of none, infinities the wrong way
// round.
struct Range {
  double low = std::numeric_limits<double>::infinity(), high = -low;
};

inline Range range_of(const double* x, std::size_t n) {
  Range found;
  Two low[2] = {{found.low, found.low}, {found.low, found.low}},
      high[2] = {{found.high, found.high}, {found.high, found.high}};
  std::size_t i = 0;
  // A comparison with a missing value is false, and keeps what was found.
  for (; i + 4 <= n; i += 4) {
    for (std::size_t c = 0; c < 2; ++c) {
      Two v;
      std::memcpy(&v, x + i + 2 * c, sizeof v);
      low[c] = v < low[c] ? v : low[c];
      high[c] = v > high[c] ? v : high[c];
    }
  }
  for (std::size_t lane = 0; lane < 2; ++lane) {
    found.low = std::min({found.low, low[0][lane], low[1][lane]});
    found.high = std::max({found.high, high[0][lane], high[1][lane]});
  }
  for (; i < n; ++i) {
    found.low = x[i] < found.low ? x[i] : found.low;
    found.high = x[i] > found.high ? x[i] : found.high;
  }
  return found;
}

} // namespace imbroglio
