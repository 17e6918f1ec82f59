#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"

namespace imbroglio {

struct Line {
  std::size_t n = 0;
  double alpha = missing, beta = missing, alpha_error = missing, beta_error = missing;
  double correlation = missing, residual = missing; // residual: sd with n - 2
  double up = missing, down = missing;              // beta where x is above, below 0
};

// x of a least-squares line, prepared once for any number of y on the same rows.
class LineOn {
 public:
  void prepare(const double* x, std::size_t n) {
    n_ = n;
    mean_ = mean_of(x, n);
    off_.resize(n);
    for (std::size_t i = 0; i < n; ++i) off_[i] = x[i] - mean_;
    squares_ = sum_of(n, [this](std::size_t i) { return off_[i] * off_[i]; });
    varies_ = n > 1 && beyond_rounding(squares_, static_cast<double>(n), x[0]) > 0.0;
    side(up_, x, [](double v) { return v > 0.0; });
    side(down_, x, [](double v) { return v < 0.0; });
  }

  // y, less `rate`. Newey and West's errors with that many lags; below 0: the ordinary ones.
  // Gives n 0 where a value of y is missing.
  Line operator()(const double* y, double rate, std::ptrdiff_t lags) {
    Line line;
    if (n_ == 0) return line;
    const double *off = off_.data(), *up = up_.off.data(), *down = down_.off.data();
    const double size = static_cast<double>(n_), edge = y[0];
    // In one pass, about the first value; x is about its mean, so where y is from does not matter
    // to the products.
    auto [sum, about, products, rising, falling] = sums_of<5>(n_, [=](auto at, auto& sums) {
      const auto d = at(y) - edge;
      sums[0] += d;
      sums[1] += d * d;
      sums[2] += at(off) * d;
      sums[3] += at(up) * d;
      sums[4] += at(down) * d;
    });
    if (std::isnan(sum)) return line;
    line.n = n_;
    if (!varies_) return line;
    const double mean = edge + sum / size, apart = sum * sum / size;
    about -= apart;
    // Unless the first value lies far from all the others.
    if (about < 0.01 * apart) {
      const auto [near, cross, rise, fall] = sums_of<4>(n_, [=](auto at, auto& sums) {
        const auto d = at(y) - mean;
        sums[0] += d * d;
        sums[1] += at(off) * d;
        sums[2] += at(up) * d;
        sums[3] += at(down) * d;
      });
      about = near, products = cross, rising = rise, falling = fall;
    }
    if (beyond_rounding(about, size, edge) == 0.0) about = products = rising = falling = 0.0;
    const double beta = products / squares_;
    line.beta = beta;
    line.alpha = (mean - rate) - beta * mean_;
    if (about > 0.0)
      line.correlation = std::clamp(products / std::sqrt(squares_ * about), -1.0, 1.0);
    if (up_.squares > 0.0) line.up = rising / up_.squares;
    if (down_.squares > 0.0) line.down = falling / down_.squares;
    if (n_ < 3) return line;
    double left = about - beta * products;
    // Near a perfect fit the difference has no digits left.
    if (!(left > 1e-3 * about)) {
      left = sum_of(n_, [=](std::size_t i) {
        const double e = (y[i] - mean) - beta * off[i];
        return e * e;
      });
    }
    line.residual = std::sqrt(left / (size - 2.0));
    if (lags < 0) {
      line.beta_error = line.residual / std::sqrt(squares_);
      line.alpha_error = line.residual * std::sqrt(1.0 / size + mean_ * mean_ / squares_);
    } else {
      errors_over_lags(y, mean, static_cast<std::size_t>(lags), line);
    }
    return line;
  }

 private:
  // x about its mean over the rows that belong, and 0 on the others.
  struct Side {
    std::vector<double> off;
    double squares = 0.0;
  };

  template <class Belongs>
  void side(Side& s, const double* x, Belongs belongs) {
    std::vector<double> own;
    for (std::size_t i = 0; i < n_; ++i)
      if (belongs(x[i])) own.push_back(x[i]);
    const double mean = mean_of(own.data(), own.size());
    s.off.resize(n_);
    for (std::size_t i = 0; i < n_; ++i) s.off[i] = belongs(x[i]) ? x[i] - mean : 0.0;
    s.squares = sum_of(n_, [&](std::size_t i) { return s.off[i] * s.off[i]; });
  }

