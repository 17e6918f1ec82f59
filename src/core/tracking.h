#pragma once
#include <cmath>
#include <cstddef>
#include "common.h"
#include "deviation.h"

namespace imbroglio {

struct Tracking {
  std::size_t n = 0;
  double active = missing;       // mean difference
  double error = missing;        // its standard deviation
  double growth = missing;       // of the security, of the benchmark, over the whole sample
  double growth_of_benchmark = missing;
  double ahead = missing;        // share of periods in which the security did better
};

inline double growth_of(const double* x, std::size_t n, bool log) {
  double sum = 0.0, wealth = 1.0;
  for (std::size_t i = 0; i < n; ++i) log ? sum += x[i] : wealth *= 1.0 + x[i];
  return log ? std::expm1(sum) : wealth - 1.0;
}

// Of returns over the same intervals, none missing; `apart` has room for n.
inline Tracking track(const double* y, const double* x, std::size_t n, bool log, double* apart) {
  Tracking found;
  found.n = n;
  if (n == 0) return found;
  std::size_t ahead = 0, used = 0;
  for (std::size_t i = 0; i < n; ++i) {
    apart[i] = y[i] - x[i];
    ahead += y[i] > x[i];
  }
  found.active = mean_of(apart, n);
  found.error = standard_deviation(apart, n, used);
  found.growth = growth_of(y, n, log);
  found.growth_of_benchmark = growth_of(x, n, log);
  found.ahead = static_cast<double>(ahead) / static_cast<double>(n);
  return found;
}

}  // namespace imbroglio
