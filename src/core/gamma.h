#pragma once
#include <cmath>

namespace imbroglio {

// lgamma() writes to a global in some libraries; lgamma_r() does not.
inline double log_gamma(double x) {
  int sign;
  return lgamma_r(x, &sign);
}

// Derivative of the logarithm of the gamma function, by recurrence and its asymptotic series.
inline double digamma(double x) {
  double below = 0.0;
  for (; x < 10.0; x += 1.0) below -= 1.0 / x;
  const double q = 1.0 / (x * x);
  return below + std::log(x) - 0.5 / x -
         q * (1.0 / 12 -
              q * (1.0 / 120 -
                   q * (1.0 / 252 - q * (1.0 / 240 - q * (1.0 / 132 - q * (691.0 / 32760))))));
}

inline double trigamma(double x) {
  double below = 0.0;
  for (; x < 10.0; x += 1.0) below += 1.0 / (x * x);
  const double q = 1.0 / (x * x);
  return below + 1.0 / x + 0.5 * q +
         q / x *
             (1.0 / 6 - q * (1.0 / 30 -
                             q * (1.0 / 42 - q * (1.0 / 30 - q * (5.0 / 66 - q * 691.0 / 2730)))));
}

} // namespace imbroglio
