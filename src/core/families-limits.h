#pragma once
#include <cmath>
#include <vector>
#include "families.h"

namespace imbroglio {

// What other families come to at an end of their shapes, each a family of its own.

// Between the location less the scale and the location and the scale.
struct UniformFamily : NoShape {
  explicit UniformFamily(const Shapes&) {}
  double term(double z, double& by_z, Shapes&) const {
    by_z = 0.0;
    return std::fabs(z) <= 1.0 + 1e-12 ? -M_LN2 : -INFINITY;
  }
  double below(double z) const { return std::min(std::max(0.5 * (1.0 + z), 0.0), 1.0); }
  double draw(Random& random) const { return 2.0 * random.uniform() - 1.0; }
  static Estimate by_moments(const Described&) { return {}; }
};

// The normal in two halves, as Fernandez and Steel (1998) skew Student's t.
struct TwoPieceNormalFamily {
  static constexpr std::size_t shapes = 1;
  static Frame frame(const Shapes&) { return {}; }
  static Shapes natural(const Shapes& free) { return {std::exp(free[0]), 0.0}; }
  static Shapes free(const Shapes& natural) { return {std::log(natural[0]), 0.0}; }
  static bool inside(const Shapes& natural) { return natural[0] > 0.05 && natural[0] < 20.0; }
  static std::vector<Shapes> starts() { return {{}, {-0.5, 0.0}, {0.5, 0.0}}; }

  explicit TwoPieceNormalFamily(const Shapes& natural) : skew_(natural[0]) {
    const double whole = skew_ + 1.0 / skew_;
    constant_ = std::log(2.0 / whole) - 0.5 * std::log(2.0 * M_PI);
    by_log_skew_ = -(skew_ - 1.0 / skew_) / whole;
  }
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double by = z < 0.0 ? skew_ : 1.0 / skew_, y = z * by;
    by_z = -y * by;
    by_shape[0] = by_log_skew_ + std::copysign(y * y, z);
    return constant_ - 0.5 * y * y;
  }
  double below(double z) const {
    const double up = skew_ * skew_;
    return z < 0.0 ? std::erfc(-z * skew_ * M_SQRT1_2) / (1.0 + up)
                   : 1.0 - std::erfc(z / skew_ * M_SQRT1_2) * up / (1.0 + up);
  }
  double draw(Random& random) const {
    const double size = std::fabs(random.normal()), up = skew_ * skew_;
    return random.uniform() * (1.0 + up) < up ? size * skew_ : -size / skew_;
  }
  static Estimate by_moments(const Described&) { return {}; }

 private:
  double skew_, constant_, by_log_skew_;
};

// ln(1 + tau z) / tau is normal: the lognormal that ends at -1 / tau, to either side, and at a tau
// of 0 the normal.
struct LognormalFamily {
  static constexpr std::size_t shapes = 1;
  static Frame frame(const Shapes&) { return {}; }
  static Shapes natural(const Shapes& free) { return free; }
  static Shapes free(const Shapes& natural) { return natural; }
  static bool inside(const Shapes& natural) { return std::fabs(natural[0]) < 4.0; }
  static std::vector<Shapes> starts() { return {{}, {-0.3, 0.0}, {0.3, 0.0}}; }

