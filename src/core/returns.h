#pragma once
#include <cmath>
#include <cstddef>
#include <vector>

namespace imbroglio {

// A NaN with the payload by which R tells "not available" from "not a number".
inline const double missing = std::nan("1954");

// One return for each price after the first. A missing price has no return;
// the next one spans the gap, so growth is kept. Writes n - 1 values.
// (p - q) / q rather than p / q - 1: the difference of near prices is exact.
inline void returns_from_prices(const double* price, std::size_t n, bool log, double* out) {
  double last = n ? price[0] : missing;
  for (std::size_t t = 1; t < n; ++t) {
    const double p = price[t];
    const double simple = (p - last) / last;
    out[t - 1] = log ? std::log1p(simple) : simple;
    if (!std::isnan(p)) last = p;
  }
}

enum class Kind { simple, log, profit };

// Wealth of one unit put in before the first return (of profits, which add, from 0); it is
// not known where the return is missing. Writes n + 1 values.
inline void wealth_from_returns(const double* r, std::size_t n, Kind kind, double* out) {
  double sum = 0.0, wealth = kind == Kind::profit ? 0.0 : 1.0;
  out[0] = wealth;
  for (std::size_t t = 0; t < n; ++t) {
    if (std::isnan(r[t])) {
      out[t + 1] = missing;
      continue;
    }
    if (kind == Kind::log)
      wealth = std::exp(sum += r[t]);
    else if (kind == Kind::profit)
      wealth += r[t];
    else
      wealth *= 1.0 + r[t];
    out[t + 1] = wealth;
  }
}

// Returns over every run of h consecutive returns (none missing): the product
// of the growth factors less one, or the sum of log returns. Each run is the
// end of one block of h and the start of the next, so the work is linear in n
// and nothing is ever divided out again. Writes n - h + 1 values.
inline void overlapping_returns(const double* r, std::size_t n, std::size_t h, bool log,
                                double* out) {
  if (h == 0 || n < h) return;
  std::vector<double> tail(h + 1);
  auto join = [log](double a, double b) { return log ? a + b : a + b + a * b; };
  for (std::size_t block = 0; block + h <= n; block += h) {
    tail[h] = 0.0;
    for (std::size_t k = h; k-- > 0;) tail[k] = join(r[block + k], tail[k + 1]);
    double head = 0.0;
    for (std::size_t k = 0; k < h && block + k + h <= n; ++k) {
      out[block + k] = join(tail[k], head);
      if (block + h + k < n) head = join(head, r[block + h + k]);
    }
  }
}

} // namespace imbroglio
