#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>
#include "bessel.h"
#include "common.h"
#include "gamma.h"
#include "moments.h"
#include "random.h"

namespace imbroglio {

// Families of distributions, each in standard form: location 0, scale 1, and up to two shapes. A
// likelihood is searched by `free` shapes that may be any number; `natural` ones are what people
// read. Of the `starts` of a search the last is near the normal. `term` is the log density at z,
// with its derivatives by z and by the free shapes.
using Shapes = std::array<double, 2>;

// What the moments and quantiles of a sample say; `x` ascends.
struct Described : Moments {
  const double* x;
  std::size_t n;

  Described(const double* sorted, std::size_t size)
      : Moments(moments(sorted, size)), x(sorted), n(size) {}

  // Between two observations, as by R's default.
  double quantile(double p) const {
    const double place = p * static_cast<double>(n - 1);
    const std::size_t i = std::min(static_cast<std::size_t>(place), n - 1),
                      next = std::min(i + 1, n - 1);
    return x[i] + (place - static_cast<double>(i)) * (x[next] - x[i]);
  }
};

// A search goes by a middle and a size, which move less with the shapes than location and scale:
// location is the middle less `shift` scales, ln scale the ln of the size and `stretch`; with how
// both move with the free shapes.
struct Frame {
  double shift = 0.0, stretch = 0.0;
  Shapes by_shift{}, by_stretch{};
};

struct Estimate {
  double location = missing, scale = missing;
  Shapes shape{};
  bool found = false;
};

struct NoShape {
  static constexpr std::size_t shapes = 0;
  static Shapes natural(const Shapes&) { return {}; }
  static Shapes free(const Shapes&) { return {}; }
  static bool inside(const Shapes&) { return true; }
  static Frame frame(const Shapes&) { return {}; }
  static std::vector<Shapes> starts() { return {{}}; }
};

struct NormalFamily : NoShape {
  explicit NormalFamily(const Shapes&) {}
  double term(double z, double& by_z, Shapes&) const {
    by_z = -z;
    return -0.5 * (z * z + std::log(2.0 * M_PI));
  }
  double below(double z) const { return 0.5 * std::erfc(-z * M_SQRT1_2); }
  double draw(Random& random) const { return random.normal(); }
  static Estimate by_moments(const Described& s) { return {s.mean, s.deviation, {}, true}; }
};

struct CauchyFamily : NoShape {
  explicit CauchyFamily(const Shapes&) {}
  double term(double z, double& by_z, Shapes&) const {
    const double q = 1.0 + z * z;
    by_z = -2.0 * z / q;
    return -std::log(M_PI * q);
  }
  double below(double z) const {
    return z < -1.0 ? std::atan(-1.0 / z) / M_PI : 0.5 + std::atan(z) / M_PI;
  }
  double draw(Random& random) const { return std::tan(M_PI * (random.uniform() - 0.5)); }
  static Estimate by_moments(const Described& s) {
    return {s.quantile(0.5), 0.5 * (s.quantile(0.75) - s.quantile(0.25)), {}, true};
  }
};

struct LaplaceFamily : NoShape {
  explicit LaplaceFamily(const Shapes&) {}
  double term(double z, double& by_z, Shapes&) const {
    by_z = z < 0.0 ? 1.0 : -1.0;
    return -std::fabs(z) - M_LN2;
  }
  double below(double z) const { return z < 0.0 ? 0.5 * std::exp(z) : 1.0 - 0.5 * std::exp(-z); }
  double draw(Random& random) const {
    const double size = random.exponential();
    return random.uniform() < 0.5 ? -size : size;
  }
  static Estimate by_moments(const Described& s) {
    return {s.mean, s.deviation * M_SQRT1_2, {}, true};
  }
};

struct LogisticFamily : NoShape {
  explicit LogisticFamily(const Shapes&) {}
  double term(double z, double& by_z, Shapes&) const {
    const double e = std::exp(-std::fabs(z));
    by_z = std::copysign((1.0 - e) / (1.0 + e), -z);
    return -std::fabs(z) - 2.0 * std::log(1.0 + e);
  }
  double below(double z) const { return 1.0 / (1.0 + std::exp(-z)); }
  double draw(Random& random) const {
    const double u = random.uniform();
    return std::log(u / (1.0 - u));
  }
  static Estimate by_moments(const Described& s) {
    return {s.mean, s.deviation * std::sqrt(3.0) / M_PI, {}, true};
  }
};

// nu: degrees of freedom; free is its logarithm.
struct StudentFamily {
  static constexpr std::size_t shapes = 1;
  static Frame frame(const Shapes&) { return {}; }
  static Shapes natural(const Shapes& free) { return {std::exp(free[0]), 0.0}; }
  static Shapes free(const Shapes& natural) { return {std::log(natural[0]), 0.0}; }
  static bool inside(const Shapes& natural) { return natural[0] > 0.2 && natural[0] < 900.0; }
  static std::vector<Shapes> starts() {
    return {{std::log(4.0), 0.0}, {std::log(1.5), 0.0}, {std::log(20.0), 0.0}};
  }

