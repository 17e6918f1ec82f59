#pragma once
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"
#include "range.h"

namespace imbroglio {

struct Moments {
  double mean = missing, deviation = missing, skewness = missing,
         kurtosis = missing; // kurtosis: less the normal's 3
};

// Of returns of which none is missing. Skewness and kurtosis are m3 / m2^1.5 and
// m4 / m2^2 - 3, moments with divisor n; of returns that are all alike there are none.
inline Moments moments(const double* x, std::size_t n) {
  Moments found;
  if (n == 0) return found;
  const double size = static_cast<double>(n), edge = x[0];
  const double mean =
      edge + sums_of<1>(n, [=](auto at, auto& sums) { sums[0] += at(x) - edge; })[0] / size;
  auto [rest, m2, m3, m4] = sums_of<4>(n, [=](auto at, auto& sums) {
    const auto d = at(x) - mean, squared = d * d;
    sums[0] += d;
    sums[1] += squared;
    sums[2] += squared * d;
    sums[3] += squared * squared;
  });
  found.mean = mean + rest / size;
  m2 = beyond_rounding(m2 - rest * rest / size, size, edge);
  if (n > 1) found.deviation = std::sqrt(m2 / (size - 1.0));
  if (m2 > 0.0) {
    m2 /= size;
    found.skewness = m3 / size / (m2 * std::sqrt(m2));
    found.kurtosis = m4 / size / (m2 * m2) - 3.0;
  }
  return found;
}

// The means of the powers 0 to `most` of (x - mean) / deviation, of returns of which none is
// missing.
inline void power_means(const double* x, std::size_t n, double mean, double deviation,
                        std::size_t most, double* out) {
  std::vector<Two> sums(most + 1, Two{0.0, 0.0});
  const double per = 1.0 / deviation;
  std::size_t i = 0;
  for (; i + 2 <= n; i += 2) {
    const Two u = (Two{x[i], x[i + 1]} - mean) * per;
    Two power = {1.0, 1.0};
    for (std::size_t p = 0; p <= most; ++p, power *= u) sums[p] += power;
  }
  for (std::size_t p = 0; p <= most; ++p) out[p] = sums[p][0] + sums[p][1];
  if (i < n) {
    double power = 1.0;
    for (std::size_t p = 0; p <= most; ++p, power *= (x[i] - mean) * per) out[p] += power;
  }
  for (std::size_t p = 0; p <= most; ++p) out[p] /= static_cast<double>(n);
}

struct Course {
  double growth = missing; // of the whole sample, as a simple return
  std::size_t rising = 0, best = 0, worst = 0;
};

// Of returns of which none is missing: what they make together, how many are above 0, and the
// first of the best and of the worst.
inline Course course(const double* x, std::size_t n, bool log) {
  Course found;
  if (n == 0) return found;
  const double rising = sums_of<1>(n, [=](auto at, auto& sums) {
    const auto here = at(x), none = here - here, one = none + 1.0;
    sums[0] += here > none ? one : none;
  })[0];
  found.rising = static_cast<std::size_t>(rising);
  if (log) {
    found.growth = std::expm1(sum_of(n, [=](std::size_t i) { return x[i]; }));
  } else {
    // Four products side by side, so that one need not wait for the one before.
    double a = 1.0, b = 1.0, c = 1.0, d = 1.0;
    std::size_t i = 0;
    for (; i + 4 <= n; i += 4) {
      a *= 1.0 + x[i];
      b *= 1.0 + x[i + 1];
      c *= 1.0 + x[i + 2];
      d *= 1.0 + x[i + 3];
    }
    for (; i < n; ++i) a *= 1.0 + x[i];
    found.growth = (a * b) * (c * d) - 1.0;
  }
  const Range range = range_of(x, n);
  while (x[found.best] != range.high) ++found.best;
  while (x[found.worst] != range.low) ++found.worst;
  return found;
}

} // namespace imbroglio
