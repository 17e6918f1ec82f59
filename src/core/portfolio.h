#pragma once
#include <cmath>
#include <cstddef>
#include <vector>

namespace imbroglio {

// Value of a book from prices (n rows, k columns, none missing) and shares of the whole
// at the start, cash included as `cash`, whose growth a row is `cash_growth`. At the rows
// marked `again` the holdings are bought and sold back to their shares. Returns the first row
// on which the value is not above zero, n if there is none.
inline std::size_t book_value(const double* prices, std::size_t n, std::size_t k,
                              const double* weights, double cash, double cash_growth,
                              const int* again, double start, double* value) {
  std::vector<double> units(k);
  double in_cash = 0.0, now = start;
  auto buy = [&](std::size_t t) {
    for (std::size_t i = 0; i < k; ++i) units[i] = weights[i] * now / prices[i * n + t];
    in_cash = cash * now;
  };
  if (n == 0) return n;
  buy(0);
  value[0] = now;
  for (std::size_t t = 1; t < n; ++t) {
    in_cash *= cash_growth;
    now = in_cash;
    for (std::size_t i = 0; i < k; ++i) now += units[i] * prices[i * n + t];
    value[t] = now;
    if (!(now > 0.0)) return t;
    if (again[t]) buy(t);
  }
  return n;
}

} // namespace imbroglio
