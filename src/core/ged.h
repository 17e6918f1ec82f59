#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <utility>
#include <vector>
#include "families.h"
#include "gamma.h"

namespace imbroglio {

// Where a search for the likeliest stood: `slope` is the steepest of the mean log-likelihood, by
// location over size, ln scale and free shapes.
struct SearchStep {
  Estimate at;
  double log_likelihood, slope;
};
using Search = std::vector<SearchStep>;

// Where a function that falls from a to b is 0, by Chandrupatla's method (1997); an end where it
// does not change its sign. `fa` and `fb` are its values there.
template <class Function>
double root_of(Function f, double a, double b, double fa, double fb, double tolerance) {
  double x1 = b, x2 = a, x3 = a, f1 = fb, f2 = fa, f3 = f2, t = 0.5;
  if (!(f2 > 0.0)) return a;
  if (!(f1 < 0.0)) return b;
  for (int i = 0; i < 200; ++i) {
    const double x = x1 + t * (x2 - x1), at = f(x);
    if ((at > 0.0) == (f1 > 0.0)) {
      x3 = x1;
      f3 = f1;
    } else {
      x3 = x2;
      f3 = f2;
      x2 = x1;
      f2 = f1;
    }
    x1 = x;
    f1 = at;
    const double limit = tolerance / std::fabs(x2 - x1);
    if (limit > 0.5 || at == 0.0) break;
    const double xi = (x1 - x2) / (x3 - x2), phi = (f1 - f2) / (f3 - f2);
    t = phi * phi < xi && (1.0 - phi) * (1.0 - phi) < 1.0 - xi
            ? f1 / (f2 - f1) * f3 / (f2 - f3) +
                  (x3 - x1) / (x2 - x1) * f1 / (f3 - f1) * f2 / (f3 - f2)
            : 0.5;
    t = std::min(std::max(t, limit), 1.0 - limit);
  }
  return std::fabs(f2) < std::fabs(f1) ? x2 : x1;
}

template <class Function>
double root_of(Function f, double a, double b, double tolerance) {
  return root_of(f, a, b, f(a), f(b), tolerance);
}

// The likeliest generalised error distribution of a sample that ascends, its scale always the best
// for the rest.
//
// Where p is below 2 the slope is not smooth at the observations; but location hardly depends on
// p, nor p on location. Well above 1 both take a step at a time together. Where that does not come
// to an end, and near 1, where a few observations make more than one peak, each is found given the
// other, in turns from the middle, until neither moves.
class GedSearch {
 public:
  GedSearch(const double* sorted, std::size_t n, double log_p, double location)
      : x_(sorted),
        n_(n),
        count_(static_cast<double>(n)),
        location_(location),
        log_p_(log_p),
        size_(at(0.75) - at(0.25)),
        logs_(n) {}

  Estimate operator()(double tolerance, bool& converged, Search* path) {
    path_ = path;
    tolerance_ = tolerance;
    const double middle = location_, given = log_p_;
    measure_from_location();
    converged = together();
    if (!converged) {
      location_ = middle;
      log_p_ = given;
      measure_from_location();
      if (path) path->clear();
    }
    // Where the next turn looks: as far again as the last one moved.
    double reach = 0.5, around = 0.05 * size_;
    for (int turn = 0; turn < 40 && !converged; ++turn) {
      tell();
      const double before = log_p_, stood = location_;
      find_p(reach);
      const double p = std::exp(log_p_);
      if (p > 1.0)
        find_location(p, around);
      else
        find_observation(p);
      measure_from_location();
      const double moved = std::fabs(log_p_ - before), went = std::fabs(location_ - stood);
      converged = moved < tolerance && went < tolerance * std::max(size_, 1e-12);
      reach = std::min(0.5, 4.0 * moved + tolerance);
      around = std::min(0.05 * size_, 4.0 * went + tolerance * size_);
    }
    if (!converged) converged = together();
    tell();
    return now();
  }

