#pragma once
#include "casts.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <type_traits>
#include <vector>
#include "families.h"
#include "fit.h"

namespace imbroglio {

// How far the values of a fitted distribution function at a sample that ascends are from even:
// Kolmogorov and Smirnov's distance, Anderson and Darling's, Cramer and von Mises's, and Anderson
// and Darling's of the lower tail (Sinclair, Spurr and Ahmad 1990). u(i) is its value, below(i)
// and above(i) the logarithms of it and of what is left.
constexpr std::size_t distances_count = 4;
using Distances = std::array<double, distances_count>;

template <class Value, class Below, class Above>
Distances distances_of(std::size_t n, Value u, Below below, Above above) {
  const double count = static_cast<double>(n);
  double ks = 0.0, logs = 0.0, lower_logs = 0.0, squares = 0.0, sum = 0.0;
  for (std::size_t i = 0; i < n; ++i) {
    const double v = u(i), from = static_cast<double>(i) / count,
                 to = static_cast<double>(i + 1) / count;
    ks = std::max(ks, std::max(v - from, to - v));
    const double middle = v - 0.5 * (from + to), odd = 2.0 * static_cast<double>(i) + 1.0,
                 weighted = odd * below(i);
    squares += middle * middle;
    sum += v;
    // Each observation's share in the sum of 2i - 1 times ln u_(i) and ln(1 - u_(n + 1 - i)).
    logs += weighted + (2.0 * count - odd) * above(i);
    lower_logs += weighted;
  }
  return {ks, -count - logs / count, squares + 1.0 / (12.0 * count),
          2.0 * sum - 1.5 * count - lower_logs / count};
}

// For draws, whose values lie well within 0 and 1.
inline Distances distances_of(const double* u, std::size_t n) {
  auto clear = [u](std::size_t i) { return std::min(std::max(u[i], 1e-300), 1.0 - 1e-16); };
  return distances_of(
      n, clear, [&](std::size_t i) { return std::log(clear(i)); },
      [&](std::size_t i) { return std::log1p(-clear(i)); });
}

// Ascending, in time linear in n: into as many boxes as values by a distribution function that is
// roughly theirs, then box by box.
class BoxSort {
 public:
  void operator()(std::vector<double>& z) {
    const std::size_t n = z.size();
    boxes_.assign(n + 1, 0);
    box_.resize(n);
    sorted_.resize(n);
    const double count = static_cast<double>(n);
    for (std::size_t i = 0; i < n; ++i) {
      const double u = 0.5 + 0.5 * z[i] / std::sqrt(2.0 + z[i] * z[i]);
      box_[i] = static_cast<std::uint32_t>(std::min(std::max(u * count, 0.0), count - 1.0));
      ++boxes_[box_[i] + 1];
    }
    for (std::size_t i = 1; i <= n; ++i) boxes_[i] += boxes_[i - 1];
    for (std::size_t i = 0; i < n; ++i) sorted_[boxes_[box_[i]]++] = z[i];
    std::size_t from = 0;
    for (std::size_t b = 0; b < n; ++b) {
      const std::size_t to = boxes_[b];
      if (to - from > 1)
        std::sort(sorted_.begin() + to_index(from), sorted_.begin() + to_index(to));
      from = to;
    }
    z.swap(sorted_);
  }

