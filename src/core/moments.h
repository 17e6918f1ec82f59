#pragma once
#include <cmath>
#include <cstddef>
#include "common.h"

namespace imbroglio {

struct Moments {
  double mean = missing, deviation = missing, skewness = missing,
         kurtosis = missing; // kurtosis: less the normal's 3
  double growth = missing;   // of the whole sample, as a simple return
  std::size_t rising = 0, best = 0, worst = 0;
};

// Of returns of which none is missing. Skewness and kurtosis are m3 / m2^1.5 and
// m4 / m2^2 - 3, moments with divisor n; of returns that are all alike there are none.
inline Moments moments(const double* x, std::size_t n, bool log) {
  Moments found;
  if (n == 0) return found;
  const double size = static_cast<double>(n), mean = mean_of(x, n);
  double m2 = 0.0, m3 = 0.0, m4 = 0.0, rest = 0.0, sum = 0.0, wealth = 1.0;
  for (std::size_t i = 0; i < n; ++i) {
    const double d = x[i] - mean, squared = d * d;
    rest += d;
    m2 += squared;
    m3 += squared * d;
    m4 += squared * squared;
    if (log)
      sum += x[i];
    else
      wealth *= 1.0 + x[i];
    found.rising += x[i] > 0.0;
    if (x[i] > x[found.best]) found.best = i;
    if (x[i] < x[found.worst]) found.worst = i;
  }
  found.mean = mean + rest / size;
  found.growth = log ? std::expm1(sum) : wealth - 1.0;
  m2 = beyond_rounding(m2 - rest * rest / size, size, x[0]);
  if (n > 1) found.deviation = std::sqrt(m2 / (size - 1.0));
  if (m2 > 0.0) {
    m2 /= size;
    found.skewness = m3 / size / (m2 * std::sqrt(m2));
    found.kurtosis = m4 / size / (m2 * m2) - 3.0;
  }
  return found;
}

} // namespace imbroglio