  // In the centred form y = a + beta (x - mean), whose two estimates have a diagonal
  // inverse of X'X; alpha is a - beta mean.
  void errors_over_lags(const double* y, double mean, std::size_t lags, Line& line) {
    error_.resize(n_);
    for (std::size_t i = 0; i < n_; ++i) error_[i] = (y[i] - mean) - line.beta * off_[i];
    const double *e = error_.data(), *off = off_.data();
    double aa = 0.0, ab = 0.0, bb = 0.0;
    for (std::size_t lag = 0; lag <= std::min(lags, n_ - 1); ++lag) {
      const double w =
          lag ? 2.0 * (1.0 - static_cast<double>(lag) / (static_cast<double>(lags) + 1.0)) : 1.0;
      const std::size_t m = n_ - lag;
      aa += w * sum_of(m, [=](std::size_t i) { return e[i] * e[i + lag]; });
      bb +=
          w * sum_of(m, [=](std::size_t i) { return e[i] * off[i] * e[i + lag] * off[i + lag]; });
      ab += 0.5 * w *
            sum_of(m, [=](std::size_t i) { return e[i] * e[i + lag] * (off[i] + off[i + lag]); });
    }
    const double size = static_cast<double>(n_), slope = bb / (squares_ * squares_);
    line.beta_error = std::sqrt(std::max(0.0, slope));
    line.alpha_error = std::sqrt(std::max(
        0.0, aa / (size * size) - 2.0 * mean_ * ab / (size * squares_) + mean_ * mean_ * slope));
  }

  std::size_t n_ = 0;
  double mean_ = missing, squares_ = 0.0;
  bool varies_ = false;
  std::vector<double> off_, error_;
  Side up_, down_;
};

// What a rolling line writes; a null pointer is not written to.
struct RollingOut {
  double* beta;
  double* alpha;
  double* correlation;
  double* residual;
};

// Rolling least-squares line of y on x, neither with missing values, by the blocks of
// RollingDeviation: a window is the tail of one block and the head of the next, each
// summed as differences from the block's edge, joined by the pairwise update.
class RollingLine {
 public:
  RollingLine(std::size_t window, std::size_t min_obs)
      : window_(window), min_obs_(std::max<std::size_t>(min_obs, 2)) {
    per_count_.resize(window + 1);
    weight_.resize(window);
    const double w = static_cast<double>(window);
    for (std::size_t k = 1; k <= window; ++k) per_count_[k] = 1.0 / static_cast<double>(k);
    for (std::size_t k = 0; k < window; ++k)
      weight_[k] = static_cast<double>(k + 1) * (w - static_cast<double>(k + 1)) / w;
    for (auto* v : {&tail_mean_, &tail_cross_, &tail_squares_}) v->resize(window);
  }

  void prepare(const double* x, std::size_t n) {
    n_ = n;
    for (auto* v : {&head_off_, &head_sum_, &tail_off_, &tail_sum_, &apart_, &mean_, &squares_,
                    &per_squares_})
      v->assign(n, 0.0);
    std::vector<double> about(window_);
    for (std::size_t b = 0; b < n; b += window_) {
      double sum = 0.0, sq = 0.0;
      for (std::size_t k = 0; k < window_ && b + k < n; ++k) {
        const std::size_t t = b + k;
        const double d = x[t] - x[b];
        head_off_[t] = d;
        head_sum_[t] = sum += d;
        sq += d * d;
        const double here = sum * per_count_[k + 1], own = sq - sum * here;
        // A window that is a block of its own has no tail, and its edge no part in it.
        if (b == 0 || k + 1 == window_) {
          mean_[t] = x[b] + here;
          squares_[t] = own;
        } else {
          const double before = tail_sum_[t - window_] * per_count_[window_ - 1 - k];
          const double edge = x[b - 1],
                       share = static_cast<double>(k + 1) / static_cast<double>(window_);
          const double gap = (x[b] - edge) + here - before;
          apart_[t] = gap * weight_[k];
          squares_[t] = about[k] + own + gap * apart_[t];
          mean_[t] = edge + before + gap * share;
        }
        squares_[t] = beyond_rounding(squares_[t], static_cast<double>(b ? window_ : k + 1), x[b]);
        per_squares_[t] = squares_[t] > 0.0 ? 1.0 / squares_[t] : missing;
      }
      if (b + window_ > n) break;
      const double edge = x[b + window_ - 1];
      about[window_ - 1] = 0.0;
      double tail = 0.0, tail_sq = 0.0;
      for (std::size_t k = window_ - 1; k-- > 0;) {
        const double d = x[b + k + 1] - edge;
        tail_off_[b + k] = d;
        tail_sum_[b + k] = tail += d;
        tail_sq += d * d;
        about[k] = tail_sq - tail * (tail * per_count_[window_ - 1 - k]);
      }
    }
  }

