#pragma once
#include <cmath>
#include <cstddef>
#include "returns.h"

namespace imbroglio {

// Exponentially weighted mean of products, s_t = d s_(t-1) + (1 - d) x_t y_t from
// s_1 = x_1 y_1, none missing. Hands s_t for each t to `take`; returns the last.
template <class Take>
double decayed_products(const double* x, const double* y, std::size_t n, double decay, Take take) {
  double s = n ? x[0] * y[0] : missing;
  const double fresh = 1.0 - decay;
  for (std::size_t t = 0; t < n; ++t) {
    if (t) s = decay * s + fresh * (x[t] * y[t]);
    take(t, s);
  }
  return s;
}

} // namespace imbroglio
