#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"

namespace imbroglio {

struct Tracking {
  std::size_t n = 0;
  double active = missing; // mean difference
  double error = missing;  // its standard deviation
  double growth = missing; // of the security, of the benchmark, over the whole sample
  double growth_of_benchmark = missing;
  double correlation = missing;
  double ahead = missing; // share of periods in which the security did better
};

// A benchmark, prepared once for any number of securities on the same rows.
class TrackingOn {
 public:
  void prepare(const double* x, std::size_t n, bool log) {
    x_ = x;
    n_ = n;
    log_ = log;
    off_.resize(n);
    const double mean = mean_of(x, n);
    for (std::size_t i = 0; i < n; ++i) off_[i] = x[i] - mean;
    squares_ = sum_of(n, [this](std::size_t i) { return off_[i] * off_[i]; });
    growth_ = growth_of(x);
  }

  // Gives n 0 where a value of y is missing.
  Tracking operator()(const double* y) {
    Tracking found;
    if (n_ == 0) return found;
    const double *x = x_, *off = off_.data();
    const double edge = y[0] - x[0];
    const auto [sum, ahead] = sums_of<2>(n_, [=](auto at, auto& sums) {
      const auto apart = at(y) - at(x);
      const auto none = apart - apart, one = none + 1.0;
      sums[0] += apart - edge;
      sums[1] += apart > none ? one : none;
    });
    if (std::isnan(sum)) return found;
    found.n = n_;
    const double size = static_cast<double>(n_), mean = edge + sum / size;
    found.active = mean;
    found.ahead = ahead / size;
    found.growth = growth_of(y);
    found.growth_of_benchmark = growth_;
    if (n_ < 2) return found;
    // y about its mean is the difference about its own and x about its own.
    const auto [rest, about, products, squares] = sums_of<4>(n_, [=](auto at, auto& sums) {
      const auto d = (at(y) - at(x)) - mean, e = d + at(off);
      sums[0] += d;
      sums[1] += d * d;
      sums[2] += at(off) * e;
      sums[3] += e * e;
    });
    found.error =
        std::sqrt(beyond_rounding(about - rest * rest / size, size, y[0]) / (size - 1.0));
    const double both =
        std::sqrt(beyond_rounding(squares_, size, x[0]) * beyond_rounding(squares, size, y[0]));
    if (both > 0.0) found.correlation = std::clamp(products / both, -1.0, 1.0);
    return found;
  }

 private:
  double growth_of(const double* r) const {
    if (log_) return std::expm1(sum_of(n_, [=](std::size_t i) { return r[i]; }));
    std::array<double, 4> part{1.0, 1.0, 1.0, 1.0};
    std::size_t i = 0;
    for (; i + 4 <= n_; i += 4)
      for (std::size_t c = 0; c < 4; ++c) part[c] *= 1.0 + r[i + c];
    for (; i < n_; ++i) part[0] *= 1.0 + r[i];
    return (part[0] * part[1]) * (part[2] * part[3]) - 1.0;
  }

  const double* x_ = nullptr;
  std::size_t n_ = 0;
  bool log_ = false;
  double squares_ = 0.0, growth_ = missing;
  std::vector<double> off_;
};

} // namespace imbroglio
