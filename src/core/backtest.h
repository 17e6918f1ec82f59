#pragma once
#include <cmath>
#include <cstddef>
#include <vector>
#include "returns.h"

namespace imbroglio {

// What became of the value at risk of each day: breaches, how they follow each other, in how many
// runs of `span` days they were few, more or too many, and how good the line was.
struct Tested {
  std::size_t n = 0, breaches = 0;
  std::size_t follow[2][2] = {{0, 0}, {0, 0}}; // breached the day before, and on the day
  std::size_t last = 0;                        // breaches in the last `span` days
  std::size_t zones[3] = {0, 0, 0};
  double expected_losses = 0.0; // sum of loss over expected shortfall, of breaches
  double var_to_es = 0.0;       // mean of the one over the other
  double score = missing;       // mean loss of the quantile: the least for the right one
};

// Days without a value at risk or a return are not tested. `limits`: breaches from which a run is
// yellow, and red.
inline Tested tested(const double* returns, const double* var, const double* es, std::size_t n,
                     double a, bool log, std::size_t span, const std::size_t limits[2]) {
  Tested found;
  std::vector<char> run(span, 0);
  std::size_t in_run = 0;
  bool before = false;
  double score = 0.0, last_var = missing, last_es = missing, share = missing;
  std::size_t place = 0;
  for (std::size_t t = 0; t < n; ++t) {
    if (std::isnan(var[t]) || std::isnan(returns[t])) continue;
    const double loss = log ? -std::expm1(returns[t]) : -returns[t];
    const bool breach = loss > var[t];
    if (found.n) ++found.follow[before][breach];
    if (breach) {
      ++found.breaches;
      found.expected_losses += loss / es[t];
    }
    // Neither changes every day, and divisions are slow.
    if (var[t] != last_var || es[t] != last_es) {
      last_var = var[t];
      last_es = es[t];
      share = last_var / last_es;
    }
    found.var_to_es += share;
    score += breach ? (1.0 - a) * (loss - var[t]) : a * (var[t] - loss);
    char& oldest = run[place];
    if (++place == span) place = 0;
    in_run += static_cast<std::size_t>(breach) - static_cast<std::size_t>(oldest);
    oldest = breach;
    ++found.n;
    if (found.n >= span) ++found.zones[in_run >= limits[1] ? 2 : in_run >= limits[0] ? 1 : 0];
    before = breach;
  }
  found.last = in_run;
  found.score = score / static_cast<double>(found.n);
  found.var_to_es /= static_cast<double>(found.n);
  return found;
}

} // namespace imbroglio
