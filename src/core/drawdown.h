#pragma once
#include <cmath>
#include <cstddef>
#include "returns.h"

namespace imbroglio {

struct Drawdown {
  double depth = missing;      // 0 where wealth never falls, else negative
  std::ptrdiff_t peak = -1;    // last row at the high before the fall
  std::ptrdiff_t trough = -1;  // first row at the low
  std::ptrdiff_t recovery = -1;
};

// The worst of wealth / its running high - 1. Missing values are passed over.
inline Drawdown max_drawdown(const double* wealth, std::size_t n) {
  Drawdown worst;
  double high = missing, ratio = 1.0;
  std::size_t high_at = 0, peak = 0, trough = 0;
  for (std::size_t t = 0; t < n; ++t) {
    const double w = wealth[t];
    if (w < high) {
      const double now = w / high;
      if (now < ratio) {
        ratio = now;
        peak = high_at;
        trough = t;
      }
    } else if (!std::isnan(w)) {
      high = w;
      high_at = t;
    }
  }
  if (std::isnan(high)) return worst;
  if (ratio == 1.0) {
    worst.depth = 0.0;
    return worst;
  }
  worst.depth = (wealth[trough] - wealth[peak]) / wealth[peak];
  worst.peak = static_cast<std::ptrdiff_t>(peak);
  worst.trough = static_cast<std::ptrdiff_t>(trough);
  for (std::size_t t = trough + 1; t < n; ++t) {
    if (wealth[t] >= wealth[peak]) {
      worst.recovery = static_cast<std::ptrdiff_t>(t);
      break;
    }
  }
  return worst;
}

}  // namespace imbroglio
