#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <numeric>
#include <vector>
#include "returns.h"

namespace imbroglio {

enum class Rank { nearest, up, down, interpolate };

// Where the quantile stands among n sorted returns, counted from 1 at the
// worst. n * a is first freed of what 1 - level left behind: 100 * (1 - 0.99)
// is a hair more than 1, and a ceiling would make it 2.
inline double rank_position(std::size_t n, double a, Rank rank) {
  const double count = static_cast<double>(n);
  auto clean = [](double v) {
    const double whole = std::nearbyint(v);
    return std::fabs(v - whole) < 1e-9 * std::max(1.0, v) ? whole : v;
  };
  double k = clean(count * a);
  switch (rank) {
    case Rank::nearest: k = std::floor(clean(2.0 * k) / 2.0 + 0.5); break;
    case Rank::up: k = std::ceil(k); break;
    case Rank::down: k = std::floor(k); break;
    case Rank::interpolate: k = clean((count - 1.0) * a) + 1.0; break;
  }
  return std::min(std::max(k, 1.0), count);
}

struct Tail {
  std::size_t n = 0;
  double position = missing;
  double var = missing, es = missing;
  double worse = missing, milder = missing;  // the losses next to it in rank
  std::ptrdiff_t row = -1;                   // of the observation, where it is one
};

// Historical value at risk: the loss at a rank of the returns, and the mean of
// the losses from that rank on. `scale` stretches each return to the horizon.
class HistoricalTail {
 public:
  HistoricalTail(const double* x, std::size_t n, bool log, double scale)
      : x_(x), log_(log), scale_(scale) {
    for (std::size_t i = 0; i < n; ++i)
      if (!std::isnan(x[i])) order_.push_back(i);
  }

  Tail operator()(double a, Rank rank) {
    Tail tail;
    const std::size_t n = tail.n = order_.size();
    if (n == 0) return tail;
    tail.position = rank_position(n, a, rank);
    const std::size_t k = static_cast<std::size_t>(tail.position);
    const std::size_t needed = std::min(n, k + 1);
    auto before = [this](std::size_t i, std::size_t j) { return x_[i] < x_[j] || (x_[i] == x_[j] && i < j); };
    if (needed < n) std::nth_element(order_.begin(), order_.begin() + needed - 1, order_.end(), before);
    std::sort(order_.begin(), order_.begin() + needed, before);

    const double part = tail.position - static_cast<double>(k);
    double value = at(k);
    if (part > 0.0) value += part * (at(k + 1) - value);
    else tail.row = static_cast<std::ptrdiff_t>(order_[k - 1]);
    tail.var = loss(value);
    double sum = 0.0;
    for (std::size_t i = 1; i <= k; ++i) sum += loss(at(i));
    tail.es = sum / static_cast<double>(k);
    if (part > 0.0) tail.worse = loss(at(k));
    else if (k > 1) tail.worse = loss(at(k - 1));
    if (k < n) tail.milder = loss(at(k + 1));
    return tail;
  }

 private:
  double at(std::size_t k) const { return x_[order_[k - 1]]; }
  double loss(double r) const { return log_ ? -std::expm1(r * scale_) : -r * scale_; }

  const double* x_;
  bool log_;
  double scale_;
  std::vector<std::size_t> order_;
};

}  // namespace imbroglio
