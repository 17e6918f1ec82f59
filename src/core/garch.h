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

// The limits at which a fit may end, some of them together. Where alpha is 0 the variance does not
// depend on the returns; where beta is 0 too it is constant.
namespace garch_limit {
constexpr int alpha = 1, beta = 2, persistence = 4, omega = 8, normal = 16;
constexpr int constant = alpha + beta;
} // namespace garch_limit

struct Garch {
  GarchPoint at{}, error{};
  double log_likelihood = missing;
  bool converged = false;
  int limits = 0;
};

class GarchFit {
 public:
  // No value is missing. h_1 is the sample's mean squared distance from its mean.
  GarchFit(const double* x, std::size_t n, bool student) : student_(student) {
    center_ = mean_of(x, n);
    const double size = static_cast<double>(n),
                 squares =
                     sum_of(n, [=](std::size_t i) { return (x[i] - center_) * (x[i] - center_); });
    scale_ = n ? std::sqrt(beyond_rounding(squares, size, x[0]) / size) : 0.0;
    x_.resize(n);
    // On returns of mean 0 and variance 1 every parameter is of a like size.
    for (std::size_t i = 0; i < n; ++i) x_[i] = (x[i] - center_) / scale_;
  }

  // Of an estimate that is at no limit but that of normal innovations: the logits of persistence
  // and of the share of alpha in it, and their variances and covariance, from the observed
  // information.
  bool lasting(const GarchPoint& estimate, std::array<double, 5>& out) const {
    const double persistence = estimate[2] + estimate[3];
    GarchFit kind(*this);
    kind.student_ = std::isfinite(estimate[4]);
    const std::size_t k = kind.student_ ? 5 : 4;
    const GarchPoint at{(estimate[0] - center_) / scale_, std::log(estimate[1] / scale_ / scale_),
                        logit(persistence), logit(estimate[2] / persistence),
                        kind.student_ ? std::log(estimate[4] - 2.0) : 0.0};
    std::array<GarchPoint, garch_size> information{}, inverse{};
    for (std::size_t i = 0; i < k; ++i) {
      GarchPoint up = at, down = at, g_up{}, g_down{};
      up[i] += 1e-4;
      down[i] -= 1e-4;
      kind.free_value(up, g_up);
      kind.free_value(down, g_down);
      for (std::size_t j = 0; j < k; ++j) {
        information[i][j] += (g_up[j] - g_down[j]) / 4e-4;
        information[j][i] += (g_up[j] - g_down[j]) / 4e-4;
      }
    }
    if (!invert<garch_size>(information, k, inverse)) return false;
    out = {at[2], at[3], inverse[2][2], inverse[2][3], inverse[3][3]};
    return out[2] > 0.0 && out[4] > 0.0 && out[2] * out[4] > out[3] * out[3];
  }