  explicit LognormalFamily(const Shapes& natural) : tau_(natural[0]) {}
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double t = tau_ * z, u = 1.0 + t;
    if (!(u > 0.0)) return by_z = by_shape[0] = 0.0, -INFINITY;
    const double grown = std::log1p(t), y = std::fabs(t) < 1e-4 ? near(z, t) : grown / tau_;
    const double bends =
        std::fabs(t) < 1e-4 ? z * z * (-0.5 + t * (2.0 / 3.0 - 0.75 * t)) : (z / u - y) / tau_;
    by_z = -(y + tau_) / u;
    by_shape[0] = -y * bends - z / u;
    return -0.5 * (y * y + std::log(2.0 * M_PI)) - grown;
  }
  double below(double z) const {
    const double t = tau_ * z;
    if (t <= -1.0) return tau_ > 0.0 ? 0.0 : 1.0;
    const double y = std::fabs(t) < 1e-4 ? near(z, t) : std::log1p(t) / tau_;
    return 0.5 * std::erfc(-y * M_SQRT1_2);
  }
  // A step from z that stays short of the end, and within which the density is followed.
  double room(double z) const {
    return 1.0 / (4.0 / (1.0 + std::fabs(z)) + 2.0 + 8.0 * std::fabs(tau_ / (1.0 + tau_ * z)));
  }
  double draw(Random& random) const {
    const double z = random.normal();
    return tau_ == 0.0 ? z : std::expm1(tau_ * z) / tau_;
  }
  static Estimate by_moments(const Described&) { return {}; }

 private:
  static double near(double z, double t) {
    return z * (1.0 - t * (0.5 - t * (1.0 / 3.0 - 0.25 * t)));
  }
  double tau_;
};

// z + 1 / tau is inverse Gaussian, of mean 1 / tau and variance 1, to either side; at a tau of 0
// the normal. Its skewness is 3 tau.
struct InverseGaussianFamily {
  static constexpr std::size_t shapes = 1;
  static Frame frame(const Shapes&) { return {}; }
  static Shapes natural(const Shapes& free) { return free; }
  static Shapes free(const Shapes& natural) { return natural; }
  static bool inside(const Shapes& natural) { return std::fabs(natural[0]) < 30.0; }
  static std::vector<Shapes> starts() { return LognormalFamily::starts(); }

  explicit InverseGaussianFamily(const Shapes& natural) : tau_(natural[0]) {}
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double t = tau_ * z, u = 1.0 + t;
    if (!(u > 0.0)) return by_z = by_shape[0] = 0.0, -INFINITY;
    const double q = z / u;
    by_z = -1.5 * tau_ / u - q + 0.5 * tau_ * q * q;
    by_shape[0] = -1.5 * q + 0.5 * z * q * q;
    return -0.5 * (std::log(2.0 * M_PI) + z * q) - 1.5 * std::log1p(t);
  }
  double below(double z) const {
    const double t = tau_ * z;
    if (t <= -1.0) return tau_ > 0.0 ? 0.0 : 1.0;
    // What ends to the right is the mirror of what ends to the left.
    const double root = std::sqrt(1.0 + t), side = tau_ < 0.0 ? -1.0 : 1.0, by = side * tau_,
                 far = (2.0 + t) / (by * root);
    const double lower = 0.5 * std::erfc(-side * z / root * M_SQRT1_2) +
                         (by < 1e-8 ? 0.0 : mills(far) * std::exp(-0.5 * z * z / (1.0 + t)));
    return side > 0.0 ? lower : 1.0 - lower;
  }
  // A step from z that stays short of the end, and within which the density is followed.
  double room(double z) const {
    return 1.0 / (4.0 / (1.0 + std::fabs(z)) + 2.0 + 8.0 * std::fabs(tau_ / (1.0 + tau_ * z)));
  }
  double draw(Random& random) const {
    if (std::fabs(tau_) < 1e-8) return random.normal();
    const double mean = 1.0 / std::fabs(tau_);
    return std::copysign(random.inverse_gaussian(mean, mean * mean * mean) - mean, tau_);
  }
  static Estimate by_moments(const Described&) { return {}; }

 private:
  // The normal tail beyond v over exp(-v^2 / 2).
  static double mills(double v) {
    if (v < 20.0) return 0.5 * std::erfc(v * M_SQRT1_2) * std::exp(0.5 * v * v);
    const double q = 1.0 / (v * v);
    return (1.0 - q * (1.0 - q * (3.0 - 15.0 * q))) / (v * std::sqrt(2.0 * M_PI));
  }
  double tau_;
};

} // namespace imbroglio
