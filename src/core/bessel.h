#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>

namespace imbroglio {

// ln(e^x K_1(x)), the modified Bessel function of the second kind and order 1, and its derivative
// by ln x. Between 1e-7 and 64 from a table of polynomials in ln x, beyond by what it tends to.
class LogBessel {
 public:
  static const LogBessel& table() {
    static const LogBessel made;
    return made;
  }

  double operator()(double x, double log_x, double& slope) const {
    if (x >= most_) return far(x, log_x, slope);
    if (x <= least_) {
      slope = x - 1.0;
      return x - log_x;
    }
    const double place = (log_x - start_) / width_;
    const std::size_t i = std::min(static_cast<std::size_t>(place), cells_ - 1);
    const double y = 2.0 * (place - static_cast<double>(i)) - 1.0;
    const auto& c = terms_[i];
    double value = c[size_ - 1], by = 0.0;
    for (std::size_t j = size_ - 1; j-- > 0;) {
      by = by * y + value;
      value = value * y + c[j];
    }
    slope = by * 2.0 / width_;
    return value;
  }

 private:
  static constexpr std::size_t cells_ = 96, size_ = 12;
  static constexpr double least_ = 1e-7, most_ = 64.0;

  LogBessel() : start_(std::log(least_)), width_((std::log(most_) - start_) / cells_) {
    // A polynomial through the Chebyshev points of each cell, by Newton's divided differences.
    for (std::size_t i = 0; i < cells_; ++i) {
      std::array<double, size_> at, f;
      for (std::size_t j = 0; j < size_; ++j) {
        at[j] = std::cos(M_PI * (static_cast<double>(j) + 0.5) / size_);
        f[j] = std::log(
            integral(std::exp(start_ + width_ * (static_cast<double>(i) + 0.5 + 0.5 * at[j]))));
      }
      for (std::size_t order = 1; order < size_; ++order)
        for (std::size_t j = size_ - 1; j >= order; --j)
          f[j] = (f[j] - f[j - 1]) / (at[j] - at[j - order]);
      auto& c = terms_[i];
      c.fill(0.0);
      for (std::size_t j = size_; j-- > 0;) {
        for (std::size_t m = size_ - 1; m > 0; --m) c[m] = c[m - 1] - at[j] * c[m];
        c[0] = f[j] - at[j] * c[0];
      }
    }
  }

  // The integral over t > 0 of exp(-x (cosh t - 1)) cosh t; the trapezoid rule is as good as
  // exact.
  static double integral(double x) {
    const double step = std::min(0.2, 0.6 / std::sqrt(x));
    double sum = 0.5;
    for (int i = 1;; ++i) {
      const double half = std::sinh(0.5 * step * i);
      const double term = std::exp(-2.0 * x * half * half) * std::cosh(step * i);
      sum += term;
      if (term < 1e-20 * sum) return sum * step;
    }
  }

  // The asymptotic series.
  static double far(double x, double log_x, double& slope) {
    double term = 1.0, sum = 1.0, by = 0.0;
    for (int k = 1; k <= 12; ++k) {
      term *= (4.0 - (2.0 * k - 1.0) * (2.0 * k - 1.0)) / (8.0 * k * x);
      sum += term;
      by -= k * term;
    }
    slope = by / sum - 0.5;
    return 0.5 * (std::log(0.5 * M_PI) - log_x) + std::log(sum);
  }

  double start_, width_;
  std::array<std::array<double, size_>, cells_> terms_;
};

} // namespace imbroglio
