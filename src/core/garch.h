#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"
#include "gamma.h"
#include "minimise.h"

namespace imbroglio {

// mean, omega, alpha, beta, nu: r_t = mean + e_t, and the variance of e_t is
// h_t = omega + alpha e_(t-1)^2 + beta h_(t-1).
constexpr std::size_t garch_size = 5;
using GarchPoint = Point<garch_size>;

struct Garch {
  GarchPoint at{}, error{};
  double log_likelihood = missing;
  bool converged = false, has_errors = false;
};

class GarchFit {
 public:
  // No value is missing. h_1 is the sample's mean squared distance from its mean.
  GarchFit(const double* x, std::size_t n, bool student)
      : student_(student), used_(student ? 5 : 4) {
    center_ = mean_of(x, n);
    const double size = static_cast<double>(n),
                 squares =
                     sum_of(n, [=](std::size_t i) { return (x[i] - center_) * (x[i] - center_); });
    scale_ = n ? std::sqrt(beyond_rounding(squares, size, x[0]) / size) : 0.0;
    x_.resize(n);
    // On returns of mean 0 and variance 1 every parameter is of a like size.
    for (std::size_t i = 0; i < n; ++i) x_[i] = (x[i] - center_) / scale_;
  }

  // `path`, if any, is given the search of the best start, in natural parameters.
  Garch operator()(std::vector<Minimum<garch_size>>* path = nullptr) const {
    Garch fit;
    if (!(scale_ > 0.0) || x_.size() < 20) return fit;
    // The surface is flat along persistence: starts on a grid of it, the best of them searched.
    struct Start {
      double value;
      GarchPoint at;
    };
    std::vector<Start> starts;
    GarchPoint unused{};
    for (double persistence : {0.5, 0.8, 0.93, 0.98, 0.995})
      for (double share : {0.03, 0.08, 0.2, 0.5}) {
        const GarchPoint at{0.0, std::log(1.0 - persistence), logit(persistence), logit(share),
                            std::log(student_ ? 5.0 : 1.0)};
        starts.push_back({free_value(at, unused), at});
      }
    std::sort(starts.begin(), starts.end(),
              [](const Start& a, const Start& b) { return a.value < b.value; });
    std::vector<GarchPoint> from;
    for (std::size_t i = 0; i < 4; ++i) from.push_back(starts[i].at);
    const double size = static_cast<double>(x_.size());
    const auto best = minimise_from<garch_size>(
        from, [this](const GarchPoint& p, GarchPoint& g) { return free_value(p, g); },
        [](const GarchPoint&) { return true; },
        [](const GarchPoint&) -> const std::array<GarchPoint, garch_size>* { return nullptr; },
        1e-7 * size, size, path);
    if (path)
      for (auto& step : *path) {
        step.at = to_scale(natural_of(step.at));
        step.value = -step.value - size * std::log(scale_);
        step.slope /= size;
      }
    const GarchPoint natural = natural_of(best.at);
    fit.converged =
        best.converged && natural[2] + natural[3] < 0.99999 && (!student_ || natural[4] < 500.0);
    fit.log_likelihood = -best.value - size * std::log(scale_);
    fit.at = to_scale(natural);
    errors(natural, fit);
    fit.converged = fit.converged && fit.has_errors;
    return fit;
  }

  // The variance of each return given those before it, and of the next: n + 1 values.
  static void path(const double* x, std::size_t n, const GarchPoint& at, double* h) {
    const double mean = mean_of(x, n);
    h[0] = sum_of(n, [=](std::size_t i) { return (x[i] - mean) * (x[i] - mean); }) /
           static_cast<double>(n);
    for (std::size_t t = 0; t < n; ++t) {
      const double e = x[t] - at[0];
      h[t + 1] = at[1] + at[2] * e * e + at[3] * h[t];
    }
  }

 private:
  static double logit(double p) { return std::log(p / (1.0 - p)); }
  static double logistic(double v) { return 1.0 / (1.0 + std::exp(-v)); }

  GarchPoint natural_of(const GarchPoint& p) const {
    const double persistence = logistic(p[2]), share = logistic(p[3]);
    return {p[0], std::exp(p[1]), persistence * share, persistence * (1.0 - share),
            student_ ? 2.0 + std::exp(std::min(p[4], most_log_nu)) : INFINITY};
  }

  GarchPoint to_scale(GarchPoint p) const {
    p[0] = center_ + scale_ * p[0];
    p[1] *= scale_ * scale_;
    return p;
  }