  // `path`, if any, is given the search of the best start, in natural parameters.
  Garch operator()(std::vector<Minimum<garch_size>>* path = nullptr) const {
    Garch fit;
    if (!(scale_ > 0.0) || x_.size() < 20) return fit;
    const double size = static_cast<double>(x_.size());
    const Found best = likeliest(path);
    if (path)
      for (auto& step : *path) {
        step.at = to_scale(natural_of(step.at));
        step.value = -step.value - size * std::log(scale_);
        step.slope /= size;
      }
    const GarchPoint natural = at_limits(natural_of(best.at), best.limits);
    fit.limits = best.limits;
    fit.log_likelihood = -best.value - size * std::log(scale_);
    fit.at = to_scale(natural);
    fit.converged = best.converged;
    // Of what is at its limit the errors may be unknown where the rest hardly matters.
    if (!errors(natural, fit)) {
      fit.error.fill(missing);
      fit.converged = fit.converged && fit.limits;
    }
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
  using Steps = std::vector<Minimum<garch_size>>;
  struct Found : Minimum<garch_size> {
    int limits = 0;
  };

  // A logit or logarithm there is as good as at its limit, and does not move in a search.
  static constexpr double edge = 40.0;

  Found likeliest(Steps* path) const {
    // The surface is flat along persistence: starts on a grid of it, the best of them searched.
    std::vector<Minimum<garch_size>> starts;
    GarchPoint unused{};
    for (double persistence : {0.5, 0.8, 0.93, 0.98, 0.995})
      for (double share : {0.03, 0.08, 0.2, 0.5}) {
        Minimum<garch_size> start;
        start.at = {0.0, std::log(1.0 - persistence), logit(persistence), logit(share), tail()};
        start.value = free_value(start.at, unused);
        starts.push_back(start);
      }
    std::sort(starts.begin(), starts.end(),
              [](const auto& a, const auto& b) { return a.value < b.value; });
    std::vector<GarchPoint> from;
    for (const auto& start : starts) from.push_back(start.at);
    Found best = searched({from.begin(), from.begin() + (x_.size() > 250 ? 4 : 10)}, 0, path);
    if (best.at[4] > std::log(60.0)) against_normal(best, path);
    if (best.limits & garch_limit::normal) return best;
    // No limit is a rival where clustering is plain.
    GarchPoint flat = best.at;
    flat[1] = 0.0;
    flat[2] = -edge;
    if (best.converged && free_value(flat, unused) > best.value + 12.0) return best;
    against_limits(best, path);
    if (!best.converged) take(best, from, 0, path);
    against_normal(best, path);
    return best;
  }

  double tail() const { return std::log(student_ ? 5.0 : 1.0); }

  // The likeliest from some starts, which are at some limits; what comes to within a hair of more
  // of them is taken to them.
  Found searched(const std::vector<GarchPoint>& from, int limits, Steps* path) const {
    using namespace garch_limit;
    Found found = minimum(from, limits, path);
    for (int turn = 0; turn < 4; ++turn) {
      const GarchPoint natural = natural_of(found.at);
      int near = limits;
      if (natural[2] < 1e-7) near |= alpha;
      if (natural[3] < 1e-7) near |= beta;
      if (natural[1] < 1e-8) near |= omega;
      if (!(natural[2] + natural[3] < 0.99999)) near |= persistence;
      if (near == limits || !std::isfinite(found.value)) break;
      GarchPoint at = found.at;
      if (near & alpha) at[3] = -edge;
      if (near & beta) at[3] = edge;
      if (near & omega) at[1] = -edge;
      if (near & persistence) at[2] = edge;
      if ((near & constant) == constant) {
        at[1] = std::log(natural[1] / (1.0 - natural[2] - natural[3]));
        at[2] = -edge;
        near = constant;
      }
      Steps steps;
      const Found settled = minimum({at}, limits = near, path ? &steps : nullptr);
      if (!(settled.value < found.value + 1e-6 * static_cast<double>(x_.size()))) {
        found.converged = false;
        break;
      }
      found = settled;
      if (path) path->insert(path->end(), steps.begin(), steps.end());
    }
    if (student_ && !(found.at[4] > std::log(0.05) && found.at[4] < std::log(898.0)))
      found.converged = false;
    return found;
  }

  Found minimum(const std::vector<GarchPoint>& from, int limits, Steps* path) const {
    const double size = static_cast<double>(x_.size());
    Found found;
    static_cast<Minimum<garch_size>&>(found) = minimise_from<garch_size>(
        from, [this](const GarchPoint& p, GarchPoint& g) { return free_value(p, g); },
        [this](const GarchPoint& p) { return !student_ || p[4] < std::log(898.0); },
        [](const GarchPoint&) -> const std::array<GarchPoint, garch_size>* { return nullptr; },
        1e-7 * size, size, path);
    found.limits = limits;
    return found;
  }

  // What came to no end yields to what is as likely but for so little that none can tell, the
  // inside to a limit that is as likely, a limit to what is likelier.
  bool yields(const Found& best, const Found& to) const {
    const double hair = best.converged ? best.limits || !to.limits ? -1e-9 : 1e-9 : 1e-6;
    return to.converged && to.value < best.value + hair * static_cast<double>(x_.size());
  }
  void take(Found& best, const std::vector<GarchPoint>& from, int limits, Steps* path) const {
    Steps steps;
    const Found found = searched(from, limits, path ? &steps : nullptr);
    if (!yields(best, found)) return;
    best = found;
    if (path) path->swap(steps);
  }

  // What lies at the limits, the plainest first, and from the best of it inwards again.
  void against_limits(Found& best, Steps* path) const {
    using namespace garch_limit;
    auto start = [this](double omega, double persistence, double share) {
      return GarchPoint{0.0, omega > 0.0 ? std::log(omega) : -edge,
                        persistence < 1.0 ? std::max(logit(persistence), -edge) : edge,
                        std::min(std::max(logit(share), -edge), edge), tail()};
    };
    GarchPoint fat = start(1.0, 0.0, 0.5);
    fat[4] -= 2.0;
    take(best, {start(1.0, 0.0, 0.5), fat}, constant, path);
    take(best,
         {start(0.1, 0.9, 0.0), start(0.002, 0.999, 0.0), start(1e-4, 0.9999, 0.0),
          start(1e-6, 0.999998, 0.0)},
         alpha, path);
    take(best, {start(0.7, 0.3, 1.0), start(0.2, 0.8, 1.0)}, beta, path);
    take(best, {start(0.01, 1.0, 0.05), start(0.05, 1.0, 0.3)}, persistence, path);
    take(best, {start(0.0, 0.99, 0.05)}, omega, path);
    take(best, {start(0.0, 1.0, 0.05)}, omega + persistence, path);
    if (!best.limits) return;
    GarchPoint inwards = best.at;
    if (best.limits == constant) {
      inwards[1] += std::log(0.5);
      inwards[2] = 0.0;
    }
    if (best.limits & alpha) inwards[3] = logit(0.02);
    if (best.limits == beta) inwards[3] = logit(0.9);
    if (best.limits & persistence) inwards[2] = logit(0.998);
    if (best.limits & omega) inwards[1] = std::log(0.001);
    take(best, {inwards}, 0, path);
  }

  // Normal innovations are those of Student's t with ever more degrees of freedom.
  void against_normal(Found& best, Steps* path) const {
    if (!student_ || (best.at[4] < std::log(60.0) && x_.size() > 500)) return;
    GarchFit normal(*this);
    normal.student_ = false;
    Steps steps;
    Found found = normal.likeliest(path ? &steps : nullptr);
    if (!best.converged) normal.take(found, {best.at}, 0, path ? &steps : nullptr);
    // Where what is left has fatter tails than the normal's, it is not the limit that is
    // likeliest.
    const double fatness = normal.fatness_at(at_limits(normal.natural_of(found.at), found.limits));
    if (fatness > 0.0) {
      GarchPoint fat = found.at;
      fat[4] = std::log(2.0 + 6.0 / std::max(fatness, 0.01));
      take(best, {fat}, found.limits, path);
    }
    found.limits |= garch_limit::normal;
    if (!yields(best, found)) return;
    best = found;
    if (path) path->swap(steps);
  }

  // Four times the slope of the mean log-likelihood along 1 / nu where that is 0.
  double fatness_at(const GarchPoint& at) const {
    double h = 1.0, sum = 0.0;
    for (double x : x_) {
      const double squared = (x - at[0]) * (x - at[0]);
      const double z2 = squared / h;
      sum += z2 * z2 - 6.0 * z2 + 3.0;
      h = at[1] + at[2] * squared + at[3] * h;
    }
    return sum / static_cast<double>(x_.size());
  }

  static GarchPoint at_limits(GarchPoint natural, int limits) {
    using namespace garch_limit;
    if (limits & alpha) natural[2] = 0.0;
    if (limits & beta) natural[3] = 0.0;
    if (limits & persistence) natural[3] = 1.0 - natural[2];
    if (limits & omega) natural[1] = 0.0;
    if (limits & normal) natural[4] = INFINITY;
    return natural;
  }

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

  // From the observed information, by differences of the gradient along what is free: alpha less
  // beta where persistence is at its limit.
  bool errors(const GarchPoint& at, Garch& fit) const {
    using namespace garch_limit;
    const int limits = fit.limits;
    std::vector<GarchPoint> along;
    auto free = [&](std::size_t i, double step) {
      GarchPoint one{};
      one[i] = step;
      along.push_back(one);
    };
    free(0, 1e-4);
    if (!(limits & omega)) free(1, 1e-4 * at[1]);
    const bool tied = limits & persistence;
    if (!(limits & alpha) && !(tied && limits & beta)) {
      free(2, 1e-4 * std::min(at[2], 1.0 - at[2]));
      if (tied) along.back()[3] = -along.back()[2];
    }
    if (!(limits & beta) && !tied) free(3, 1e-4 * at[3]);
    GarchFit kind(*this);
    kind.student_ = student_ && !(limits & garch_limit::normal);
    if (kind.student_) free(4, 1e-4 * (at[4] - 2.0));
    if (error_along(along, kind, at, fit)) return true;
    // Where the variance hardly changes, nothing is known of how fast it does.
    if (!(limits & alpha) || limits & beta) return false;
    along.erase(along.end() - (kind.student_ ? 2 : 1));
    return error_along(along, kind, at, fit);
  }

  bool error_along(const std::vector<GarchPoint>& along, const GarchFit& kind,
                   const GarchPoint& at, Garch& fit) const {
    std::array<GarchPoint, garch_size> information{}, inverse{};
    const std::size_t k = along.size();
    for (std::size_t i = 0; i < k; ++i) {
      GarchPoint up = at, down = at, g_up{}, g_down{};
      for (std::size_t c = 0; c < garch_size; ++c) {
        up[c] += along[i][c];
        down[c] -= along[i][c];
      }
      kind.negative_log_likelihood(up, g_up);
      kind.negative_log_likelihood(down, g_down);
      for (std::size_t j = 0; j < k; ++j)
        for (std::size_t c = 0; c < garch_size; ++c)
          if (along[j][c] != 0.0) information[i][j] += 0.5 * (g_up[c] - g_down[c]) * along[j][c];
    }
    for (std::size_t i = 0; i < k; ++i)
      for (std::size_t j = 0; j < i; ++j)
        information[i][j] = information[j][i] = 0.5 * (information[i][j] + information[j][i]);
    fit.error.fill(missing);
    if (!invert<garch_size>(information, k, inverse)) return false;
    for (std::size_t i = 0; i < k; ++i) {
      const double error = std::sqrt(inverse[i][i]);
      if (!(error > 0.0) || !std::isfinite(error)) return false;
      for (std::size_t c = 0; c < garch_size; ++c)
        if (along[i][c] != 0.0) fit.error[c] = error * std::fabs(along[i][c]);
    }
    fit.error[0] *= scale_;
    fit.error[1] *= scale_ * scale_;
    return true;
  }

  // Beyond some thousands of degrees of freedom the likelihood is flat, and its gradient mostly
  // rounding.
  static constexpr double most_log_nu = 8.0;
  bool student_;
  double center_, scale_;
  std::vector<double> x_;
};

} // namespace imbroglio
