#pragma once
#include <cmath>
#include <cstddef>
#include "common.h"

namespace imbroglio {

// How n values lean on those `lag` before, about their mean: the correlation, and its error where
// none does, which takes each product as it was, so that volatility may cluster.
struct Leaning {
  double correlation, error;
};

inline Leaning leaning_of(const double* x, std::size_t n, std::size_t lag) {
  if (n < 2 || lag >= n) return {missing, missing};
  const double mean = sum_of(n, [x](std::size_t i) { return x[i]; }) / static_cast<double>(n);
  const auto square = [x, mean](std::size_t i) { return (x[i] - mean) * (x[i] - mean); };
  const double squares = sum_of(n, square);
  if (!(squares > 0.0)) return {missing, missing};
  const auto product = [x, mean, lag](std::size_t i) {
    return (x[i + lag] - mean) * (x[i] - mean);
  };
  const double both = sum_of(n - lag, product);
  const double spread = sum_of(n - lag, [product](std::size_t i) {
    const double p = product(i);
    return p * p;
  });
  return {both / squares, std::sqrt(spread) / squares};
}

} // namespace imbroglio
