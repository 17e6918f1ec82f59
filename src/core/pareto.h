#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include "common.h"
#include "fit.h"

namespace imbroglio {

struct Pareto {
  double shape = missing, scale = missing, log_likelihood = missing;
  bool converged = false;
};

// Maximum likelihood of the generalised Pareto distribution of excesses y > 0. With theta = shape
// / scale the best shape is the mean of ln(1 + theta y), so the search is along theta alone
// (Grimshaw 1993), where the shape is above -1: below, the likelihood has no top.
inline Pareto fit_pareto(const double* y, std::size_t n) {
  Pareto fit;
  if (n < 5) return fit;
  const double count = static_cast<double>(n), largest = *std::max_element(y, y + n),
               mean = mean_of(y, n);
  if (!(mean > 0.0) || *std::min_element(y, y + n) == largest) return fit;
  auto shape_at = [=](double theta) {
    return sum_of(n, [=](std::size_t i) { return std::log1p(theta * y[i]); }) / count;
  };
  const double squares = sum_of(n, [=](std::size_t i) { return y[i] * y[i]; }) / count;
  // The slope of the mean negative log-likelihood, and the value.
  auto slope = [=](double theta) {
    const double by =
        sum_of(n, [=](std::size_t i) { return y[i] / (1.0 + theta * y[i]); }) / count;
    if (std::fabs(theta) * mean < 1e-7) return mean - 0.5 * squares / mean;
    return by / shape_at(theta) - 1.0 / theta + by;
  };
  auto value = [=](double theta) {
    const double shape = shape_at(theta);
    return (std::fabs(theta) * mean < 1e-12 ? std::log(mean) : std::log(shape / theta)) + shape +
           1.0;
  };
  // From the edge of what can be to far tails, in steps that widen.
  double best = INFINITY, found = missing, before = -0.999999999 / largest;
  auto try_at = [&](double theta) {
    if (!(shape_at(theta) > -1.0)) return;
    const double at = value(theta);
    if (at < best) {
      best = at;
      found = theta;
    }
  };
  double before_slope = slope(before);
  for (int i = 0; i <= 120; ++i) {
    const double u = static_cast<double>(i) / 120.0;
    const double theta =
        i <= 40 ? -std::pow(1.0 - static_cast<double>(i) / 40.0, 3.0) * 0.9999999 / largest
                : std::pow((u - 1.0 / 3.0) * 1.5, 4.0) * 400.0 / mean;
    const double now = slope(theta);
    if (before_slope < 0.0 && now >= 0.0)
      try_at(root_of([&](double t) { return -slope(t); }, before, theta, 1e-15 / mean));
    before = theta;
    before_slope = now;
  }
  if (std::isnan(found)) return fit;
  fit.shape = shape_at(found);
  fit.scale = std::fabs(found) * mean < 1e-12 ? mean : fit.shape / found;
  fit.log_likelihood = -count * best;
  fit.converged = true;
  return fit;
}

} // namespace imbroglio
