#pragma once
#include <cmath>
#include <cstddef>
#include "common.h"
#include "decay.h"

namespace imbroglio {

struct Pair {
  std::size_t n = 0;
  double covariance = missing, variance_x = missing, variance_y = missing;
  double correlation() const {
    const double both = std::sqrt(variance_x * variance_y);
    return both > 0.0 ? std::fmin(1.0, std::fmax(-1.0, covariance / both)) : missing;
  }
};

// With divisor n - 1 about the means; or, for a decay below 1, exponentially weighted about zero.
inline Pair pair_of(const double* x, const double* y, std::size_t n, double decay) {
  Pair found;
  found.n = n;
  if (decay < 1.0) {
    auto nothing = [](std::size_t, double) {};
    found.covariance = decayed_products(x, y, n, decay, nothing);
    found.variance_x = decayed_products(x, x, n, decay, nothing);
    found.variance_y = decayed_products(y, y, n, decay, nothing);
    return found;
  }
  if (n < 2) return found;
  const double mx = mean_of(x, n), my = mean_of(y, n), per = 1.0 / (static_cast<double>(n) - 1.0);
  found.covariance = per * sum_of(n, [=](std::size_t i) { return (x[i] - mx) * (y[i] - my); });
  auto variance = [=](const double* v, double mean) {
    return per *
           beyond_rounding(sum_of(n, [=](std::size_t i) { return (v[i] - mean) * (v[i] - mean); }),
                           static_cast<double>(n), v[0]);
  };
  found.variance_x = variance(x, mx);
  found.variance_y = variance(y, my);
  return found;
}

} // namespace imbroglio
