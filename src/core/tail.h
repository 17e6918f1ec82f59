#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
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
    case Rank::nearest:
      k = std::floor(clean(2.0 * k) / 2.0 + 0.5);
      break;
    case Rank::up:
      k = std::ceil(k);
      break;
    case Rank::down:
      k = std::floor(k);
      break;
    case Rank::interpolate:
      k = clean((count - 1.0) * a) + 1.0;
      break;
  }
  return std::min(std::max(k, 1.0), count);
}

// The m least of n values, none missing, in order, into `out`; fewer where there are fewer. What a
// part of the values shows to be more than enough is put in order, not all.
inline void least_of(const double* x, std::size_t n, std::size_t m, std::vector<double>& out) {
  constexpr std::size_t some = 256;
  out.clear();
  m = std::min(n, m);
  if (n >= 8 * some && m < n / 4) {
    std::array<double, some> part;
    for (std::size_t i = 0; i < some; ++i) part[i] = x[i * (n / some)];
    const std::size_t share = m * some / n;
    const auto edge = part.begin() + std::min(some - 1, 2 * share + 8);
    std::nth_element(part.begin(), edge, part.end());
    const double limit = *edge;
    for (std::size_t i = 0; i < n; ++i)
      if (x[i] <= limit) out.push_back(x[i]);
  }
  if (out.size() < m) out.assign(x, x + n);
  const auto end = out.begin() + static_cast<std::ptrdiff_t>(m);
  if (end != out.end()) std::nth_element(out.begin(), end, out.end());
  std::sort(out.begin(), end);
  out.resize(m);
}

struct Tail {
  std::size_t n = 0;
  double position = missing;
  double var = missing, es = missing;
  double worse = missing, milder = missing; // the losses next to it in rank
  std::ptrdiff_t place = -1;                // of the observation, where it is one
};

// Historical value at risk: the loss at a rank of the returns, and the mean of
// the losses from that rank on. `scale` stretches each return to the horizon.
class HistoricalTail {
 public:
  // None is missing.
  HistoricalTail(const double* x, std::size_t n, bool log, double scale)
      : x_(x), n_(n), log_(log), scale_(scale) {}

  Tail operator()(double a, Rank rank) {
    Tail tail;
    const std::size_t n = tail.n = n_;
    if (n == 0) return tail;
    tail.position = rank_position(n, a, rank);
    const std::size_t k = static_cast<std::size_t>(tail.position);
    if (sorted_.size() < std::min(n, k + 1)) least_of(x_, n, k + 1, sorted_);

    const double part = tail.position - static_cast<double>(k);
    double value = sorted_[k - 1];
    if (part > 0.0)
      value += part * (sorted_[k] - value);
    else
      tail.place = place_of(k);
    tail.var = loss(value);
    double sum = 0.0;
    for (std::size_t i = 0; i < k; ++i) sum += loss(sorted_[i]);
    tail.es = sum / static_cast<double>(k);
    if (part > 0.0)
      tail.worse = loss(sorted_[k - 1]);
    else if (k > 1)
      tail.worse = loss(sorted_[k - 2]);
    if (k < n) tail.milder = loss(sorted_[k]);
    return tail;
  }

 private:
  // Of equal returns the earlier ranks first.
  std::ptrdiff_t place_of(std::size_t k) const {
    const double value = sorted_[k - 1];
    const auto first =
        std::lower_bound(sorted_.begin(), sorted_.begin() + static_cast<std::ptrdiff_t>(k), value);
    std::ptrdiff_t before = static_cast<std::ptrdiff_t>(k) - 1 - (first - sorted_.begin());
    const double* at = std::find(x_, x_ + n_, value);
    while (before-- > 0) at = std::find(at + 1, x_ + n_, value);
    return at - x_;
  }
  double loss(double r) const { return log_ ? -std::expm1(r * scale_) : -r * scale_; }

  const double* x_;
  std::size_t n_;
  std::vector<double> sorted_; // the least of them, as many as were asked for
  bool log_;
  double scale_;
};

