#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>
#include "families.h"
#include "ged.h"
#include "minimise.h"

namespace imbroglio {

struct Fit {
  Estimate at;
  std::array<double, 4> error{missing, missing, missing, missing};
  double log_likelihood = missing;
  bool converged = false;
};

// How the free shapes move with each of the natural ones: [natural][free].
template <class Family>
std::array<Shapes, 2> by_natural(const Shapes& natural) {
  std::array<Shapes, 2> moved{};
  for (std::size_t s = 0; s < Family::shapes; ++s) {
    const double step = 1e-5 * std::max(std::fabs(natural[s]), 1e-3);
    Shapes up = natural, down = natural;
    up[s] += step;
    down[s] -= step;
    const Shapes above = Family::free(up), below = Family::free(down);
    for (std::size_t f = 0; f < Family::shapes; ++f)
      moved[s][f] = (above[f] - below[f]) / (2.0 * step);
  }
  return moved;
}

// Fits of one family to samples that ascend.
template <class Family>
class FamilyFit {
 public:
  static constexpr std::size_t k = 2 + Family::shapes;
  using Free = Point<k>; // location, ln scale, free shapes

  FamilyFit(const double* sorted, std::size_t n)
      : x_(sorted), n_(n), count_(static_cast<double>(n)) {}

  // From several starts, with errors; `path`, if any, is given the search of the best start, empty
  // where there is a closed form.
  Fit operator()(Search* path = nullptr) const {
    Fit fit;
    // Values of middle 0 and like size.
    const Described sample(x_, n_);
    const double middle = sample.quantile(0.5),
                 spread = sample.quantile(0.75) - sample.quantile(0.25);
    const double size = spread > 1e-9 * sample.deviation ? spread / 1.349 : sample.deviation;
    if (!(size > 0.0) || !std::isfinite(size)) return fit;
    std::vector<double> scaled(n_);
    for (std::size_t i = 0; i < n_; ++i) scaled[i] = (x_[i] - middle) / size;
    const FamilyFit standard(scaled.data(), n_);
    bool converged = false;
    const Estimate found = standard.search(Family::starts(), 2, 1e-9, converged, nullptr, path);
    auto to_size = [=](Estimate& at, double& log_likelihood) {
      log_likelihood -= count_ * std::log(size);
      at.location = middle + size * at.location;
      at.scale *= size;
    };
    if (path)
      for (SearchStep& step : *path) to_size(step.at, step.log_likelihood);
    // A scale of nothing beside the sample's: the likelihood grows without bound about repeated
    // values.
    if (!found.found || found.scale < 1e-4) return fit;
    standard.finish(found, converged, fit);
    to_size(fit.at, fit.log_likelihood);
    fit.error[0] *= size;
    fit.error[1] *= size;
    return fit;
  }

  // The usual estimates by moments or quantiles; they have no errors here.
  Fit by_moments() const {
    Fit fit;
    fit.at = Family::by_moments(Described(x_, n_));
    fit.converged = fit.at.found && fit.at.scale > 0.0 && std::isfinite(fit.at.scale) &&
                    Family::inside(fit.at.shape);
    if (!fit.converged)
      fit.at = {};
    else
      fit.log_likelihood = log_likelihood(fit.at);
    return fit;
  }

  using Square = std::array<Free, k>;
  // Of a draw from the family in standard form, from where it came from; less exact.
  Estimate again(const Shapes& shape, const Square& known) const {
    bool converged;
    return search({Family::free(shape)}, 1, 1e-5, converged, &known);
  }

  // What a search near the truth may know beforehand, by a sample of the family's.
  static Square curvature_at(const Shapes& shape, Random random) {
    const Family family(shape);
    std::vector<double> z(4000);
    for (double& v : z) v = family.draw(random);
    return FamilyFit(z.data(), z.size()).curvature(free_of({0.0, 1.0, shape, true}));
  }

  double log_likelihood(const Estimate& at) const {
    const Family family(at.shape);
    double by_z;
    Shapes by_shape{};
    double sum = 0.0;
    for (std::size_t i = 0; i < n_; ++i)
      sum += family.term((x_[i] - at.location) / at.scale, by_z, by_shape);
    return sum - count_ * std::log(at.scale);
  }

