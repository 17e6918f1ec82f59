#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>
#include "random.h"

namespace imbroglio {

// How a series is drawn: r_t = mean + y_t, y_t = slope y_(t-1) + e_t, and the variance of e_t is
// h_t = omega + alpha e_(t-1)^2 + beta h_(t-1), from h = start. `quantiles` of an innovation of
// variance 1, at steps of log(p / (1 - p)). `load`: as much of the last series is added to it.
struct ClusteredSeries {
  double mean = 0.0, slope = 0.0, omega = 0.0, alpha = 0.0, beta = 0.0, start = 0.0, load = 0.0;
  const double* quantiles = nullptr;
};

// Series that move together: an innovation of all of them is that of a row of the history, by its
// rank within each.
class ClusteredDraws {
 public:
  static constexpr double steps = 20.0, reach = 20.0;
  static constexpr std::size_t table = 2 * static_cast<std::size_t>(steps * reach) + 1;

  // `ranks`: a column of n for each series, counted from 1.
  ClusteredDraws(const std::vector<ClusteredSeries>& series, const int* ranks, std::size_t n)
      : series_(series), ranks_(ranks), n_(n) {}

  // A column of `size` for each series, after as many that are thrown away as the history has, to
  // some hundreds.
  void operator()(Random& random, std::size_t size, double* out) const {
    const std::size_t k = series_.size(), before = std::min<std::size_t>(n_, 500);
    std::vector<double> h(k), y(k, 0.0);
    for (std::size_t j = 0; j < k; ++j) h[j] = series_[j].start;
    for (std::size_t t = 0; t < before + size; ++t) {
      const std::size_t row = random.below(static_cast<std::uint32_t>(n_));
      const double within = random.uniform();
      for (std::size_t j = 0; j < k; ++j) {
        const ClusteredSeries& of = series_[j];
        const double p = (ranks_[j * n_ + row] - within) / static_cast<double>(n_);
        const double e = std::sqrt(h[j]) * innovation(of, p);
        y[j] = of.slope * y[j] + e;
        h[j] = of.omega + of.alpha * e * e + of.beta * h[j];
      }
      if (t < before) continue;
      for (std::size_t j = 0; j < k; ++j)
        out[j * size + t - before] =
            series_[j].mean + y[j] + series_[j].load * (series_[k - 1].mean + y[k - 1]);
    }
  }

 private:
  const std::vector<ClusteredSeries>& series_;
  const int* ranks_;
  std::size_t n_;

  static double innovation(const ClusteredSeries& of, double p) {
    const double at =
        std::min(std::max((std::log(p / (1.0 - p)) + reach) * steps, 0.0), table - 1.001);
    const auto low = static_cast<std::size_t>(at);
    return of.quantiles[low] +
           (at - static_cast<double>(low)) * (of.quantiles[low + 1] - of.quantiles[low]);
  }
};

} // namespace imbroglio
