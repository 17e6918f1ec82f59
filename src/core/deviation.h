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

// Rolling standard deviation of values of which none is missing.
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
      : window_(window), min_obs_(std::max<std::size_t>(min_obs, 2)),
        tail_sum_(window), tail_squares_(window),
        head_sum_(window), head_squares_(window) {}

  void operator()(const double* x, std::size_t n, double* out) {
    double tail_edge = 0.0;
    for (std::size_t start = 0; start < n; start += window_) {
      const std::size_t size = std::min(window_, n - start);
      const double* block = x + start;
      sum_head(block, size);
      if (start == 0) first_block(size, out);
      else join(tail_edge - block[0], size, out + start);
      if (start + size < n) {
        sum_tail(block);
        tail_edge = block[window_ - 1];
      }
    }
  }

 private:
  void sum_head(const double* block, std::size_t size) {
    double sum = 0.0, squares = 0.0;
    for (std::size_t k = 0; k < size; ++k) {
      const double d = block[k] - block[0];
      head_sum_[k] = sum += d;
      head_squares_[k] = squares += d * d;
    }
  }

  // tail_*_[k] sums what is left of the block when its first k + 1 are gone.
  void sum_tail(const double* block) {
    const double edge = block[window_ - 1];
    double sum = 0.0, squares = 0.0;
    tail_sum_[window_ - 1] = tail_squares_[window_ - 1] = 0.0;
    for (std::size_t k = window_ - 1; k-- > 0;) {
      const double d = block[k + 1] - edge;
      tail_sum_[k] = sum += d;
      tail_squares_[k] = squares += d * d;
    }
  }

  void first_block(std::size_t size, double* out) const {
    for (std::size_t k = 0; k < size; ++k) {
      const double n = static_cast<double>(k + 1);
      const double about_mean = head_squares_[k] - head_sum_[k] * head_sum_[k] / n;
      out[k] = k + 1 < min_obs_ ? missing : std::sqrt(std::max(0.0, about_mean) / (n - 1.0));
    }
  }

  void join(double edges_apart, std::size_t size, double* out) const {
    const double n = static_cast<double>(window_), per_n = 1.0 / n, per_less_one = 1.0 / (n - 1.0);
    for (std::size_t k = 0; k < size; ++k) {
      const double heads = static_cast<double>(static_cast<int>(k) + 1), tails = n - heads;
      const double tail_mean = tails > 0.0 ? tail_sum_[k] / tails : 0.0;
      const double head_mean = head_sum_[k] / heads;
      const double apart = edges_apart + tail_mean - head_mean;
      const double about_mean = (tail_squares_[k] - tail_sum_[k] * tail_mean) +
                                (head_squares_[k] - head_sum_[k] * head_mean) +
                                apart * apart * (heads * tails * per_n);
      out[k] = std::sqrt(std::max(0.0, about_mean) * per_less_one);
    }
    if (window_ < min_obs_) std::fill(out, out + size, missing);
  }

  std::size_t window_, min_obs_;
  std::vector<double> tail_sum_, tail_squares_, head_sum_, head_squares_;
};

}  // namespace imbroglio