 private:
  Estimate search(const std::vector<Shapes>& starts, std::size_t searched, double tolerance,
                  bool& converged, const Square* known = nullptr, Search* path = nullptr) const {
    const auto f = [this](const Free& p, Free& gradient) { return mean_loss(p, gradient); };
    const auto inside = [](const Free& p) { return Family::inside(Family::natural(shape_of(p))); };
    std::vector<Minimum<k>> tried;
    Free unused{};
    for (const Shapes& shape : starts) {
      Minimum<k> start;
      for (std::size_t j = 0; j < Family::shapes; ++j) start.at[2 + j] = shape[j];
      start.value = f(start.at, unused);
      tried.push_back(start);
    }
    std::sort(tried.begin(), tried.end(),
              [](const Minimum<k>& a, const Minimum<k>& b) { return a.value < b.value; });
    std::vector<Free> from;
    for (std::size_t i = 0; i < std::min(searched, tried.size()); ++i) from.push_back(tried[i].at);
    Square here;
    auto known_at = [&](const Free& start) -> const Square* {
      if (known) return known;
      here = curvature(start);
      return &here;
    };
    std::vector<Minimum<k>> steps;
    const auto best =
        minimise_from<k>(from, f, inside, known_at, tolerance, 1.0, path ? &steps : nullptr);
    if (path) {
      path->clear();
      for (const Minimum<k>& step : steps)
        path->push_back({natural_of(step.at), -count_ * step.value, step.slope});
    }
    converged = best.converged;
    if (!std::isfinite(best.value)) return {};
    return natural_of(best.at);
  }

  static Free free_of(const Estimate& at) {
    const Shapes free = Family::free(at.shape);
    Free p{};
    p[0] = at.location;
    p[1] = std::log(at.scale);
    for (std::size_t j = 0; j < Family::shapes; ++j) {
      p[2 + j] = free[j];
      p[1] -= Family::stretch[j] * free[j];
    }
    return p;
  }
  static Estimate natural_of(const Free& p) {
    return {p[0], scale_of(p), Family::natural(shape_of(p)), true};
  }

  static Shapes shape_of(const Free& p) {
    Shapes shape{};
    for (std::size_t j = 0; j < Family::shapes; ++j) shape[j] = p[2 + j];
    return shape;
  }
  static double scale_of(const Free& p) {
    double log_scale = p[1];
    for (std::size_t j = 0; j < Family::shapes; ++j) log_scale += Family::stretch[j] * p[2 + j];
    return std::exp(log_scale);
  }

  double mean_loss(const Free& p, Free& gradient) const {
    for (std::size_t j = 1; j < k; ++j)
      if (!(std::fabs(p[j]) < 16.0)) return INFINITY;
    const Shapes natural = Family::natural(shape_of(p));
    const double scale = scale_of(p), per_scale = 1.0 / scale;
    const Family family(natural);
    double sum = 0.0, by_location = 0.0, by_log_scale = 0.0;
    Shapes by_shape{}, one{};
    for (std::size_t i = 0; i < n_; ++i) {
      const double z = (x_[i] - p[0]) * per_scale;
      double by_z;
      sum += family.term(z, by_z, one);
      by_location += by_z;
      by_log_scale += by_z * z;
      for (std::size_t j = 0; j < Family::shapes; ++j) by_shape[j] += one[j];
    }
    gradient[0] = by_location * per_scale / count_;
    gradient[1] = 1.0 + by_log_scale / count_;
    for (std::size_t j = 0; j < Family::shapes; ++j)
      gradient[2 + j] = Family::stretch[j] * gradient[1] - by_shape[j] / count_;
    return std::log(scale) - sum / count_;
  }

  // The inverse of the mean square of each observation's gradient: near the likeliest, about that
  // of the second derivatives.
  Square curvature(const Free& p) const {
    const Family family(Family::natural(shape_of(p)));
    const double per_scale = 1.0 / scale_of(p);
    Square squares{}, inverse{};
    for (std::size_t i = 0; i < n_; ++i) {
      const double z = (x_[i] - p[0]) * per_scale;
      double by_z;
      Shapes one{};
      family.term(z, by_z, one);
      Free g{by_z * per_scale, 1.0 + by_z * z};
      for (std::size_t j = 0; j < Family::shapes; ++j)
        g[2 + j] = Family::stretch[j] * g[1] - one[j];
      for (std::size_t a = 0; a < k; ++a)
        for (std::size_t b = 0; b <= a; ++b) squares[a][b] += g[a] * g[b] / count_;
    }
    for (std::size_t a = 0; a < k; ++a)
      for (std::size_t b = 0; b < a; ++b) squares[b][a] = squares[a][b];
    if (invert<k>(squares, k, inverse)) return inverse;
    for (std::size_t a = 0; a < k; ++a)
      for (std::size_t b = 0; b < k; ++b) inverse[a][b] = a == b ? 1.0 : 0.0;
    return inverse;
  }

  void finish(const Estimate& found, bool converged, Fit& fit) const {
    fit.at = found;
    fit.log_likelihood = log_likelihood(found);
    const bool errors = errors_of(found, fit);
    fit.converged = converged && errors && Family::inside(found.shape);
  }