  double free_value(const GarchPoint& p, GarchPoint& gradient) const {
    const double persistence = logistic(p[2]), share = logistic(p[3]);
    GarchPoint g{};
    const GarchPoint natural = natural_of(p);
    const double value = negative_log_likelihood(natural, g);
    gradient[0] = g[0];
    gradient[1] = g[1] * natural[1];
    gradient[2] = (g[2] * share + g[3] * (1.0 - share)) * persistence * (1.0 - persistence);
    gradient[3] = (g[2] - g[3]) * persistence * share * (1.0 - share);
    gradient[4] = student_ && p[4] < most_log_nu ? g[4] * (natural[4] - 2.0) : 0.0;
    return value;
  }

  // By the natural parameters, with its gradient.
  double negative_log_likelihood(const GarchPoint& p, GarchPoint& gradient) const {
    const double mean = p[0], omega = p[1], alpha = p[2], beta = p[3], nu = p[4];
    const std::size_t n = x_.size();
    double h = 1.0, sum = 0.0, by_mean = 0.0, by_omega = 0.0, by_alpha = 0.0, by_beta = 0.0;
    double d_mean = 0.0, d_omega = 0.0, d_alpha = 0.0, d_beta = 0.0, d_nu = 0.0;
    // Logarithms of products of variances: a few hundred times fewer of them.
    double product = 1.0;
    for (std::size_t t = 0; t < n; ++t) {
      const double e = x_[t] - mean, squared = e * e, per_h = 1.0 / h;
      product *= h;
      if (product > 1e200 || product < 1e-200) {
        sum += std::log(product);
        product = 1.0;
      }
      double by_h, by_e;
      if (student_) {
        const double q = squared * per_h / (nu - 2.0),
                     weight = (nu + 1.0) / (1.0 + q) / (nu - 2.0);
        const double grown = std::log1p(q);
        sum += (nu + 1.0) * grown;
        by_h = per_h * (1.0 - weight * squared * per_h);
        by_e = 2.0 * weight * e * per_h;
        d_nu += grown - (nu + 1.0) / (nu - 2.0) * q / (1.0 + q);
      } else {
        const double q = squared * per_h;
        sum += q;
        by_h = per_h * (1.0 - q);
        by_e = 2.0 * e * per_h;
      }
      by_mean += by_h * d_mean - by_e;
      by_omega += by_h * d_omega;
      by_alpha += by_h * d_alpha;
      by_beta += by_h * d_beta;
      d_mean = beta * d_mean - 2.0 * alpha * e;
      d_omega = 1.0 + beta * d_omega;
      d_alpha = squared + beta * d_alpha;
      d_beta = h + beta * d_beta;
      h = omega + alpha * squared + beta * h;
    }
    sum += std::log(product);
    const double size = static_cast<double>(n);
    gradient = {0.5 * by_mean, 0.5 * by_omega, 0.5 * by_alpha, 0.5 * by_beta, 0.0};
    if (!student_) return 0.5 * (sum + size * std::log(2.0 * M_PI));
    const double constant =
        log_gamma(0.5 * (nu + 1.0)) - log_gamma(0.5 * nu) - 0.5 * std::log((nu - 2.0) * M_PI);
    gradient[4] = 0.5 * d_nu - size * (0.5 * digamma(0.5 * (nu + 1.0)) - 0.5 * digamma(0.5 * nu) -
                                       0.5 / (nu - 2.0));
    return 0.5 * sum - size * constant;
  }

  // From the observed information: differences of the gradient.
  void errors(const GarchPoint& at, Garch& fit) const {
    std::array<GarchPoint, garch_size> information{}, inverse{};
    for (std::size_t i = 0; i < used_; ++i) {
      const double room = i == 0 ? 1.0 : i == 4 ? at[i] - 2.0 : at[i];
      const double step = 1e-4 * room;
      if (!(step > 0.0)) return;
      GarchPoint up = at, down = at, g_up{}, g_down{};
      up[i] += step;
      down[i] -= step;
      negative_log_likelihood(up, g_up);
      negative_log_likelihood(down, g_down);
      for (std::size_t j = 0; j < used_; ++j)
        information[i][j] = (g_up[j] - g_down[j]) / (2.0 * step);
    }
    for (std::size_t i = 0; i < used_; ++i)
      for (std::size_t j = 0; j < i; ++j)
        information[i][j] = information[j][i] = 0.5 * (information[i][j] + information[j][i]);
    if (!invert<garch_size>(information, used_, inverse)) return;
    for (std::size_t i = 0; i < used_; ++i) {
      fit.error[i] = std::sqrt(inverse[i][i]);
      if (!(fit.error[i] > 0.0) || !std::isfinite(fit.error[i])) return;
    }
    fit.error[0] *= scale_;
    fit.error[1] *= scale_ * scale_;
    fit.has_errors = true;
  }

  // Beyond some thousands of degrees of freedom the likelihood is flat, and its gradient mostly
  // rounding.
  static constexpr double most_log_nu = 8.0;
  bool student_;
  std::size_t used_;
  double center_, scale_;
  std::vector<double> x_;
};

} // namespace imbroglio