  explicit StudentFamily(const Shapes& natural) : nu_(natural[0]) {
    constant_ = log_gamma(0.5 * (nu_ + 1.0)) - log_gamma(0.5 * nu_) - 0.5 * std::log(nu_ * M_PI);
    by_log_nu_ = 0.5 * nu_ * (digamma(0.5 * (nu_ + 1.0)) - digamma(0.5 * nu_)) - 0.5;
  }
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double q = z * z / nu_, grown = std::log1p(q), ratio = (nu_ + 1.0) / (1.0 + q);
    by_z = -ratio * z / nu_;
    by_shape[0] = by_log_nu_ - 0.5 * (nu_ * grown - ratio * q);
    return constant_ - 0.5 * (nu_ + 1.0) * grown;
  }
  double draw(Random& random) const { return random.student(nu_); }
  static Estimate by_moments(const Described& s) {
    if (!(s.kurtosis > 0.0)) return {};
    const double nu = 4.0 + 6.0 / s.kurtosis;
    return {s.mean, s.deviation * std::sqrt((nu - 2.0) / nu), {nu, 0.0}, true};
  }

 private:
  double nu_, constant_, by_log_nu_;
};

// Fernandez and Steel (1998): skew and nu; free are their logarithms.
struct SkewStudentFamily {
  static constexpr std::size_t shapes = 2;
  static Frame frame(const Shapes&) { return {}; }
  static Shapes natural(const Shapes& free) { return {std::exp(free[0]), std::exp(free[1])}; }
  static Shapes free(const Shapes& natural) {
    return {std::log(natural[0]), std::log(natural[1])};
  }
  static bool inside(const Shapes& natural) {
    return natural[0] > 0.05 && natural[0] < 20.0 && StudentFamily::inside({natural[1], 0.0});
  }
  static std::vector<Shapes> starts() {
    const double nu = std::log(4.0);
    return {{0.0, nu}, {-0.25, nu},          {0.25, nu},           {-1.0, nu},
            {1.0, nu}, {0.0, std::log(1.5)}, {0.0, std::log(20.0)}};
  }

  explicit SkewStudentFamily(const Shapes& natural)
      : student_({natural[1], 0.0}), skew_(natural[0]) {
    constant_ = std::log(2.0 / (skew_ + 1.0 / skew_));
    by_log_skew_ = -(skew_ - 1.0 / skew_) / (skew_ + 1.0 / skew_);
  }
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double by = z < 0.0 ? skew_ : 1.0 / skew_, y = z * by;
    double by_y;
    Shapes by_nu;
    const double value = student_.term(y, by_y, by_nu);
    by_z = by_y * by;
    by_shape = {by_log_skew_ + std::copysign(by_y * y, z), by_nu[0]};
    return constant_ + value;
  }
  double draw(Random& random) const {
    const double size = std::fabs(student_.draw(random)), up = skew_ * skew_;
    return random.uniform() * (1.0 + up) < up ? size * skew_ : -size / skew_;
  }
  static Estimate by_moments(const Described&) { return {}; }

 private:
  StudentFamily student_;
  double skew_, constant_, by_log_skew_;
};

// The generalised error distribution, density p / (2 Gamma(1/p)) exp(-|z|^p).
struct GedFamily {
  static constexpr std::size_t shapes = 1;
  static Frame frame(const Shapes&) { return {}; }
  static Shapes natural(const Shapes& free) { return {std::exp(free[0]), 0.0}; }
  static Shapes free(const Shapes& natural) { return {std::log(natural[0]), 0.0}; }
  static bool inside(const Shapes& natural) { return natural[0] > 0.25 && natural[0] < 500.0; }
  static std::vector<Shapes> starts() { return {{std::log(1.35), 0.0}}; }

