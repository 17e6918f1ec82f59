#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <vector>
#include "common.h"

namespace imbroglio {

// How far `low` lies below `high`: a return, or for profits that add their difference.
inline double fall(double low, double high, bool additive) {
  return additive ? low - high : (low - high) / high;
}

// A running high, and the value from which on wealth counts as back at it. Returns multiplied out
// come back to a high but for their rounding, by far less than this, and no price moves by as
// little.
class High {
 public:
  static constexpr double slack = 0x1p-40;
  explicit High(bool additive) : additive_(additive) {}
  // Whether there is a fall to `w`; otherwise it is the high, or counts as it.
  bool above(double w) {
    if (additive_ && std::fabs(w) > largest_) {
      largest_ = std::fabs(w);
      edge_ = high_ - slack * largest_;
    }
    if (w < edge_) return true;
    if (w > high_) {
      high_ = w;
      edge_ = additive_ ? w - slack * largest_ : w * (1.0 - slack);
    }
    return false;
  }
  double operator()() const { return high_; }
  double edge() const { return edge_; }
  // Whether a fall is deeper than another, not only by rounding.
  bool deeper(double now, double than) const {
    return now < (additive_ ? than - slack * largest_ : than - slack);
  }

 private:
  bool additive_;
  double high_ = -INFINITY, edge_ = -INFINITY, largest_ = 0.0;
};

struct Drawdown {
  double depth = missing;     // 0 where wealth never falls, else negative
  std::ptrdiff_t peak = -1;   // last row at the high before the fall
  std::ptrdiff_t trough = -1; // first row at the low
  std::ptrdiff_t recovery = -1;
};

// Runs from row `first` to before `last` of wealth, none missing, whose high was `high`, first
// reached on row `high_at`; the worst fall so far becomes that of these rows where one is deeper.
inline void search_deepest(const double* wealth, std::size_t first, std::size_t last, High high,
                           std::size_t high_at, bool additive, Drawdown& worst, double& edge) {
  for (std::size_t t = first; t < last; ++t) {
    high.above(wealth[t]);
    const double now = fall(wealth[t], high(), additive);
    if (!high.deeper(now, worst.depth)) continue;
    worst = {now, static_cast<std::ptrdiff_t>(high_at), static_cast<std::ptrdiff_t>(t), -1};
    edge = high.edge();
  }
}

struct Falls {
  Drawdown deepest;
  double sum = 0.0, count = 0.0; // of the depths of the falls, as positive numbers
  double most = 0.0;             // the depth of the deepest of them
};

// One pass over wealth of which none is missing: a fall is as deep as its lowest value, so that
// only what may be the deepest is looked through for where. `highs`, where it is not null, is
// filled with the high that each value is below; of one that is at it, the value.
inline Falls falls_of(const double* wealth, std::size_t n, bool additive, double* highs) {
  Falls found;
  if (n == 0) return found;
  Drawdown& worst = found.deepest;
  worst.depth = 0.0;
  High high(additive), at_start(additive);
  double low = INFINITY, edge = 0.0;
  std::size_t high_at = 0;
  auto end_fall = [&](std::size_t t, double top) {
    const double depth = fall(low, top, additive);
    found.sum -= depth;
    found.count += 1.0;
    found.most = std::max(found.most, -depth);
    if (depth < worst.depth)
      search_deepest(wealth, high_at + 1, t, at_start, high_at, additive, worst, edge);
    low = INFINITY;
  };
  for (std::size_t t = 0; t < n; ++t) {
    const double w = wealth[t], top = high();
    if (high.above(w)) {
      low = w < low ? w : low;
      if (highs) highs[t] = top;
      continue;
    }
    if (low < INFINITY) end_fall(t, top);
    high_at = t;
    at_start = high;
    if (highs) highs[t] = w;
  }
  if (low < INFINITY) end_fall(n, high());
  if (worst.trough < 0) return found;
  for (std::size_t t = static_cast<std::size_t>(worst.trough) + 1; t < n; ++t) {
    if (wealth[t] >= edge) {
      worst.recovery = static_cast<std::ptrdiff_t>(t);
      break;
    }
  }
  return found;
}

// The worst of wealth / its running high - 1. No value is missing.
inline Drawdown max_drawdown(const double* wealth, std::size_t n, bool additive) {
  return falls_of(wealth, n, additive, nullptr).deepest;
}

// Every fall below a high, in order of time.
inline std::vector<Drawdown> drawdown_episodes(const double* wealth, std::size_t n,
                                               bool additive) {
  std::vector<Drawdown> found;
  High high(additive);
  std::ptrdiff_t high_at = -1;
  bool below = false;
  for (std::size_t t = 0; t < n; ++t) {
    const double w = wealth[t];
    const std::ptrdiff_t row = static_cast<std::ptrdiff_t>(t);
    if (std::isnan(w)) continue;
    if (high.above(w)) {
      const double depth = fall(w, high(), additive);
      if (!below)
        found.push_back({depth, high_at, row, -1});
      else if (high.deeper(depth, found.back().depth)) {
        found.back().depth = depth;
        found.back().trough = row;
      }
      below = true;
    } else {
      if (below) found.back().recovery = row;
      below = false;
      high_at = row;
    }
  }
  return found;
}

// Below the running high at each row.
inline void drawdown_series(const double* wealth, std::size_t n, bool additive, double* out) {
  High high(additive);
  for (std::size_t t = 0; t < n; ++t) {
    const double w = wealth[t];
    out[t] = std::isnan(w) ? missing : high.above(w) ? fall(w, high(), additive) : 0.0;
  }
}

// How far the lowest value from each row on lies below it: the worst still ahead.
inline void drawdown_ahead(const double* wealth, std::size_t n, bool additive, double* out) {
  double low = INFINITY;
  for (std::size_t t = n; t-- > 0;) {
    const double w = wealth[t];
    low = w < low ? w : low;
    out[t] = std::isnan(w) ? missing : fall(low, w, additive);
  }
}

struct UnderWater {
  double average = missing; // mean depth of the falls, negative
  double time = missing, pain = missing, ulcer = missing, at_risk = missing;
};

// The quantile (type 7) of n values from 0 to `highest`: cut into bins of one width, so that
// only those from the bin that holds it on are put in order. `spare` is room.
inline double quantile_of(const double* x, std::size_t n, double highest, double level,
                          std::vector<double>& spare) {
  constexpr int bins = 1024;
  const double place = static_cast<double>(n - 1) * level,
               scale = highest > 0.0 ? (bins - 1) / highest : 0.0;
  // Neighbours are alike: counted in two tables, one count need not wait for the one before.
  std::array<std::uint32_t, bins> count{}, other{};
  std::size_t i = 0;
  for (; i + 2 <= n; i += 2) {
    ++count[static_cast<int>(x[i] * scale)];
    ++other[static_cast<int>(x[i + 1] * scale)];
  }
  if (i < n) ++count[static_cast<int>(x[i] * scale)];
  for (int bin = 0; bin < bins; ++bin) count[bin] += other[bin];
  std::size_t at = static_cast<std::size_t>(place);
  int chosen = 0;
  while (at >= count[chosen]) at -= count[chosen++];
  spare.clear();
  // The least that falls into the bin, or a hair below: what is not in it is left out again.
  const double about = scale > 0.0 ? (chosen - 1) / scale : 0.0;
  for (i = 0; i < n; ++i)
    if (x[i] >= about && static_cast<int>(x[i] * scale) >= chosen) spare.push_back(x[i]);
  const auto middle = spare.begin() + static_cast<std::ptrdiff_t>(at);
  std::nth_element(spare.begin(), middle, spare.end());
  const double lower = *middle, upper = middle + 1 < spare.end()
                                            ? *std::min_element(middle + 1, spare.end())
                                            : lower;
  return lower + (place - std::floor(place)) * (upper - lower);
}

// Of wealth of which none is missing, over the dates after the first; `highs` is what falls_of()
// filled, and becomes the depths. `spare` is room.
inline UnderWater under_water(const double* wealth, std::size_t n, bool additive, double level,
                              const Falls& falls, double* highs, std::vector<double>& spare) {
  UnderWater found;
  if (n < 2) return found;
  double* high = highs + 1;
  const double* w = wealth + 1;
  const std::size_t known = n - 1;
  auto depths = [=](auto deep) {
    // In place: each depth is written where its high was read.
    std::size_t i = 0;
    for (; i + 2 <= known; i += 2) {
      Two top, value;
      std::memcpy(&top, high + i, sizeof top);
      std::memcpy(&value, w + i, sizeof value);
      const Two depth = deep(top, value);
      std::memcpy(high + i, &depth, sizeof depth);
    }
    if (i < known) high[i] = deep(high[i], w[i]);
  };
  if (additive)
    depths([](auto top, auto value) { return top - value; });
  else
    depths([](auto top, auto value) { return (top - value) / top; });
  const double* d = high;
  const auto [sum, squares, below] = sums_of<3>(known, [=](auto at, auto& sums) {
    const auto here = at(d), none = here - here, one = none + 1.0;
    sums[0] += here;
    sums[1] += here * here;
    sums[2] += here > none ? one : none;
  });
  const double size = static_cast<double>(known);
  found.average = falls.count > 0.0 ? -falls.sum / falls.count : 0.0;
  found.time = below / size;
  found.pain = sum / size;
  found.ulcer = std::sqrt(squares / size);
  found.at_risk = quantile_of(d, known, falls.most, level, spare);
  return found;
}

// The worst drawdown within each `window` + 1 values of wealth, none missing, as each window is
// the tail of one block and the head of the next: the worst of both, or from
// the tail's high to the head's low. out[t] is of the window that ends with t.
inline void rolling_drawdown(const double* wealth, std::size_t n, std::size_t window,
                             std::size_t min_obs, bool additive, double* out) {
  const std::size_t size = window + 1;
  struct Part {
    double high, low, depth;
  };
  std::vector<Part> tail(size);
  for (std::size_t b = 0; b < n; b += size) {
    Part head{-INFINITY, INFINITY, 0.0};
    for (std::size_t k = 0; k < size && b + k < n; ++k) {
      const double w = wealth[b + k];
      head.high = std::max(head.high, w);
      head.low = std::min(head.low, w);
      head.depth = std::min(head.depth, fall(w, head.high, additive));
      double depth = head.depth;
      if (b && k + 1 < size)
        depth = std::min({depth, tail[k + 1].depth, fall(head.low, tail[k + 1].high, additive)});
      out[b + k] = b + k < min_obs ? missing : depth;
    }
    if (b + size > n) break;
    Part back{-INFINITY, INFINITY, 0.0};
    for (std::size_t k = size; k-- > 0;) {
      const double w = wealth[b + k];
      back.low = std::min(back.low, w);
      back.high = std::max(back.high, w);
      back.depth = std::min(back.depth, fall(back.low, w, additive));
      tail[k] = back;
    }
  }
}

} // namespace imbroglio
