#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>
#include "random.h"
#include "common.h"

namespace imbroglio {

// Which days of the history follow each other on a path: each by itself; in blocks of a fixed
// length; or stationary (Politis and Romano 1994), in blocks of random length with that mean.
// After the last day of the history comes the first, so that every day is as likely.
enum class Blocks { none, fixed, stationary };

class DayDraws {
 public:
  DayDraws(std::size_t days, std::size_t horizon, Blocks blocks, double length)
      : days_(static_cast<std::uint32_t>(days)),
        horizon_(horizon),
        blocks_(blocks),
        fixed_(static_cast<std::size_t>(length)),
        again_(1.0 / length) {}

  std::size_t horizon() const { return horizon_; }

  // Hands each day of a path to `take`, counted from 0, and whether a block begins with it.
  template <class Take>
  void operator()(Random& random, Take take) const {
    if (blocks_ == Blocks::none) {
      for (std::size_t i = 0; i < horizon_; ++i) take(random.below(days_), true);
      return;
    }
    std::uint32_t day = 0;
    for (std::size_t i = 0; i < horizon_; ++i) {
      const bool fresh =
          i == 0 || (blocks_ == Blocks::fixed ? i % fixed_ == 0 : random.uniform() < again_);
      if (fresh)
        day = random.below(days_);
      else if (++day == days_)
        day = 0;
      take(day, fresh);
    }
  }

 private:
  std::uint32_t days_;
  std::size_t horizon_;
  Blocks blocks_;
  std::size_t fixed_;
  double again_;
};

// The value of a book at the end of drawn paths. Each day's growth of all holdings lies together,
// in pairs of two; a holding that makes up a pair is worth nothing.
class BookDraws {
 public:
  // `growth` has a row for each day and a column for each holding.
  // `adds`: they are profits, which add to what there is.
  BookDraws(const double* growth, std::size_t days, const double* worth, std::size_t holdings,
            double cash, bool adds)
      : pairs_((holdings + 1) / 2),
        cash_(cash),
        adds_(adds),
        growth_(days * pairs_),
        worth_(pairs_) {
    for (std::size_t p = 0; p < pairs_; ++p)
      for (int side = 0; side < 2; ++side) {
        const std::size_t c = 2 * p + static_cast<std::size_t>(side);
        worth_[p][side] = c < holdings ? worth[c] : 0.0;
        for (std::size_t t = 0; t < days; ++t)
          growth_[t * pairs_ + p][side] = c < holdings ? growth[c * days + t] : adds ? 0.0 : 1.0;
      }
  }

  // The values after paths `first` to `last`; counts how often each day was drawn.
  void operator()(const DayDraws& days, std::uint64_t seed, std::size_t first, std::size_t last,
                  double* value, std::vector<std::uint32_t>& drawn) const {
    if (adds_) return run<0, true>(days, seed, first, last, value, drawn);
    switch (pairs_) {
      case 1:
        return run<1>(days, seed, first, last, value, drawn);
      case 2:
        return run<2>(days, seed, first, last, value, drawn);
      case 3:
        return run<3>(days, seed, first, last, value, drawn);
      case 4:
        return run<4>(days, seed, first, last, value, drawn);
      default:
        return run<0>(days, seed, first, last, value, drawn);
    }
  }

 private:
  // `known` pairs, which the compiler may count on; 0: as many as there are.
  template <std::size_t known, bool adds = false>
  void run(const DayDraws& days, std::uint64_t seed, std::size_t first, std::size_t last,
           double* value, std::vector<std::uint32_t>& drawn) const {
    const std::size_t pairs = known ? known : pairs_;
    std::vector<Two> many(known ? 0 : pairs);
    Two few[known ? known : 1];
    Two* const now = known ? few : many.data();
    std::uint32_t* const counts = drawn.data();
    for (std::size_t draw = first; draw < last; ++draw) {
      Random random(seed, draw);
      for (std::size_t p = 0; p < pairs; ++p) now[p] = worth_[p];
      days(random, [&](std::uint32_t day, bool) {
        ++counts[day];
        const Two* const grown = growth_.data() + day * pairs;
        for (std::size_t p = 0; p < pairs; ++p) {
          if (adds)
            now[p] += grown[p];
          else
            now[p] *= grown[p];
        }
      });
      Two sum = now[0];
      for (std::size_t p = 1; p < pairs; ++p) sum += now[p];
      value[draw] = cash_ + (sum[0] + sum[1]);
    }
  }

  std::size_t pairs_;
  double cash_;
  bool adds_;
  std::vector<Two> growth_, worth_;
};

// Paths whose returns are drawn residuals times a volatility that follows them as GARCH has it
// (Barone-Adesi, Giannopoulos and Vosper 1999): mean, omega, alpha, beta, the variance of the next
// period.
inline double filtered_path(Random& random, const double* residuals, std::size_t n,
                            const double at[4], double variance, std::size_t horizon, bool log) {
  double grown = 0.0;
  for (std::size_t i = 0; i < horizon; ++i) {
    const double e = std::sqrt(variance) * residuals[random.below(static_cast<std::uint32_t>(n))],
                 r = at[0] + e;
    grown = log ? grown + r : grown + r + grown * r;
    variance = at[1] + at[2] * e * e + at[3] * variance;
  }
  return grown;
}

} // namespace imbroglio