 private:
  std::vector<std::uint32_t> boxes_, box_;
  std::vector<double> sorted_;
};

template <class Family>
double log_density(const Family& family, double z, double& slope) {
  Shapes unused;
  return family.term(z, slope, unused);
}

// The integral of a function between a and b, by ten points of Gauss and Legendre.
template <class Value>
double panel_of(double a, double b, Value value) {
  static constexpr std::array<double, 5> at{0.1488743389816312, 0.4333953941292472,
                                            0.6794095682990244, 0.8650633666889845,
                                            0.9739065285171717},
      weight{0.2955242247147529, 0.2692667193099963, 0.2190863625159821, 0.1494513491505806,
             0.0666713443086881};
  const double middle = 0.5 * (a + b), half = 0.5 * (b - a);
  double sum = 0.0;
  for (std::size_t i = 0; i < 5; ++i)
    sum += weight[i] * (value(middle - half * at[i]) + value(middle + half * at[i]));
  return half * sum;
}

// That of the density over exp(scale).
template <class Family>
double panel(const Family& family, double a, double b, double scale) {
  double slope;
  return panel_of(a, b, [&](double z) { return std::exp(log_density(family, z, slope) - scale); });
}

// As far from z as the density can be followed in one panel.
template <class Family>
double stride(const Family& family, double z) {
  double slope;
  log_density(family, z, slope);
  return 1.0 / (4.0 / (1.0 + std::fabs(z)) + std::fabs(slope));
}

// Not so far as to the end of a density that has one.
inline double stride(const LognormalFamily& family, double z) { return family.room(z); }
inline double stride(const InverseGaussianFamily& family, double z) { return family.room(z); }

// ln of the probability beyond z, below it (`side` -1) or above (1); right where it is small. What
// is less than `least` of it is left out.
template <class Family>
double log_beyond(const Family& family, double z, double side, double least = 1e-18) {
  double slope;
  const double edge = log_density(family, z, slope);
  double sum = 0.0, at = z;
  for (int i = 0; i < 5000; ++i) {
    const double next = at + side * stride(family, at);
    const double part = side < 0.0 ? panel(family, next, at, edge) : panel(family, at, next, edge);
    sum += part;
    at = next;
    if (part < least * sum) break;
  }
  return edge + std::log(sum);
}

// The integral below z of a weight times the density over the probability exp(log_p) there. A
// density has a corner at 0 at most, which no panel goes across.
template <class Family, class Weight>
double mean_below(const Family& family, double z, double log_p, Weight weight) {
  double sum = 0.0, size = 0.0, at = z, slope;
  for (int i = 0; i < 5000; ++i) {
    double next = at - stride(family, at);
    if (at > 0.0 && next < 0.0) next = 0.0;
    if constexpr (std::is_same_v<Family, UniformFamily>) next = std::max(next, -1.0);
    if (!(next < at)) break;
    const double part = panel_of(next, at, [&](double x) {
      return weight(x) * std::exp(log_density(family, x, slope) - log_p);
    });
    sum += part;
    size += std::fabs(part);
    at = next;
    if (std::fabs(part) < 1e-18 * size) break;
  }
  return sum;
}

// The first place from z on, and before `next`, from where the density is more than nothing.
template <class Family>
double skip_nothing(const Family& family, double z, double next) {
  auto faint = [&](double at) {
    double slope;
    return log_density(family, at, slope) < -70.0 && slope > 0.0;
  };
  double slope;
  if (log_density(family, z, slope) >= -70.0) return z;
  if (slope <= 0.0 || faint(next)) return next;
  double to = next;
  while (to - z > 1e-6 * (1.0 + std::fabs(to))) {
    const double middle = 0.5 * (z + to);
    (faint(middle) ? z : to) = middle;
  }
  return to;
}

template <class Family, class = void>
struct HasClosedForm : std::false_type {};
template <class Family>
struct HasClosedForm<Family, std::void_t<decltype(&Family::below)>> : std::true_type {};

// A step in which the density is nearly a cubic.
template <class Family>
double step_from(const Family& family, double z) {
  return 0.08 * stride(family, z);
}
inline double step_from(const GedFamily& family, double z) {
  return std::min(0.08 * stride(family, z), std::max(family.smooth() * std::fabs(z), 1e-6));
}
inline double step_from(const NigFamily& family, double z) {
  return std::min(0.08 * stride(family, z), 0.05 * family.smooth());
}

// The probability below values that ascend, by steps much shorter than the density takes to
// change: between two of them it is the cubic that has its values and slopes at both.
template <class Family>
class Steps {
 public:
  Steps(const Family& family, double first, double last) : family_(family), last_(last) {
    from_ = to_ = at(first, std::exp(log_beyond(family, first, -1.0, 1e-12)));
  }