  explicit GedFamily(const Shapes& natural) : p_(natural[0]) {
    constant_ = std::log(0.5 * p_) - log_gamma(1.0 / p_);
    by_log_p_ = 1.0 + digamma(1.0 / p_) / p_;
  }
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double size = std::max(std::fabs(z), 1e-300), log_size = std::log(size),
                 power = std::exp(p_ * log_size);
    by_z = std::copysign(p_ * power / size, -z);
    by_shape[0] = by_log_p_ - p_ * power * log_size;
    return constant_ - power;
  }
  // Over how much of z the density may be followed, which has a peak or an edge at 0.
  double smooth() const { return 0.25 / (1.0 + p_); }
  double draw(Random& random) const {
    const double a = 1.0 / p_;
    // A gamma of less than 1 is one more than that times a power of a uniform one.
    double size = std::pow(random.gamma(a < 1.0 ? a + 1.0 : a), a);
    if (a < 1.0) size *= random.uniform();
    return random.uniform() < 0.5 ? -size : size;
  }
  static Estimate by_moments(const Described& s) {
    // The kurtosis falls as p grows.
    auto excess = [](double log_p) {
      const double a = std::exp(-log_p);
      return std::exp(log_gamma(5.0 * a) + log_gamma(a) - 2.0 * log_gamma(3.0 * a)) - 3.0;
    };
    double low = std::log(0.25), high = std::log(50.0);
    if (!(s.kurtosis < excess(low) && s.kurtosis > excess(high))) return {};
    for (int i = 0; i < 60; ++i) {
      const double middle = 0.5 * (low + high);
      (excess(middle) > s.kurtosis ? low : high) = middle;
    }
    const double p = std::exp(low);
    return {s.mean,
            s.deviation * std::exp(0.5 * (log_gamma(1.0 / p) - log_gamma(3.0 / p))),
            {p, 0.0},
            true};
  }

 private:
  double p_, constant_, by_log_p_;
};

// Johnson (1949): gamma + delta asinh(z) is normal; free are q and ln delta, with sinh(gamma /
// delta) = q delta. The middle is the median.
struct JohnsonFamily {
  static constexpr std::size_t shapes = 2;
  static Shapes natural(const Shapes& free) {
    const double delta = std::exp(free[1]);
    return {delta * std::asinh(free[0] * delta), delta};
  }
  static Shapes free(const Shapes& natural) {
    return {std::sinh(natural[0] / natural[1]) / natural[1], std::log(natural[1])};
  }
  static Frame frame(const Shapes& free) {
    const double delta = std::exp(free[1]), leans = free[0] * delta, grown = 1.0 + leans * leans;
    return {-leans,
            free[1] - 0.5 * std::log(grown),
            {-delta, -leans},
            {-leans * delta / grown, 1.0 / grown}};
  }
  static bool inside(const Shapes& natural) {
    return std::fabs(natural[0]) < 6.0 * natural[1] && natural[1] > 0.05 && natural[1] < 24.0;
  }
  static std::vector<Shapes> starts() {
    const double delta = std::log(1.5);
    return {{0.0, delta},  {-0.13, delta}, {0.13, delta},       {0.0, -0.2},
            {-1.0, delta}, {1.0, delta},   {0.0, std::log(4.0)}};
  }

  explicit JohnsonFamily(const Shapes& natural) : gamma_(natural[0]), delta_(natural[1]) {
    constant_ = std::log(delta_) - 0.5 * std::log(2.0 * M_PI);
    const double leans = std::sinh(gamma_ / delta_), root = std::sqrt(1.0 + leans * leans);
    by_q_ = delta_ * delta_ / root;
    by_log_delta_ = delta_ * leans / root + gamma_;
  }
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double q = 1.0 + z * z, root = std::sqrt(q), y = arc(z, root), v = gamma_ + delta_ * y;
    by_z = -z / q - v * delta_ / root;
    by_shape = {-v * by_q_, 1.0 - v * (delta_ * y + by_log_delta_)};
    return constant_ - 0.5 * (std::log(q) + v * v);
  }
  double below(double z) const {
    return 0.5 * std::erfc(-(gamma_ + delta_ * std::asinh(z)) * M_SQRT1_2);
  }
  double draw(Random& random) const { return std::sinh((random.normal() - gamma_) / delta_); }
  // By four quantiles: Slifker and Shapiro (1980).
  static Estimate by_moments(const Described& s) {
    const double z = 0.524;
    auto quantile = [&](double at) { return s.quantile(0.5 * std::erfc(-at * M_SQRT1_2)); };
    const double top = quantile(3.0 * z), upper = quantile(z), lower = quantile(-z),
                 bottom = quantile(-3.0 * z);
    const double p = upper - lower, m = (top - upper) / p, n = (lower - bottom) / p;
    if (!(m * n > 1.0)) return {};
    const double root = std::sqrt(m * n - 1.0), delta = 2.0 * z / std::acosh(0.5 * (m + n));
    return {0.5 * (upper + lower) + 0.5 * p * (n - m) / (m + n - 2.0),
            2.0 * p * root / ((m + n - 2.0) * std::sqrt(m + n + 2.0)),
            {delta * std::asinh((n - m) / (2.0 * root)), delta},
            true};
  }

 private:
  static double arc(double z, double root) {
    return std::copysign(std::log(std::fabs(z) + root), z);
  }
  double gamma_, delta_, constant_, by_q_, by_log_delta_;
};

