#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>
#include "returns.h"

namespace imbroglio {

// Sample standard deviation (divisor n - 1) of the values that are not
// missing, in two passes; fewer than two have none.
inline double standard_deviation(const double* x, std::size_t n, std::size_t& used) {
  double sum = 0.0;
  used = 0;
  std::size_t first = n;
  for (std::size_t i = 0; i < n; ++i) {
    if (std::isnan(x[i])) continue;
    if (first == n) first = i;
    sum += x[i] - x[first];
    ++used;
  }
  if (used < 2) return missing;
  const double mean = sum / static_cast<double>(used);
  double squares = 0.0, rest = 0.0;
  for (std::size_t i = first; i < n; ++i) {
    if (std::isnan(x[i])) continue;
    const double d = (x[i] - x[first]) - mean;
    squares += d * d;
    rest += d;
  }
  const double m = static_cast<double>(used);
  return std::sqrt(std::max(0.0, squares - rest * rest / m) / (m - 1.0));
}

// Rolling standard deviation of values of which none is missing; the window is 2 or more.
//
// The data is cut into blocks as long as the window, so that every window is
// the tail of one block and the head of the next. Both are summed from the
// block's edge outwards, as differences from the value at that edge, and
// joined by the pairwise update of Chan, Golub and LeVeque (1983). Nothing is
// ever subtracted from a running sum, so no error is carried from one window to
// the next; and as the edge value belongs to every part summed from it, the
// squared mean difference never exceeds the sum of squares about the mean: what
// cancels is at most a factor of the window's length, at any level of the data.
class RollingDeviation {
 public:
  RollingDeviation(std::size_t window, std::size_t min_obs)
      : window_(window), min_obs_(std::max<std::size_t>(min_obs, 2)), per_count_(window + 1), weight_(window),
        tail_mean_(window), tail_about_mean_(window) {
    const double n = static_cast<double>(window);
    for (std::size_t k = 1; k <= window; ++k) per_count_[k] = 1.0 / static_cast<double>(k);
    for (std::size_t k = 0; k < window; ++k) weight_[k] = static_cast<double>(k + 1) * (n - static_cast<double>(k + 1)) / n;
  }

  // Writes n values.
  void operator()(const double* x, std::size_t n, double* out) {
    if (n == 0) return;
    first_block(x, std::min(window_, n), out);
    for (std::size_t start = window_; start < n; start += window_) {
      sum_tail(x + start - window_);
      join(x + start, std::min(window_, n - start), out + start);
    }
  }

 private:
  void first_block(const double* block, std::size_t size, double* out) const {
    double sum = 0.0, squares = 0.0;
    for (std::size_t k = 0; k < size; ++k) {
      const double d = block[k] - block[0];
      sum += d;
      squares += d * d;
      out[k] = k + 1 < min_obs_ ? missing
                                : std::sqrt(std::max(0.0, squares - sum * (sum * per_count_[k + 1])) / static_cast<double>(k));
    }
  }

  // tail_*_[k] is of what is left of the block when its first k + 1 are gone.
  void sum_tail(const double* block) {
    const double edge = block[window_ - 1];
    double sum = 0.0, squares = 0.0;
    tail_mean_[window_ - 1] = tail_about_mean_[window_ - 1] = 0.0;
    for (std::size_t k = window_ - 1; k-- > 0;) {
      const double d = block[k + 1] - edge;
      sum += d;
      squares += d * d;
      tail_mean_[k] = sum * per_count_[window_ - 1 - k];
      tail_about_mean_[k] = squares - sum * tail_mean_[k];
    }
  }

  void join(const double* block, std::size_t size, double* out) const {
    const double edges_apart = block[-1] - block[0], per_less_one = 1.0 / static_cast<double>(window_ - 1);
    double sum = 0.0, squares = 0.0;
    for (std::size_t k = 0; k < size; ++k) {
      const double d = block[k] - block[0];
      sum += d;
      squares += d * d;
      const double mean = sum * per_count_[k + 1], apart = edges_apart + tail_mean_[k] - mean;
      const double about_mean = tail_about_mean_[k] + (squares - sum * mean) + apart * apart * weight_[k];
      out[k] = std::sqrt(std::max(0.0, about_mean) * per_less_one);
    }
  }

  std::size_t window_, min_obs_;
  std::vector<double> per_count_, weight_, tail_mean_, tail_about_mean_;
};

// Mean of every `window` values of which none is missing, each window summed as the
// differences from its block's edges, as above. Before there are `min_obs` there is none.
inline void rolling_mean(const double* x, std::size_t n, std::size_t window, std::size_t min_obs, double* out) {
  std::vector<double> tail(window + 1);
  double so_far = 0.0;
  for (std::size_t t = 0; t < std::min(n, window - 1); ++t) {
    so_far += x[t] - x[0];
    out[t] = t + 1 < min_obs ? missing : x[0] + so_far / static_cast<double>(t + 1);
  }
  for (std::size_t block = 0; block + window <= n; block += window) {
    const double edge = x[block + window - 1], w = static_cast<double>(window);
    tail[window] = 0.0;
    for (std::size_t k = window; k-- > 0;) tail[k] = tail[k + 1] + (x[block + k] - edge);
    double head = 0.0;
    for (std::size_t k = 0; k < window && block + window - 1 + k < n; ++k) {
      out[block + window - 1 + k] = edge + (tail[k] + head) / w;
      if (block + window + k < n) head += x[block + window + k] - edge;
    }
  }
}

}  // namespace imbroglio
