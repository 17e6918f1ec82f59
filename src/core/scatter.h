#pragma once
#include "casts.h"
#include <cmath>
#include <cstddef>
#include <vector>
#include "returns.h"

namespace imbroglio {

// Beyond these no price lies, and the squares of returns would not fit a number.
constexpr double least_price = 1e-60;
constexpr double most_price = 1e60;

struct Scattered {
  std::vector<int> again; // observations (from 1) whose cell was taken already
  std::vector<int> bad;   // observations that are no price: zero, negative, beyond all bounds
  bool rising = true;     // each column's rows came in order
  bool falling = true;    // each column's rows came in reverse order
};

// Spreads observations over a matrix of n rows, already filled with missing.
// `row` and `column` count from 1. The first value of a cell stays.
inline Scattered scatter(const int* row, const int* column, const double* value, std::size_t count,
                         std::size_t n, std::size_t columns, double* out) {
  Scattered found;
  std::vector<int> last(columns, 0);
  std::vector<bool> taken(n * columns, false);
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t j = to_size(column[i] - 1), cell = j * n + to_size((row[i] - 1));
    if (last[j]) {
      if (row[i] < last[j]) found.rising = false;
      if (row[i] > last[j]) found.falling = false;
    }
    last[j] = row[i];
    if (value[i] < least_price || value[i] > most_price)
      found.bad.push_back(static_cast<int>(i) + 1);
    if (taken[cell]) {
      found.again.push_back(static_cast<int>(i) + 1);
      continue;
    }
    taken[cell] = true;
    out[cell] = value[i];
  }
  return found;
}

// Missing values after a known one become it, at most `most` running.
inline void carry_forward(double* x, std::size_t n, std::size_t most) {
  std::size_t running = 0;
  for (std::size_t i = 1; i < n; ++i) {
    if (!std::isnan(x[i])) {
      running = 0;
    } else if (running < most && !std::isnan(x[i - 1])) {
      x[i] = x[i - 1];
      ++running;
    }
  }
}

} // namespace imbroglio
