#include "casts.h"
#include <algorithm>
#include "columns.h"
#include "core/common.h"
#include "core/returns.h"

// How many values of each column are there.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector core_observed(const Rcpp::NumericMatrix& x) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  Rcpp::IntegerVector out(k);
  const double* from = x.begin();
  int* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j) {
      const double* column = from + j * n;
      to[j] = to_int(n);
      if (imbroglio::any_missing(column, n))
        to[j] -= to_int(std::count_if(column, column + n, [](double v) { return std::isnan(v); }));
    }
  });
  return out;
}

// The first and last row, counted from 1, that each column has a value in.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_span(const Rcpp::NumericMatrix& x) {
  const int n = x.nrow(), k = x.ncol();
  Rcpp::IntegerVector first(k, NA_INTEGER), last(k, NA_INTEGER);
  for (int j = 0; j < k; ++j) {
    int top = 0, bottom = n - 1;
    while (top < n && std::isnan(x(to_size(top), to_size(j)))) ++top;
    if (top == n) continue;
    while (std::isnan(x(to_size(bottom), to_size(j)))) --bottom;
    first[j] = top + 1;
    last[j] = bottom + 1;
  }
  return Rcpp::List::create(Rcpp::_["first"] = first, Rcpp::_["last"] = last);
}

// The last value that is there in each run of rows that ends with a row of
// `ends` (counted from 1, rising) and begins after the one before.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_last_of(const Rcpp::NumericMatrix& x, const Rcpp::IntegerVector& ends) {
  const int m = to_int(ends.size()), k = x.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(m, k));
  for (int j = 0; j < k; ++j) {
    for (int i = 0; i < m; ++i) {
      const int after = i ? ends[i - 1] : 0;
      int row = ends[i] - 1;
      while (row > after && std::isnan(x(to_size(row), to_size(j)))) --row;
      out(to_size(i), to_size(j)) = x(to_size(row), to_size(j));
    }
  }
  return out;
}

// On each row of a return, what a path that moves with the returns was after the return before.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_before(const Rcpp::NumericMatrix& path,
                                const Rcpp::NumericMatrix& returns) {
  const std::size_t n = to_size(path.nrow()), k = to_size(path.ncol());
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n), to_int(k)));
  const double *from = path.begin(), *there = returns.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j) {
      double before = imbroglio::missing;
      for (std::size_t i = j * n; i < (j + 1) * n; ++i) {
        const bool seen = !std::isnan(there[i]);
        to[i] = seen ? before : imbroglio::missing;
        if (seen) before = from[i];
      }
    }
  });
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_returns(const Rcpp::NumericMatrix& prices, bool log) {
  const std::size_t n = to_size(prices.nrow()), k = to_size(prices.ncol());
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n ? n - 1 : 0), to_int(k)));
  const double* from = prices.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; n && j < last; ++j)
      imbroglio::returns_from_prices(from + j * n, n, log, to + j * (n - 1));
  });
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_wealth(const Rcpp::NumericMatrix& returns, const std::string& kind) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  const auto which = kind == "log"      ? imbroglio::Kind::log
                     : kind == "profit" ? imbroglio::Kind::profit
                                        : imbroglio::Kind::simple;
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n + 1), to_int(k)));
  const double* from = returns.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      imbroglio::wealth_from_returns(from + j * n, n, which, to + j * (n + 1));
  });
  return out;
}

// Each security's runs of h of its own returns, dated by the last of the run.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_overlapping_returns(const Rcpp::NumericMatrix& returns, int h, bool log) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol()), run = to_size(h);
  Rcpp::NumericMatrix out(to_int(n), to_int(k));
  std::fill(out.begin(), out.end(), NA_REAL);
  const double* from = returns.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> runs;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      if (seen.size() < run) continue;
      runs.resize(seen.size() - run + 1);
      imbroglio::overlapping_returns(seen.values(), seen.size(), run, log, runs.data());
      for (std::size_t i = 0; i < runs.size(); ++i) to[j * n + seen.row(i + run - 1)] = runs[i];
    }
  });
  return out;
}