  // Where to look for a top: of a grid of shapes, each with its likeliest location, those that are
  // likelier than their neighbours. Below 1 that is an observation: any of a short sample, one
  // about the middle of a long one.
  std::vector<std::pair<double, double>> likely() {
    tolerance_ = 1e-6;
    const std::vector<double> grid{0.26, 0.3, 0.35, 0.4, 0.45, 0.5, 0.6, 0.7, 0.8, 0.9,
                                   1.0,  1.2, 1.5,  2.0, 3.0,  5.0, 8.0, 15., 25., 50.};
    const std::size_t reach = n_ <= 120   ? n_
                              : n_ <= 500 ? 30
                                          : 10,
                      here = n_ / 2, from = here > reach ? here - reach : 0,
                      to = std::min(here + reach, n_ - 1);
    // Three observations each.
    std::vector<double> most(grid.size());
    std::vector<std::array<std::pair<double, double>, 3>> at(grid.size());
    for (std::size_t g = 0; g < grid.size(); ++g) {
      const double p = grid[g];
      at[g].fill({INFINITY, missing});
      auto try_at = [&](double m) {
        std::pair<double, double> tried{loss(m, p), m};
        for (auto& kept : at[g])
          if (tried.first < kept.first) std::swap(tried, kept);
      };
      if (p > 1.0) {
        find_location(p, 0.05 * size_);
        try_at(location_);
      } else {
        for (std::size_t i = from; i <= to; ++i) try_at(x_[i]);
      }
      most[g] = std::log(0.5 * p) - log_gamma(1.0 / p) -
                (1.0 + std::log(p * at[g][0].first / count_)) / p;
    }
    std::vector<std::pair<double, double>> tops;
    for (std::size_t g = 0; g < grid.size(); ++g)
      if ((g == 0 || most[g] >= most[g - 1]) && (g + 1 == grid.size() || most[g] > most[g + 1]))
        for (const auto& kept : at[g])
          if (!std::isnan(kept.second)) tops.emplace_back(std::log(grid[g]), kept.second);
    return tops;
  }

 private:
  double at(double share) const {
    return x_[static_cast<std::size_t>(share * static_cast<double>(n_ - 1))];
  }

  void measure_from_location() {
    for (std::size_t i = 0; i < n_; ++i)
      logs_[i] = std::log(std::max(std::fabs(x_[i] - location_), 1e-300));
  }

  Estimate now() {
    slope(log_p_);
    const double p = std::exp(log_p_), scale = std::exp(std::log(p * power_mean_) / p);
    return {location_, scale, {p, 0.0}, power_mean_ > 0.0 && std::isfinite(power_mean_)};
  }
  void tell() {
    if (!path_) return;
    const double steep = slope(log_p_);
    path_->push_back({now(), missing, std::fabs(steep)});
  }

  // Of the likelihood along ln p, from sums of powers and of what they weigh.
  double slope_of(double p, double powers, double weighted) {
    power_mean_ = powers / count_;
    log_scale_ = std::log(p * power_mean_) / p;
    return 1.0 + digamma(1.0 / p) / p - (weighted / powers - log_scale_);
  }
  double slope(double log_p) {
    const double p = std::exp(log_p);
    double powers = 0.0, weighted = 0.0;
    for (double log_away : logs_) {
      const double power = std::exp(p * log_away);
      powers += power;
      weighted += power * log_away;
    }
    return slope_of(p, powers, weighted);
  }

