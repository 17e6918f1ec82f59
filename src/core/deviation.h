#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"
#ifdef __SSE2__
#include <emmintrin.h>
#endif

namespace imbroglio {

// Of a variance; a deviation that is rounding only is 0. `edge`: values of either series.
inline Two root_of(Two v, Two edge) {
  const Two none = {0.0, 0.0}, size = edge < none ? 1.0 - edge : 1.0 + edge,
            rounding = 0x1p-46 * size;
  v = v > rounding * rounding ? v : none;
#ifdef __SSE2__
  return _mm_sqrt_pd(v);
#else
  return Two{std::sqrt(v[0]), std::sqrt(v[1])};
#endif
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
      : window_(window),
        min_obs_(std::max<std::size_t>(min_obs, 2)),
        per_count_(window + 1),
        weight_(window),
        tail_mean_(window),
        tail_about_mean_(window) {
    const double n = static_cast<double>(window);
    for (std::size_t k = 1; k <= window; ++k) per_count_[k] = 1.0 / static_cast<double>(k);
    for (std::size_t k = 0; k < window; ++k)
      weight_[k] = static_cast<double>(k + 1) * (n - static_cast<double>(k + 1)) / n;
  }

  // Writes n values each to `first` and, where there is a second series, to `second`.
  void operator()(const Two* x, std::size_t n, double* first, double* second) {
    if (n == 0) return;
    // Where there is none, both lanes hold the first and write to it.
    if (!second) second = first;
    first_block(x, std::min(window_, n), first, second);
    for (std::size_t start = window_; start < n; start += window_) {
      sum_tail(x + start - window_);
      join(x + start, std::min(window_, n - start), first + start, second + start);
    }
  }

 private:
  void first_block(const Two* block, std::size_t size, double* first, double* second) const {
    Two sum = {0.0, 0.0}, squares = sum;
    for (std::size_t k = 0; k < size; ++k) {
      const Two d = block[k] - block[0];
      sum += d;
      squares += d * d;
      const Two deviation =
          k ? root_of((squares - sum * (sum * per_count_[k + 1])) / static_cast<double>(k),
                      block[0])
            : sum;
      first[k] = k + 1 < min_obs_ ? missing : deviation[0];
      second[k] = k + 1 < min_obs_ ? missing : deviation[1];
    }
  }

  // tail_*_[k] is of what is left of the block when its first k + 1 are gone.
  void sum_tail(const Two* block) {
    const Two edge = block[window_ - 1];
    Two sum = {0.0, 0.0}, squares = sum;
    tail_mean_[window_ - 1] = tail_about_mean_[window_ - 1] = sum;
    for (std::size_t k = window_ - 1; k-- > 0;) {
      const Two d = block[k + 1] - edge;
      sum += d;
      squares += d * d;
      const Two mean = sum * per_count_[window_ - 1 - k];
      tail_mean_[k] = mean;
      tail_about_mean_[k] = squares - sum * mean;
    }
  }

  void join(const Two* block, std::size_t size, double* first, double* second) const {
    const Two edges_apart = block[-1] - block[0];
    const double per_less_one = 1.0 / static_cast<double>(window_ - 1);
    Two sum = {0.0, 0.0}, squares = sum;
    for (std::size_t k = 0; k < size; ++k) {
      const Two d = block[k] - block[0];
      sum += d;
      squares += d * d;
      const Two mean = sum * per_count_[k + 1], apart = edges_apart + tail_mean_[k] - mean;
      const Two about_mean =
          tail_about_mean_[k] + (squares - sum * mean) + apart * apart * weight_[k];
      const Two deviation = root_of(about_mean * per_less_one, block[0]);
      first[k] = deviation[0];
      second[k] = deviation[1];
    }
  }

  std::size_t window_, min_obs_;
  std::vector<double> per_count_, weight_;
  std::vector<Two> tail_mean_, tail_about_mean_;
};

// The same of one series.
class RollingDeviationOfOne {
 public:
  RollingDeviationOfOne(std::size_t window, std::size_t min_obs) : rolling_(window, min_obs) {}
  void operator()(const double* x, std::size_t n, double* out) {
    twice_.resize(n);
    for (std::size_t i = 0; i < n; ++i) twice_[i] = Two{x[i], x[i]};
    rolling_(twice_.data(), n, out, nullptr);
  }

 private:
  RollingDeviation rolling_;
  std::vector<Two> twice_;
};

// Mean of every `window` values of which none is missing, each window summed as the
// differences from its block's edges, as above. Before there are `min_obs` there is none.
inline void rolling_mean(const double* x, std::size_t n, std::size_t window, std::size_t min_obs,
                         double* out) {
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

} // namespace imbroglio
