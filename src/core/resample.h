#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <vector>
#include "common.h"
#include "drawdown.h"
#include "tail.h"

namespace imbroglio {

// What is asked of a sample: the target of a period, the order of the partial moment, how returns
// join, how many of the deepest falls are averaged, and the level of value at risk, 0 for none.
struct SampleAsk {
  double target = 0.0, order = 1.0, level = 0.0;
  bool additive = false, log = false;
  std::size_t deepest = 3;
};

enum Figure : std::size_t {
  centre,
  deviation,
  semi_deviation,
  downside_deviation,
  partial_moment,
  gain,
  shortfall,
  pain,
  growth,
  deepest_fall,
  deep_falls,
  skewness,
  loss_at_rank,
  loss_beyond,
  slope,
  correlation,
  apart,
  figures
};

// The figures of a sample, or of one that was drawn from it: `rows` are the rows drawn, counted
// from 1, or null for all as they are. `grown` is 1 + r or exp(r), or r of profits; `beside` a
// benchmark on the same rows, or null.
class SampleFigures {
 public:
  void operator()(const double* x, const double* grown, const double* beside, const int* rows,
                  std::size_t n, const SampleAsk& ask, double* out) {
    std::fill(out, out + figures, missing);
    if (n == 0) return;
    const auto at = [rows](std::size_t i) {
      return rows ? static_cast<std::size_t>(rows[i]) - 1 : i;
    };
    const double size = static_cast<double>(n);
    double sum = 0.0, sum_beside = 0.0;
    for (std::size_t i = 0; i < n; ++i) sum += x[at(i)];
    double mean = sum / size, left = 0.0;
    for (std::size_t i = 0; i < n; ++i) left += x[at(i)] - mean;
    mean += left / size;
    if (beside)
      for (std::size_t i = 0; i < n; ++i) sum_beside += beside[at(i)];
    const double mean_beside = sum_beside / size;
    double squares = 0.0, cubes = 0.0, below = 0.0, downside = 0.0, moment = 0.0, gains = 0.0,
           lacks = 0.0, pains = 0.0, both = 0.0, squares_beside = 0.0;
    for (std::size_t i = 0; i < n; ++i) {
      const double r = x[at(i)], d = r - mean, over = r - ask.target;
      squares += d * d;
      cubes += d * d * d;
      if (d < 0.0) below += d * d;
      if (over < 0.0) {
        downside += over * over;
        lacks -= over;
        moment += ask.order == 1.0 ? -over : std::pow(-over, ask.order);
      } else {
        gains += over;
      }
      if (r < 0.0) pains -= r;
      if (!beside) continue;
      const double b = beside[at(i)] - mean_beside;
      both += d * b;
      squares_beside += b * b;
    }
    out[centre] = mean;
    out[deviation] = n > 1 ? std::sqrt(squares / (size - 1.0)) : missing;
    out[semi_deviation] = std::sqrt(below / size);
    out[downside_deviation] = std::sqrt(downside / size);
    out[partial_moment] = moment / size;
    out[gain] = gains / size;
    out[shortfall] = lacks / size;
    out[pain] = pains / size;
    if (squares > 0.0) out[skewness] = cubes / size / std::pow(squares / size, 1.5);
    falls(grown, n, ask, at, out);
    tail(x, n, ask, at, out);
    if (!beside) return;
    if (squares_beside > 0.0) out[slope] = both / squares_beside;
    if (squares_beside > 0.0 && squares > 0.0)
      out[correlation] = both / std::sqrt(squares * squares_beside);
    if (n > 1)
      out[apart] = std::sqrt(std::max(0.0, squares - 2.0 * both + squares_beside) / (size - 1.0));
  }

 private:
  std::vector<double> spare_;

  // What was put in became, and the deepest falls on the way.
  template <class At>
  void falls(const double* grown, std::size_t n, const SampleAsk& ask, At at, double* out) {
    spare_.clear();
    const double start = ask.additive ? 0.0 : 1.0;
    double wealth = start, lowest = 0.0;
    High high(ask.additive);
    high.above(wealth);
    for (std::size_t i = 0; i < n; ++i) {
      wealth = ask.additive ? wealth + grown[at(i)] : wealth * grown[at(i)];
      if (high.above(wealth)) {
        lowest = std::min(lowest, fall(wealth, high(), ask.additive));
      } else {
        if (lowest < 0.0) spare_.push_back(lowest);
        lowest = 0.0;
      }
    }
    if (lowest < 0.0) spare_.push_back(lowest);
    out[growth] = wealth - start;
    const std::size_t k = std::min(ask.deepest, spare_.size());
    out[deepest_fall] = out[deep_falls] = 0.0;
    if (k == 0) return;
    std::partial_sort(spare_.begin(), spare_.begin() + static_cast<std::ptrdiff_t>(k),
                      spare_.end());
    out[deepest_fall] = spare_[0];
    double sum = 0.0;
    for (std::size_t i = 0; i < k; ++i) sum += spare_[i];
    out[deep_falls] = sum / static_cast<double>(k);
  }

  // The loss at the rank, and the mean of those from it on.
  template <class At>
  void tail(const double* x, std::size_t n, const SampleAsk& ask, At at, double* out) {
    if (!(ask.level > 0.0)) return;
    const auto rank = static_cast<std::size_t>(rank_position(n, 1.0 - ask.level, Rank::nearest));
    spare_.resize(n);
    for (std::size_t i = 0; i < n; ++i) spare_[i] = x[at(i)];
    const auto place = spare_.begin() + static_cast<std::ptrdiff_t>(rank) - 1;
    std::nth_element(spare_.begin(), place, spare_.end());
    const auto loss = [&ask](double r) { return ask.log ? -std::expm1(r) : -r; };
    out[loss_at_rank] = loss(*place);
    double sum = 0.0;
    for (auto i = spare_.begin(); i <= place; ++i) sum += loss(*i);
    out[loss_beyond] = sum / static_cast<double>(rank);
  }
};

// The figures of each window of the last `window` values. Each is summed afresh: a target or a
// mean that moves changes which returns lie below it. `wanted`: which of them, from 0.
inline void rolling_figures(const double* x, const double* grown, std::size_t n,
                            std::size_t window, std::size_t least, const SampleAsk& ask,
                            const std::vector<int>& wanted, SampleFigures& of, double* out,
                            std::size_t stride) {
  std::vector<double> found(figures);
  for (std::size_t t = 0; t < n; ++t) {
    const std::size_t size = std::min(window, t + 1), from = t + 1 - size;
    if (size < least)
      std::fill(found.begin(), found.end(), missing);
    else
      of(x + from, grown + from, nullptr, nullptr, size, ask, found.data());
    for (std::size_t f = 0; f < wanted.size(); ++f)
      out[f * stride + t] = found[static_cast<std::size_t>(wanted[f])];
  }
}

} // namespace imbroglio