// The normal inverse Gaussian: alpha and beta, |beta| < alpha, both times the scale of the usual
// form. With g = sqrt(alpha^2 - beta^2), free are ln g and q, with beta = q g^(3/2). The middle is
// the mean, the size the deviation.
struct NigFamily {
  static constexpr std::size_t shapes = 2;
  static Shapes natural(const Shapes& free) {
    const double g = std::exp(free[0]), leans = free[1] * std::sqrt(g);
    return {g * std::sqrt(1.0 + leans * leans), g * leans};
  }
  static Shapes free(const Shapes& natural) {
    const double g = std::sqrt((natural[0] - natural[1]) * (natural[0] + natural[1]));
    return {std::log(g), natural[1] / (g * std::sqrt(g))};
  }
  static Frame frame(const Shapes& free) {
    const double root = std::exp(0.5 * free[0]), leans = free[1] * root,
                 grown = 1.0 + leans * leans;
    return {leans,
            0.5 * (free[0] - std::log(grown)),
            {0.5 * leans, root},
            {0.5 / grown, -leans * root / grown}};
  }
  static bool inside(const Shapes& natural) {
    const double g = std::sqrt((natural[0] - natural[1]) * (natural[0] + natural[1]));
    return g > 1e-6 && g < 500.0 && std::fabs(natural[1]) < 1500.0 * g;
  }
  static std::vector<Shapes> starts() {
    return {{0.0, 0.0}, {0.0, -0.3}, {0.0, 0.3},    {-1.6, 0.0},  {0.0, -2.0},
            {0.0, 2.0}, {-5.0, 0.0}, {-5.0, -40.0}, {-5.0, 40.0}, {2.0, 0.0}};
  }

  explicit NigFamily(const Shapes& natural)
      : alpha_(natural[0]), beta_(natural[1]), bessel_(LogBessel::table()) {
    g_ = std::sqrt((alpha_ - beta_) * (alpha_ + beta_));
    root_ = std::sqrt(g_);
    log_alpha_ = std::log(alpha_);
    constant_ = log_alpha_ - std::log(M_PI);
  }
  double term(double z, double& by_z, Shapes& by_shape) const {
    const double squared = 1.0 + z * z, w = std::sqrt(squared), log_w = 0.5 * std::log(squared),
                 x = alpha_ * w;
    double slope;
    const double bessel = bessel_(x, log_alpha_ + log_w, slope);
    // By ln x, of ln K_1(x) itself.
    slope -= x;
    const double by_log_alpha = 1.0 + slope;
    by_z = beta_ + (slope - 1.0) * z / squared;
    const double leans = beta_ / alpha_;
    by_shape = {by_log_alpha * (1.0 + 0.5 * leans * leans) + g_ + 1.5 * z * beta_,
                (by_log_alpha * g_ * leans / alpha_ + z * g_) * root_};
    // g - alpha w + beta z, without a difference of large numbers far out.
    return constant_ + (g_ - alpha_) + beta_ * z - alpha_ * z * z / (1.0 + w) + bessel - log_w;
  }
  // Its deviation.
  double smooth() const { return alpha_ / (g_ * std::sqrt(g_)); }
  double draw(Random& random) const {
    const double y = random.inverse_gaussian(1.0 / g_, 1.0);
    return beta_ * y + std::sqrt(y) * random.normal();
  }
  static Estimate by_moments(const Described& s) {
    const double squared = s.skewness * s.skewness;
    if (!(s.kurtosis > 5.0 / 3.0 * squared)) return {};
    const double g = 3.0 / (s.kurtosis - 4.0 / 3.0 * squared),
                 share = s.skewness * std::sqrt(g) / 3.0;
    const double alpha = g / std::sqrt(1.0 - share * share),
                 scale = s.deviation * g * std::sqrt(g) / alpha;
    return {s.mean - scale * share * alpha / g, scale, {alpha, share * alpha}, true};
  }

 private:
  double alpha_, beta_, g_, root_, log_alpha_, constant_;
  const LogBessel& bessel_;
};

} // namespace imbroglio
