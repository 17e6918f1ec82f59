#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>
#include "families-limits.h"
#include "families.h"
#include "ged.h"
#include "minimise.h"

namespace imbroglio {

// How a fit ended: without one, for too few returns, a scale of nothing, no top within the bounds
// or moments that no member has; inside its family; or at its limits, the first, the second, ...
namespace ending {
constexpr int few = -1, alike = -2, topless = -3, no_moments = -4, inside = 0, limit = 1;
}

struct Fit {
  Estimate at;
  std::array<double, 4> error{missing, missing, missing, missing};
  double log_likelihood = missing;
  int ended = ending::few;
};

// The families that a family comes to at an end of its shapes, the plainest first.
template <class... Family>
struct Families {};
template <class Family>
struct LimitsOf {
  using type = Families<>;
};
template <>
struct LimitsOf<StudentFamily> {
  using type = Families<NormalFamily>;
};
template <>
struct LimitsOf<GedFamily> {
  using type = Families<UniformFamily>;
};
template <>
struct LimitsOf<JohnsonFamily> {
  using type = Families<NormalFamily, LognormalFamily>;
};
template <>
struct LimitsOf<SkewStudentFamily> {
  using type = Families<NormalFamily, TwoPieceNormalFamily>;
};
template <>
struct LimitsOf<NigFamily> {
  using type = Families<NormalFamily, CauchyFamily, InverseGaussianFamily>;
};

// Calls work with the limit of a family of a number.
template <class... Limit, class Work>
void with_limit(Families<Limit...>, int number, [[maybe_unused]] Work work) {
  int here = ending::limit;
  ((number == here++ ? work(static_cast<Limit*>(nullptr)) : void()), ...);
}

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
    standard.best(fit, path);
    auto to_size = [=](Estimate& at, double& log_likelihood) {
      log_likelihood -= count_ * std::log(size);
      at.location = middle + size * at.location;
      at.scale *= size;
    };
    if (path)
      for (SearchStep& step : *path) to_size(step.at, step.log_likelihood);
    if (!fit.at.found) return fit;
    to_size(fit.at, fit.log_likelihood);
    fit.error[0] *= size;
    fit.error[1] *= size;
    return fit;
  }

  // The usual estimates by moments or quantiles; they have no errors here.
  Fit by_moments() const {
    Fit fit;
    fit.at = Family::by_moments(Described(x_, n_));
    if (fit.at.found && fit.at.scale > 0.0 && std::isfinite(fit.at.scale) &&
        Family::inside(fit.at.shape)) {
      fit.log_likelihood = log_likelihood(fit.at);
      fit.ended = ending::inside;
    } else {
      fit.at = {};
      fit.ended = ending::no_moments;
    }
    return fit;
  }

  using Square = std::array<Free, k>;
  // Of a draw, from a shape near the one it came from; less exact, and without errors.
  Fit again(const Shapes& near, const Square& known) const {
    bool converged;
    Fit fit;
    fit.at = search({free_of({0.0, 1.0, near, true})}, 1, 1e-5, converged, &known);
    fit.ended = ending::topless;
    if (!fit.at.found || !(fit.at.scale > 0.0) || !std::isfinite(fit.at.scale)) {
      fit.at = {};
      return fit;
    }
    if (Family::inside(fit.at.shape)) {
      fit.ended = ending::inside;
    } else {
      fit.log_likelihood = log_likelihood(fit.at);
      against_limits(fit, nullptr, typename LimitsOf<Family>::type());
    }
    return fit;
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
  Estimate search(const std::vector<Free>& starts, std::size_t searched, double tolerance,
                  bool& converged, const Square* known = nullptr, Search* path = nullptr) const {
    const auto f = [this](const Free& p, Free& gradient) { return mean_loss(p, gradient); };
    const auto inside = [](const Free& p) { return Family::inside(Family::natural(shape_of(p))); };
    std::vector<Minimum<k>> tried;
    Free unused{};
    for (const Free& at : starts) {
      Minimum<k> start;
      start.at = at;
      start.value = f(at, unused);
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
    const Frame frame = Family::frame(free);
    Free p{at.location + at.scale * frame.shift, std::log(at.scale) - frame.stretch};
    for (std::size_t j = 0; j < Family::shapes; ++j) p[2 + j] = free[j];
    return p;
  }
  static Estimate natural_of(const Free& p) {
    const Frame frame = Family::frame(shape_of(p));
    const double scale = std::exp(p[1] + frame.stretch);
    return {p[0] - scale * frame.shift, scale, Family::natural(shape_of(p)), true};
  }

  static Shapes shape_of(const Free& p) {
    Shapes shape{};
    for (std::size_t j = 0; j < Family::shapes; ++j) shape[j] = p[2 + j];
    return shape;
  }
  // Of a loss by location, ln scale and free shapes, that by a search's own parameters.
  static void by_search(const Frame& frame, double scale, Free& by) {
    const double along = by[1] - frame.shift * scale * by[0];
    for (std::size_t j = 0; j < Family::shapes; ++j)
      by[2 + j] += frame.by_stretch[j] * along - frame.by_shift[j] * scale * by[0];
    by[1] = along;
  }

  double mean_loss(const Free& p, Free& gradient) const {
    if (!(std::fabs(p[1]) < 30.0)) return INFINITY;
    const Shapes natural = Family::natural(shape_of(p));
    const Frame frame = Family::frame(shape_of(p));
    const double log_scale = p[1] + frame.stretch, scale = std::exp(log_scale),
                 location = p[0] - scale * frame.shift, per_scale = 1.0 / scale;
    const Family family(natural);
    double sum = 0.0, by_location = 0.0, by_log_scale = 0.0;
    Shapes by_shape{}, one{};
    for (std::size_t i = 0; i < n_; ++i) {
      const double z = (x_[i] - location) * per_scale;
      double by_z;
      sum += family.term(z, by_z, one);
      by_location += by_z;
      by_log_scale += by_z * z;
      for (std::size_t j = 0; j < Family::shapes; ++j) by_shape[j] += one[j];
    }
    gradient[0] = by_location * per_scale / count_;
    gradient[1] = 1.0 + by_log_scale / count_;
    for (std::size_t j = 0; j < Family::shapes; ++j) gradient[2 + j] = -by_shape[j] / count_;
    by_search(frame, scale, gradient);
    return log_scale - sum / count_;
  }

  // The inverse of the mean square of each observation's gradient: near the likeliest, about that
  // of the second derivatives.
  Square curvature(const Free& p) const {
    const Family family(Family::natural(shape_of(p)));
    const Frame frame = Family::frame(shape_of(p));
    const Estimate at = natural_of(p);
    const double per_scale = 1.0 / at.scale;
    Square squares{}, inverse{};
    for (std::size_t i = 0; i < n_; ++i) {
      const double z = (x_[i] - at.location) * per_scale;
      double by_z;
      Shapes one{};
      family.term(z, by_z, one);
      Free g{by_z * per_scale, 1.0 + by_z * z};
      for (std::size_t j = 0; j < Family::shapes; ++j) g[2 + j] = -one[j];
      by_search(frame, at.scale, g);
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

  // Of a sample of middle 0 and like size: the likeliest inside the family or at a limit of it.
  void best(Fit& fit, Search* path) const {
    using Limits = typename LimitsOf<Family>::type;
    // Short samples have more than one top more often, and are quick.
    const std::vector<Free> starts = all_starts();
    from_starts(starts, n_ <= 250 ? starts.size() : 2, fit, path);
    // What is far likelier than the normal is near no limit of thin tails.
    if (fit.ended != ending::inside || fit.log_likelihood < normal_likelihood() + 10.0)
      against_limits(fit, path, Limits());
    if (fit.ended < 0 && n_ > 250) {
      from_starts(starts, starts.size(), fit, path);
      against_limits(fit, path, Limits());
    }
    if (fit.ended < 0) {
      fit.at = {};
      fit.log_likelihood = missing;
    }
  }

  double normal_likelihood() const {
    const double deviation = Described(x_, n_).deviation;
    return -count_ * (std::log(deviation * std::sqrt(2.0 * M_PI)) + 0.5);
  }

  double laplace_likelihood() const {
    const double middle = 0.5 * (x_[(n_ - 1) / 2] + x_[n_ / 2]);
    const double* x = x_;
    const double away = sum_of(n_, [=](std::size_t i) { return std::fabs(x[i] - middle); });
    return -count_ * (std::log(2.0 * away / count_) + 1.0);
  }

  std::vector<Free> all_starts() const {
    std::vector<Free> starts;
    auto add = [&](const Shapes& shape, double middle, double stretched) {
      Free p{middle, stretched};
      for (std::size_t j = 0; j < Family::shapes; ++j) p[2 + j] = shape[j];
      // Of fat tails the deviation says little: there the scale is the sample's.
      p[1] += std::max(0.0, -Family::frame(shape).stretch);
      starts.push_back(p);
    };
    const auto shapes = Family::starts();
    for (const Shapes& shape : shapes) add(shape, 0.0, 0.0);
    if (n_ > 120 || Family::shapes == 0) return starts;
    for (std::size_t i = 0; i < shapes.size(); ++i)
      for (double side : {-1.0, 1.0}) add(shapes[i], side, i % 2 ? -1.0 : 0.0);
    return starts;
  }

  void from_starts(const std::vector<Free>& starts, std::size_t searched, Fit& fit,
                   Search* path) const {
    bool converged = false;
    const Estimate found = search(starts, searched, 1e-9, converged, nullptr, path);
    fit.at = found;
    // The likelihood grows without bound about repeated values where the scale is nothing beside
    // the sample's.
    fit.ended = found.found && found.scale < 1e-4 ? ending::alike : ending::topless;
    if (!found.found) return;
    fit.log_likelihood = log_likelihood(found);
    if (converged && Family::inside(found.shape) && found.scale >= 1e-4 && errors_of(found, fit))
      fit.ended = ending::inside;
  }

  void against_limits(Fit&, Search*, Families<>) const {}
  template <class... Limit>
  void against_limits(Fit& fit, Search* path, Families<Limit...>) const {
    if (fit.ended == ending::alike) return;
    int number = ending::limit;
    const Fit inside = fit;
    (against_limit<Limit>(fit, inside, number++, path), ...);
  }
  template <class Limit>
  void against_limit(Fit& fit, const Fit& inside, int number, Search* path) const {
    Search own;
    Fit limit = FamilyFit<Limit>(x_, n_)(path ? &own : nullptr);
    if (limit.ended != ending::inside) return;
    const double hair = 1e-9 * count_,
                 least = fit.ended == ending::inside ? fit.log_likelihood - hair
                         : fit.ended > 0             ? fit.log_likelihood + hair
                                                     : inside.log_likelihood - 1e-6 * count_;
    if (!(limit.log_likelihood >= least)) return;
    fit = limit;
    fit.ended = number;
    if (path) path->swap(own);
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
      const double step = 1e-4 * (i == 0 ? std::exp(p[1]) : 1.0);
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
inline Estimate FamilyFit<UniformFamily>::search(const std::vector<Free>&, std::size_t, double,
                                                 bool& converged, const Square*, Search*) const {
  converged = true;
  return {0.5 * (x_[0] + x_[n_ - 1]), 0.5 * (x_[n_ - 1] - x_[0]), {}, x_[n_ - 1] > x_[0]};
}

// Of the middle and half the range of n uniform numbers.
template <>
inline bool FamilyFit<UniformFamily>::errors_of(const Estimate& at, Fit& fit) const {
  fit.error[0] = at.scale * std::sqrt(2.0 / ((count_ + 1.0) * (count_ + 2.0)));
  fit.error[1] = at.scale * std::sqrt(2.0 * (count_ - 1.0) / (count_ + 2.0)) / (count_ + 1.0);
  return true;
}

template <>
inline Estimate FamilyFit<NormalFamily>::search(const std::vector<Free>&, std::size_t, double,
                                                bool& converged, const Square*, Search*) const {
  const double mean = mean_of(x_, n_);
  const double* x = x_;
  const double squares = sum_of(n_, [=](std::size_t i) { return (x[i] - mean) * (x[i] - mean); });
  converged = true;
  return {mean, std::sqrt(squares / count_), {}, squares > 0.0};
}

template <>
inline Estimate FamilyFit<LaplaceFamily>::search(const std::vector<Free>&, std::size_t, double,
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
inline Estimate FamilyFit<GedFamily>::search(const std::vector<Free>&, std::size_t,
                                             double tolerance, bool& converged,
                                             const Square* known, Search* path) const {
  // The likeliest that came to an end inside the bounds, and of the others.
  struct Top {
    Estimate at;
    double value = -INFINITY;
    Search steps;
  } tops[2];
  auto look = [&](double log_p, double location) {
    bool ended = false;
    Search steps;
    const Estimate at = GedSearch(x_, n_, log_p, location)(tolerance, ended, path ? &steps : path);
    const double value = at.found ? log_likelihood(at) : -INFINITY;
    Top& top = tops[ended && GedFamily::inside(at.shape)];
    if (value > top.value) top = {at, value, steps};
  };
  const double middle = 0.5 * (x_[(n_ - 1) / 2] + x_[n_ / 2]);
  look(std::log(1.35), middle);
  // A peak at an observation may be a top beside others, and so may be any top of a short sample.
  const Top& first = tops[tops[1].at.found];
  if (!known && (n_ <= 120 || !(first.at.shape[0] > (n_ <= 500 ? 1.15 : 0.5))))
    for (const auto& [log_p, location] : GedSearch(x_, n_, 0.0, middle).likely())
      look(log_p, location);
  // A top that is less likely than what the family holds is none.
  converged = tops[1].value >= laplace_likelihood() - 1e-9 * count_;
  const Top& top = tops[converged];
  if (path) *path = top.steps;
  if (path)
    for (SearchStep& step : *path) step.log_likelihood = log_likelihood(step.at);
  return top.at;
}

// By the expected information, which has a closed form.
template <>
inline bool FamilyFit<GedFamily>::errors_of(const Estimate& at, Fit& fit) const {
  const double p = at.shape[0], a = 1.0 / p;
  // Below a half the location is known far better than by any root of n.
  const double location =
      p > 0.5 ? p * p * std::exp(log_gamma(2.0 - a) - log_gamma(a)) * count_ : missing;
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
