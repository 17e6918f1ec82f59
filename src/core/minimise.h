#pragma once
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>

namespace imbroglio {

template <std::size_t k>
using Point = std::array<double, k>;

template <std::size_t k>
struct Minimum {
  Point<k> at{};
  double value = INFINITY;
  double slope = INFINITY; // the steepest partial derivative
  bool converged = false;
};

// Least value of a smooth function by the Broyden-Fletcher-Goldfarb-Shanno method with a
// backtracking search. `f(point, gradient)` returns the value, not finite where it has none; two
// steps in a row that do not lie `inside` end it.
template <std::size_t k, class Function, class Inside>
Minimum<k> minimise(Function f, Inside inside, Point<k> start, double tolerance,
                    const std::array<Point<k>, k>* known = nullptr,
                    std::vector<Minimum<k>>* path = nullptr) {
  constexpr int most = 500;
  Minimum<k> best;
  Point<k> gradient{}, ahead{}, next{}, direction{};
  std::array<Point<k>, k> inverse{};
  auto reset = [&] {
    for (std::size_t i = 0; i < k; ++i)
      for (std::size_t j = 0; j < k; ++j) inverse[i][j] = i == j ? 1.0 : 0.0;
  };
  auto steepest = [](const Point<k>& g) {
    double m = 0.0;
    for (double v : g) m = std::max(m, std::fabs(v));
    return m;
  };
  reset();
  best.at = start;
  best.value = f(start, gradient);
  if (!std::isfinite(best.value)) return best;
  best.slope = steepest(gradient);
  if (path) path->push_back(best);
  bool fresh = known == nullptr;
  int adrift = 0;
  int stalled = 0; // steps in a row that did not lower the value beyond its rounding error
  if (known) inverse = *known;
  for (int step = 0; step < most; ++step) {
    if (best.slope <= tolerance) {
      best.converged = true;
      break;
    }
    double down = 0.0, longest = 0.0;
    for (std::size_t i = 0; i < k; ++i) {
      direction[i] = 0.0;
      for (std::size_t j = 0; j < k; ++j) direction[i] -= inverse[i][j] * gradient[j];
      down += direction[i] * gradient[i];
      longest = std::max(longest, std::fabs(direction[i]));
    }
    if (!(down < 0.0)) {
      if (fresh) break;
      reset();
      fresh = true;
      continue;
    }
    double length = longest > 2.0 ? 2.0 / longest : 1.0, value = INFINITY;
    bool found = false;
    for (int halving = 0; halving < 60; ++halving, length *= 0.5) {
      for (std::size_t i = 0; i < k; ++i) next[i] = best.at[i] + length * direction[i];
      value = f(next, ahead);
      if (!std::isfinite(value)) continue;
      // Where the value is flat to its rounding error, the gradient can still be told.
      const bool flat = value <= best.value + 1e-12 * std::fabs(best.value) &&
                        steepest(ahead) < 0.9 * best.slope;
      if (flat || (value < best.value && value <= best.value + 1e-4 * length * down)) {
        found = true;
        break;
      }
    }
    if (!found) {
      if (fresh || ++stalled > 10) break;
      reset();
      fresh = true;
      continue;
    }
    Point<k> moved{}, bent{}, turned{};
    double curvature = 0.0, size = 0.0;
    for (std::size_t i = 0; i < k; ++i) {
      moved[i] = next[i] - best.at[i];
      bent[i] = ahead[i] - gradient[i];
      curvature += moved[i] * bent[i];
    }
    stalled = best.value - value > 1e-14 * std::fabs(value) ? 0 : stalled + 1;
    adrift = inside(next) ? 0 : adrift + 1;
    best.at = next;
    best.value = value;
    gradient = ahead;
    best.slope = steepest(gradient);
    if (path) path->push_back(best);
    if (stalled > 10 || adrift > 1) break;
    if (!(curvature > 1e-300)) continue;
    if (fresh) {
      double bends = 0.0;
      for (double v : bent) bends += v * v;
      for (std::size_t i = 0; i < k; ++i) inverse[i][i] = curvature / bends;
      fresh = false;
    }
    for (std::size_t i = 0; i < k; ++i) {
      for (std::size_t j = 0; j < k; ++j) turned[i] += inverse[i][j] * bent[j];
      size += turned[i] * bent[i];
    }
    const double scale = (1.0 + size / curvature) / curvature;
    for (std::size_t i = 0; i < k; ++i)
      for (std::size_t j = 0; j < k; ++j)
        inverse[i][j] += scale * moved[i] * moved[j] -
                         (turned[i] * moved[j] + moved[i] * turned[j]) / curvature;
  }
  return best;
}

// The least from several starts, best first; one that comes to where another was is not followed
// to its end. `known_at(start)` is what minimise() may know there, or null; `size`: of how many
// observations the value is the sum, 1 for a mean.
template <std::size_t k, class Function, class Inside, class Known>
Minimum<k> minimise_from(const std::vector<Point<k>>& starts, Function f, Inside inside,
                         Known known_at, double tolerance, double size,
                         std::vector<Minimum<k>>* path) {
  Minimum<k> best;
  for (const Point<k>& start : starts) {
    std::vector<Minimum<k>> steps;
    const auto* known = known_at(start);
    auto go_on = [&](const Point<k>& from, double until) {
      return minimise<k>(f, inside, from, until, known, path ? &steps : nullptr);
    };
    const bool first = !std::isfinite(best.value);
    auto found = go_on(start, first ? tolerance : std::max(tolerance, 1e-4 * size));
    if (!first) {
      double apart = 0.0;
      for (std::size_t i = 0; i < k; ++i)
        apart = std::max(apart, std::fabs(found.at[i] - best.at[i]));
      if (apart < 0.02) continue;
      found = go_on(found.at, tolerance);
    }
    if (!(found.value < best.value)) continue;
    best = found;
    if (path) path->swap(steps);
  }
  return best;
}

// Inverse of a symmetric positive definite matrix by Cholesky's method; false if it is none.
template <std::size_t k>
bool invert(const std::array<Point<k>, k>& a, std::size_t size, std::array<Point<k>, k>& out) {
  std::array<Point<k>, k> root{}, back{};
  for (std::size_t i = 0; i < size; ++i) {
    for (std::size_t j = 0; j <= i; ++j) {
      double sum = a[i][j];
      for (std::size_t m = 0; m < j; ++m) sum -= root[i][m] * root[j][m];
      if (i == j) {
        if (!(sum > 0.0)) return false;
        root[i][i] = std::sqrt(sum);
      } else {
        root[i][j] = sum / root[j][j];
      }
    }
  }
  for (std::size_t c = 0; c < size; ++c) {
    for (std::size_t i = c; i < size; ++i) {
      double sum = i == c ? 1.0 : 0.0;
      for (std::size_t m = c; m < i; ++m) sum -= root[i][m] * back[m][c];
      back[i][c] = sum / root[i][i];
    }
  }
  for (std::size_t i = 0; i < size; ++i)
    for (std::size_t j = 0; j < size; ++j) {
      double sum = 0.0;
      for (std::size_t m = std::max(i, j); m < size; ++m) sum += back[m][i] * back[m][j];
      out[i][j] = sum;
    }
  return true;
}

} // namespace imbroglio
