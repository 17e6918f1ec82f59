#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

namespace imbroglio {

struct LongRun {
  double variance;
  std::size_t lags;
};

// The long-run variance of values about 0: n times the variance of their mean where each leans on
// those before it. Prewhitened by an autoregression of order 1 (Andrews and Monahan 1992), then
// Parzen's kernel with the bandwidth of Andrews (1991), again by such an autoregression.
inline LongRun long_run(const double* z, std::size_t n) {
  const auto slope_of = [](const std::vector<double>& x) {
    double both = 0.0, squares = 0.0;
    for (std::size_t t = 1; t < x.size(); ++t) {
      both += x[t] * x[t - 1];
      squares += x[t - 1] * x[t - 1];
    }
    return squares > 0.0 ? std::min(std::max(both / squares, -0.97), 0.97) : 0.0;
  };
  const double lean = slope_of({z, z + n});
  std::vector<double> x;
  for (std::size_t t = 1; t < n; ++t) x.push_back(z[t] - lean * z[t - 1]);
  const double rest = slope_of(x), size = static_cast<double>(x.size());
  const double width =
      2.6614 * std::pow(4.0 * rest * rest / std::pow(1.0 - rest, 4.0) * size, 0.2);
  const auto lags =
      static_cast<std::size_t>(std::min(std::floor(width), std::max(size / 4.0, 1.0)));
  const auto covariance = [&x](std::size_t k) {
    double sum = 0.0;
    for (std::size_t t = k; t < x.size(); ++t) sum += x[t] * x[t - k];
    return sum;
  };
  double sum = covariance(0);
  for (std::size_t k = 1; k <= lags; ++k) {
    const double u = static_cast<double>(k) / width;
    const double weight = u <= 0.5 ? 1.0 - 6.0 * u * u * (1.0 - u) : 2.0 * std::pow(1.0 - u, 3.0);
    sum += 2.0 * weight * covariance(k);
  }
  return {sum / size / ((1.0 - lean) * (1.0 - lean)), lags};
}

} // namespace imbroglio