  // From the observed information, by differences of the gradient; then as of the natural
  // parameters.
  bool errors_of(const Estimate& at, Fit& fit) const {
    Free up{}, down{}, g_up{}, g_down{};
    const Free p = free_of(at);
    auto parameters = [](const Free& q) {
      const Estimate natural = natural_of(q);
      return std::array<double, 4>{natural.location, natural.scale, natural.shape[0],
                                   natural.shape[1]};
    };
    std::array<Free, k> information{}, inverse{}, jacobian{};
    for (std::size_t i = 0; i < k; ++i) {
      const double step = 1e-4 * (i == 0 ? at.scale : 1.0);
      up = down = p;
      up[i] += step;
      down[i] -= step;
      if (!std::isfinite(mean_loss(up, g_up)) || !std::isfinite(mean_loss(down, g_down)))
        return false;
      const auto high = parameters(up), low = parameters(down);
      for (std::size_t j = 0; j < k; ++j) {
        information[i][j] = count_ * (g_up[j] - g_down[j]) / (2.0 * step);
        jacobian[j][i] = (high[j] - low[j]) / (2.0 * step);
      }
    }
    for (std::size_t i = 0; i < k; ++i)
      for (std::size_t j = 0; j < i; ++j)
        information[i][j] = information[j][i] = 0.5 * (information[i][j] + information[j][i]);
    if (!invert<k>(information, k, inverse)) return false;
    for (std::size_t i = 0; i < k; ++i) {
      double variance = 0.0;
      for (std::size_t a = 0; a < k; ++a)
        for (std::size_t b = 0; b < k; ++b)
          variance += jacobian[i][a] * inverse[a][b] * jacobian[i][b];
      fit.error[i] = std::sqrt(variance);
      if (!(fit.error[i] > 0.0) || !std::isfinite(fit.error[i])) return false;
    }
    return true;
  }

  const double* x_;
  std::size_t n_;
  double count_;
};

// What has a closed form.
template <>
inline Estimate FamilyFit<NormalFamily>::search(const std::vector<Shapes>&, std::size_t, double,
                                                bool& converged, const Square*, Search*) const {
  const double mean = mean_of(x_, n_);
  const double* x = x_;
  const double squares = sum_of(n_, [=](std::size_t i) { return (x[i] - mean) * (x[i] - mean); });
  converged = true;
  return {mean, std::sqrt(squares / count_), {}, squares > 0.0};
}

template <>
inline Estimate FamilyFit<LaplaceFamily>::search(const std::vector<Shapes>&, std::size_t, double,
                                                 bool& converged, const Square*, Search*) const {
  const double middle = 0.5 * (x_[(n_ - 1) / 2] + x_[n_ / 2]);
  const double* x = x_;
  const double away = sum_of(n_, [=](std::size_t i) { return std::fabs(x[i] - middle); });
  converged = true;
  return {middle, away / count_, {}, away > 0.0};
}

// The density has no second derivative at its middle: the errors are by the expected information.
template <>
inline bool FamilyFit<LaplaceFamily>::errors_of(const Estimate& at, Fit& fit) const {
  fit.error[0] = fit.error[1] = at.scale / std::sqrt(count_);
  return true;
}

template <>
inline Estimate FamilyFit<GedFamily>::search(const std::vector<Shapes>& starts, std::size_t,
                                             double tolerance, bool& converged, const Square*,
                                             Search* path) const {
  const Estimate found = GedSearch(x_, n_, starts[0][0])(tolerance, converged, path);
  if (path)
    for (SearchStep& step : *path) step.log_likelihood = log_likelihood(step.at);
  return found;
}

// By the expected information, which has a closed form for p above a half.
template <>
inline bool FamilyFit<GedFamily>::errors_of(const Estimate& at, Fit& fit) const {
  const double p = at.shape[0], a = 1.0 / p;
  if (!(p > 0.5)) return false;
  const double location = p * p * std::exp(log_gamma(2.0 - a) - log_gamma(a)) * count_;
  // w = |z|^p is gamma distributed; the scores are p w - 1 and a constant less w ln w / p.
  const double one = digamma(a + 1.0), two = digamma(a + 2.0);
  const double mean = a * one, square = a * (a + 1.0) * (trigamma(a + 2.0) + two * two),
               both = a * (a + 1.0) * two;
  const double scale = p, shape = (square - mean * mean) / (p * p), cross = -(both - a * mean);
  const double determinant = (scale * shape - cross * cross) * count_;
  if (!(determinant > 0.0)) return false;
  fit.error[0] = at.scale / std::sqrt(location);
  fit.error[1] = at.scale * std::sqrt(shape / determinant);
  fit.error[2] = std::sqrt(scale / determinant);
  return true;
}

} // namespace imbroglio