  // Newton's steps of ln p, and of location by what its slope is expected to change, or did.
  bool together() {
    double before = missing, side_before = missing;
    for (int step = 0; step < 12; ++step) {
      const double p = std::exp(log_p_), a = 1.0 / p;
      if (!(p > 1.0 + 2.0 / std::sqrt(count_))) return false;
      tell();
      double powers = 0.0, weighted = 0.0, squares = 0.0, side = 0.0;
      for (std::size_t i = 0; i < n_; ++i) {
        const double log_away = logs_[i], power = std::exp(p * log_away);
        powers += power;
        weighted += power * log_away;
        squares += power * log_away * log_away;
        const double away = x_[i] - location_;
        side += away == 0.0 ? 0.0 : power / away;
      }
      const double steep = slope_of(p, powers, weighted), mean = weighted / powers;
      const double bend = -(trigamma(a) * a + digamma(a)) * a * a -
                          (squares / powers - mean * mean) + (a + mean - log_scale_) * a;
      const double by_p = -steep / (p * bend);
      double lean =
          -count_ * p * std::exp(log_gamma(2.0 - a) - log_gamma(a) + (p - 2.0) * log_scale_);
      const double seen = (side - side_before) / (location_ - before);
      if (seen < 0.25 * lean && seen > 4.0 * lean) lean = seen;
      const double by_location = -side / lean;
      if (!(std::fabs(by_p) < 0.5) || !(std::fabs(by_location) < size_)) return false;
      before = location_;
      side_before = side;
      location_ += by_location;
      log_p_ += by_p;
      measure_from_location();
      if (std::fabs(by_p) < tolerance_ && std::fabs(by_location) < tolerance_ * size_)
        return GedFamily::inside({std::exp(log_p_), 0.0});
    }
    return false;
  }

  void find_p(double reach) {
    const double lowest = std::log(0.2), highest = std::log(1000.0);
    double low = std::max(lowest, log_p_ - reach), high = std::min(highest, log_p_ + reach);
    auto along = [this](double log_p) { return slope(log_p); };
    double above = slope(low), below = slope(high);
    while (low > lowest && !(above > 0.0)) above = slope(low = std::max(lowest, low - 0.5));
    while (high < highest && !(below < 0.0)) below = slope(high = std::min(highest, high + 0.5));
    log_p_ = root_of(along, low, high, above, below, 0.1 * tolerance_);
  }

  // The slope of the likelihood along location, but for a factor.
  double side(double m, double p) const {
    double sum = 0.0;
    for (std::size_t i = 0; i < n_; ++i) {
      const double away = x_[i] - m;
      // As exact as pow(), to rounding, in half the time.
      if (away != 0.0) sum += std::copysign(std::exp((p - 1.0) * std::log(std::fabs(away))), away);
    }
    return sum;
  }
  void find_location(double p, double around) {
    around = std::max(around, 1e-9 * (x_[n_ - 1] - x_[0]));
    double left = location_ - around, right = location_ + around;
    double above = side(left, p), below = side(right, p);
    for (double by = around; left > x_[0] && !(above > 0.0); by *= 4.0)
      above = side(left -= by, p);
    for (double by = around; right < x_[n_ - 1] && !(below < 0.0); by *= 4.0)
      below = side(right += by, p);
    location_ = root_of([this, p](double m) { return side(m, p); }, left, right, above, below,
                        0.1 * tolerance_ * size_);
  }

  double loss(double m, double p) const {
    return sum_of(n_, [=](std::size_t i) { return std::pow(std::fabs(x_[i] - m), p); });
  }
  // Below 1 the best is at an observation: ever smaller steps among those about the middle.
  void find_observation(double p) {
    std::size_t best =
        std::min(static_cast<std::size_t>(std::lower_bound(x_, x_ + n_, location_) - x_), n_ - 1);
    double least = loss(x_[best], p);
    for (std::size_t step = std::max<std::size_t>(1, n_ / 16); step >= 1; step /= 2) {
      for (bool moved = true; moved;) {
        moved = false;
        for (std::size_t next :
             {best >= step ? best - step : best, std::min(best + step, n_ - 1)}) {
          const double value = loss(x_[next], p);
          if (value < least) {
            least = value;
            best = next;
            moved = true;
          }
        }
      }
    }
    location_ = x_[best];
  }
  const double* x_;
  std::size_t n_;
  double count_, location_, log_p_, size_;
  std::vector<double> logs_;
  double power_mean_ = missing, log_scale_ = missing, tolerance_ = 0.0;
  Search* path_ = nullptr;
};

} // namespace imbroglio