  void operator()(const double* y, const RollingOut& out) {
    if (out.alpha || out.correlation || out.residual)
      run<true>(y, out);
    else
      run<false>(y, out);
  }

 private:
  template <bool all>
  void run(const double* y, const RollingOut& out) {
    for (std::size_t b = 0; b < n_; b += window_) {
      const std::size_t size = std::min(window_, n_ - b);
      if (b) sum_tail<all>(y, b - window_);
      const double first = y[b], edge = b ? y[b - 1] : 0.0;
      double sum = 0.0, cross = 0.0, sq = 0.0;
      for (std::size_t k = 0; k < size; ++k) {
        const std::size_t t = b + k;
        const double d = y[t] - first;
        sum += d;
        cross += head_off_[t] * d;
        const double here = sum * per_count_[k + 1];
        double products = cross - head_sum_[t] * here, mean = first + here, squares = 0.0;
        if (all) {
          sq += d * d;
          squares = sq - sum * here;
        }
        if (b && k + 1 < window_) {
          const double gap = (first - edge) + here - tail_mean_[k];
          products += tail_cross_[k] + gap * apart_[t];
          if (all) {
            squares += tail_squares_[k] + gap * gap * weight_[k];
            mean = edge + tail_mean_[k] + gap * (static_cast<double>(k + 1) * per_count_[window_]);
          }
        } else if (t + 1 < min_obs_) {
          products = missing;
        }
        const double count = static_cast<double>(b ? window_ : k + 1);
        if (all) squares = beyond_rounding(squares, count, first);
        const double beta = products * per_squares_[t];
        out.beta[t] = beta;
        if (!all) continue;
        if (out.alpha) out.alpha[t] = mean - beta * mean_[t];
        if (out.correlation) {
          const double both = std::sqrt(squares_[t] * squares);
          out.correlation[t] =
              both > 0.0
                  ? (std::isnan(products) ? missing : std::clamp(products / both, -1.0, 1.0))
                  : missing;
        }
        if (out.residual) {
          // max() of a missing left side would be 0.
          const double left = squares - beta * products;
          out.residual[t] = count > 2.0 && !std::isnan(left)
                                ? std::sqrt(std::max(0.0, left) / (count - 2.0))
                                : missing;
        }
      }
    }
  }

  template <bool all>
  void sum_tail(const double* y, std::size_t b) {
    const double edge = y[b + window_ - 1];
    double sum = 0.0, cross = 0.0, sq = 0.0;
    tail_mean_[window_ - 1] = tail_cross_[window_ - 1] = tail_squares_[window_ - 1] = 0.0;
    for (std::size_t k = window_ - 1; k-- > 0;) {
      const double d = y[b + k + 1] - edge;
      sum += d;
      cross += tail_off_[b + k] * d;
      const double mean = sum * per_count_[window_ - 1 - k];
      tail_mean_[k] = mean;
      tail_cross_[k] = cross - tail_sum_[b + k] * mean;
      if (all) {
        sq += d * d;
        tail_squares_[k] = sq - sum * mean;
      }
    }
  }

  std::size_t window_, min_obs_, n_ = 0;
  std::vector<double> per_count_, weight_, tail_mean_, tail_cross_, tail_squares_;
  std::vector<double> head_off_, head_sum_, tail_off_, tail_sum_, apart_, mean_, squares_,
      per_squares_;
};

} // namespace imbroglio
