#pragma once
#include "casts.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <vector>
#include "tail.h"

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

struct Falls {
  Drawdown deepest;
  double sum = 0.0, count = 0.0; // of the depths of the falls, as positive numbers
};

// From row t on, the first that is not below `back`, and into `low` the least before it: eight
// rows at a time, as a fall is long.
inline std::size_t end_of_fall(const double* wealth, std::size_t t, std::size_t n, double back,
                               double& low) {
  Two least = {low, low};
  for (; t + 8 <= n; t += 8) {
    Two w[4];
    std::memcpy(w, wealth + t, sizeof w);
    const auto at_it = ((w[0] >= back) | (w[1] >= back)) | ((w[2] >= back) | (w[3] >= back));
    if (at_it[0] | at_it[1]) break;
    const Two first = w[0] < w[1] ? w[0] : w[1], second = w[2] < w[3] ? w[2] : w[3],
              both = first < second ? first : second;
    least = both < least ? both : least;
  }
  low = std::min(least[0], least[1]);
  for (; t < n && wealth[t] < back; ++t) low = wealth[t] < low ? wealth[t] : low;
  return t;
}

inline void depths_of(const double* wealth, std::size_t n, double top, bool additive,
                      double* depths) {
  auto fill = [=](auto below) {
    std::size_t i = 0;
    for (; i + 2 <= n; i += 2) {
      Two w;
      std::memcpy(&w, wealth + i, sizeof w);
      const Two depth = below(w);
      std::memcpy(depths + i, &depth, sizeof depth);
    }
    if (i < n) depths[i] = below(wealth[i]);
  };
  if (additive)
    fill([=](auto w) { return w - top; });
  else
    fill([=](auto w) { return (w - top) / top; });
}

// One pass over wealth of which none is missing: a fall is as deep as its lowest value, so that
// only the deepest is looked through for where that was. `depths`, where it is not null, is filled
// with how far each value is below the high.
inline Falls falls_of(const double* wealth, std::size_t n, bool additive, double* depths) {
  Falls found;
  if (n == 0) return found;
  High high(additive), of_deepest(additive);
  std::size_t begin = 0, end = 0;
  double deepest = 0.0, lowest = 0.0;
  for (std::size_t t = 0; t < n;) {
    const std::size_t high_at = t;
    high.above(wealth[t]);
    if (depths) depths[t] = 0.0;
    const High at_start = high;
    const double top = high();
    double low = INFINITY;
    ++t;
    if (additive) {
      for (; t < n && high.above(wealth[t]); ++t) low = wealth[t] < low ? wealth[t] : low;
    } else {
      // The edge stays where it is until wealth is back at it.
      const double back = high.edge();
      if (t < n && wealth[t] < back) t = end_of_fall(wealth, t, n, back, low);
    }
    if (!(low < INFINITY)) continue;
    if (depths)
      depths_of(wealth + high_at + 1, t - high_at - 1, top, additive, depths + high_at + 1);
    const double depth = fall(low, top, additive);
    found.sum -= depth;
    found.count += 1.0;
    if (!high.deeper(depth, deepest)) continue;
    deepest = depth;
    lowest = low;
    of_deepest = at_start;
    begin = high_at;
    end = t;
  }
  Drawdown& worst = found.deepest;
  worst.depth = 0.0;
  if (end == 0) return found;
  // Of lows that are apart by rounding only, the first.
  const double near = lowest + High::slack * std::fabs(of_deepest());
  std::size_t t = begin + 1;
  if (additive) {
    for (; t < end && wealth[t] > near; ++t) of_deepest.above(wealth[t]);
    of_deepest.above(wealth[t]);
  } else {
    t = to_size(std::find_if(wealth + t, wealth + end, [=](double w) { return w <= near; }) -
                wealth);
  }
  worst.depth = fall(wealth[t], of_deepest(), additive);
  worst.peak = static_cast<std::ptrdiff_t>(begin);
  worst.trough = static_cast<std::ptrdiff_t>(t);
  const double* back = std::find_if(wealth + t + 1, wealth + n,
                                    [edge = of_deepest.edge()](double w) { return w >= edge; });
  if (back != wealth + n) worst.recovery = back - wealth;
  return found;
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

// Of n depths that falls_of() filled, over the dates after the first. `spare` is room.
inline UnderWater under_water(const double* depths, std::size_t n, double level,
                              const Falls& falls, std::vector<double>& spare) {
  UnderWater found;
  if (n < 2) return found;
  const double* d = depths + 1;
  const std::size_t known = n - 1;
  const auto [sum, squares, below] = sums_of<3>(known, [=](auto at, auto& sums) {
    const auto here = at(d), none = here - here, one = none + 1.0;
    sums[0] += here;
    sums[1] += here * here;
    sums[2] += here < none ? one : none;
  });
  const double size = static_cast<double>(known);
  found.average = falls.count > 0.0 ? -falls.sum / falls.count : 0.0;
  found.time = below / size;
  found.pain = (0.0 - sum) / size;
  found.ulcer = std::sqrt(squares / size);
  // The quantile (type 7) lies between two of the deepest.
  const double place = (size - 1.0) * level;
  const std::size_t m = known - static_cast<std::size_t>(place);
  least_of(d, known, m, spare);
  const double lower = 0.0 - spare[m - 1], upper = m > 1 ? 0.0 - spare[m - 2] : lower;
  found.at_risk = lower + (place - std::floor(place)) * (upper - lower);
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