  // z is no less than the one before.
  double below(double z) {
    while (to_.z < z) {
      from_ = to_;
      step();
    }
    return z < to_.z ? from_.below + grown((z - from_.z) / (to_.z - from_.z)) : to_.below;
  }

 private:
  struct Place {
    double z, below, density, slope;
  };

  Place at(double z, double below) const {
    double slope;
    const double density = std::exp(log_density(family_, z, slope));
    // At a peak or an edge the step is short enough to do without.
    if (std::is_same_v<Family, GedFamily> && z == 0.0) slope = 0.0;
    return {z, below, density, density * slope};
  }

  void step() {
    double to = from_.z + step_from(family_, from_.z);
    const double beyond = skip_nothing(family_, from_.z, last_);
    if (beyond > from_.z) to = beyond;
    if (from_.z < 0.0 && to > 0.0) to = 0.0;
    to_ = at(to, 0.0);
    to_.below = from_.below + (beyond > from_.z ? 0.0 : grown(1.0));
  }

  // Over a share of the step.
  double grown(double t) const {
    const double h = to_.z - from_.z, t2 = t * t, t3 = t2 * t, t4 = t2 * t2;
    return h * (from_.density * (t - t3 + 0.5 * t4) + to_.density * (t3 - 0.5 * t4) +
                h * (from_.slope * (0.5 * t2 - 2.0 / 3.0 * t3 + 0.25 * t4) +
                     to_.slope * (0.25 * t4 - 1.0 / 3.0 * t3)));
  }

  const Family& family_;
  double last_;
  Place from_, to_;
};

// The distribution function at values that ascend.
template <class Family>
void distribution_of(const Estimate& at, const std::vector<double>& x, std::vector<double>& u) {
  const Family family(at.shape);
  u.resize(x.size());
  auto standard = [&](double v) { return (v - at.location) / at.scale; };
  if constexpr (HasClosedForm<Family>::value) {
    for (std::size_t i = 0; i < x.size(); ++i) u[i] = family.below(standard(x[i]));
  } else {
    const double last = standard(x.back());
    Steps<Family> steps(family, standard(x.front()), last);
    for (std::size_t i = 0; i < x.size(); ++i) u[i] = steps.below(standard(x[i]));
    // The upper tail closes it, and tells that all of it adds up to one.
    const double whole = u.back() + std::exp(log_beyond(family, last, 1.0, 1e-12));
    for (double& v : u) v /= whole;
  }
}

// Near enough to a shape, or to a limit, to begin a search there.
template <class Family, class From>
Shapes shape_near(const Shapes& shape) {
  if constexpr (std::is_same_v<Family, From>) {
    return shape;
  } else {
    return Family::natural(Family::starts().back());
  }
}

// The distances of draws from a fitted family, or from its limit `From`, each draw fitted again as
// the sample was. `known` is FamilyFit's curvature_at() of the shape near it.
template <class Family, class From>
class Refitted {
 public:
  using Square = typename FamilyFit<Family>::Square;
  Refitted(const Shapes& shape, std::size_t n, bool moments, const Square& known)
      : from_(shape),
        near_(shape_near<Family, From>(shape)),
        moments_(moments),
        z_(n),
        known_(known) {}

  // Not a number where the draw could not be fitted.
  Distances operator()(Random random) {
    for (double& v : z_) v = from_.draw(random);
    sort_(z_);
    const FamilyFit<Family> sample(z_.data(), z_.size());
    const Fit fit = moments_ ? sample.by_moments() : sample.again(near_, known_);
    if (!fit.at.found) return {missing, missing, missing, missing};
    if (fit.ended < ending::limit)
      distribution_of<Family>(fit.at, z_, u_);
    else
      with_limit(typename LimitsOf<Family>::type(), fit.ended, [&](auto limit) {
        distribution_of<std::remove_pointer_t<decltype(limit)>>(fit.at, z_, u_);
      });
    return distances_of(u_.data(), u_.size());
  }

 private:
  From from_;
  Shapes near_;
  bool moments_;
  std::vector<double> z_, u_;
  const Square& known_;
  BoxSort sort_;
};

} // namespace imbroglio