// The m worst returns (none missing), the worst first; what is not there is missing.
inline void worst_of(const double* x, std::size_t n, std::size_t m, std::vector<double>& room,
                     double* out) {
  least_of(x, n, m, room);
  std::copy(room.begin(), room.end(), out);
  if (n < m) std::fill(out + n, out + m, missing);
}

// Historical value at risk and expected shortfall of each period from those before it: of a window
// that rolls, or (window 0) of all from the start on. Only the worst returns of the window are
// kept in order, some more than are needed, so that most steps are a comparison.
class RollingTail {
 public:
  // `least` returns come before the first result.
  RollingTail(std::size_t window, std::size_t least, double a, Rank rank, bool log)
      : window_(window), least_(least), a_(a), rank_(rank), log_(log) {}

  void operator()(const double* x, std::size_t n, double* var, double* es) {
    std::fill(var, var + std::min(n, least_), missing);
    std::fill(es, es + std::min(n, least_), missing);
    worst_.clear();
    whole_ = true;
    // Of a growing window nothing leaves: as many are kept as the last one needs.
    kept_ = 2 * static_cast<std::size_t>(rank_position(window_ ? window_ : n, a_, rank_)) + 12;
    double position = 0.0, loss_at = missing, mean = missing;
    bool changed = true;
    for (std::size_t t = 0; t < n; ++t) {
      const std::size_t size = window_ ? std::min(t, window_) : t;
      if (size >= least_) {
        if (!window_ || t <= window_) {
          const double now = rank_position(size, a_, rank_);
          changed = changed || now != position;
          position = now;
        }
        const std::size_t k = static_cast<std::size_t>(position);
        if (!whole_ && worst_.size() < std::min(size, k + 1)) changed = refill(x + t - size, size);
        if (changed) at_position(position, loss_at, mean);
        changed = false;
        var[t] = loss_at;
        es[t] = mean;
      }
      if (window_ && t >= window_) {
        // Most steps move nothing among the worst.
        if (!whole_ && x[t - window_] > worst_.back() && !(x[t] < worst_.back())) continue;
        changed = leave(x[t - window_]) || changed;
      }
      changed = enter(x[t]) || changed;
    }
  }

 private:
  double loss(double r) const { return log_ ? -std::expm1(r) : -r; }

  void at_position(double position, double& loss_at, double& mean) const {
    const std::size_t k = static_cast<std::size_t>(position);
    const double part = position - static_cast<double>(k);
    double value = worst_[k - 1], sum = 0.0;
    if (part > 0.0) value += part * (worst_[k] - value);
    for (std::size_t i = 0; i < k; ++i) sum += loss(worst_[i]);
    loss_at = loss(value);
    mean = sum / static_cast<double>(k);
  }

  // What is not kept is at least as large as the last that is.
  bool enter(double v) {
    if (!whole_ && !(v < worst_.back())) return false;
    worst_.insert(std::upper_bound(worst_.begin(), worst_.end(), v), v);
    if (worst_.size() > kept_) {
      worst_.pop_back();
      whole_ = false;
    }
    return true;
  }
  bool leave(double v) {
    if (worst_.empty() || v > worst_.back()) return false;
    worst_.erase(std::lower_bound(worst_.begin(), worst_.end(), v));
    // With nothing left to compare with, the next look takes them all afresh.
    if (!whole_ && worst_.empty()) worst_.push_back(-INFINITY);
    return true;
  }
  bool refill(const double* from, std::size_t size) {
    worst_.resize(std::min(size, kept_));
    std::partial_sort_copy(from, from + size, worst_.begin(), worst_.end());
    whole_ = worst_.size() == size;
    return true;
  }

  std::size_t window_, least_;
  double a_;
  Rank rank_;
  bool log_, whole_ = true;
  std::size_t kept_ = 0;
  std::vector<double> worst_;
};

} // namespace imbroglio
