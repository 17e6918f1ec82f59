#pragma once
#include "casts.h"
#include <Rcpp/Lightest>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <functional>
#include <vector>
#include "core/common.h"

namespace imbroglio {

// Runs work(first, last) over ranges of columns, on as many threads as
// RcppParallel is set to. Columns do not depend on each other, so the numbers
// are the same on any number of threads. The work must not touch R.
void over_columns(std::size_t rows, std::size_t columns,
                  const std::function<void(std::size_t, std::size_t)>& work);

// The same in slices of a second or so, between which the user may interrupt.
void over_slices(std::size_t rows, std::size_t columns,
                 const std::function<void(std::size_t, std::size_t)>& work);

// A window longer than the data is never full; one row more says so, without room for what cannot
// come.
inline int no_longer(int window, std::size_t rows) {
  return rows < static_cast<std::size_t>(window) ? static_cast<int>(rows) + 1 : window;
}

// The rows of one column that are not missing; without a copy where all are there.
class Observed {
 public:
  void take(const double* column, std::size_t n) {
    column_ = column;
    gaps_ = any_missing(column, n);
    size_ = n;
    if (!gaps_) return;
    rows_.clear();
    values_.clear();
    for (std::size_t i = 0; i < n; ++i) {
      if (std::isnan(column[i])) continue;
      rows_.push_back(i);
      values_.push_back(column[i]);
    }
    size_ = values_.size();
  }
  std::size_t size() const { return size_; }
  bool gaps() const { return gaps_; }
  const double* values() const { return gaps_ ? values_.data() : column_; }
  std::size_t row(std::size_t i) const { return gaps_ ? rows_[i] : i; }

 private:
  const double* column_ = nullptr;
  bool gaps_ = false;
  std::size_t size_ = 0;
  std::vector<std::size_t> rows_;
  std::vector<double> values_;
};

// Runs roll(values, size, out) on what is there of one column of n rows, and writes its results
// on their rows; rows without a value have none.
template <class Roll>
void over_observed(Observed& seen, std::vector<double>& dense, const double* from, std::size_t n,
                   double* to, Roll roll) {
  seen.take(from, n);
  if (!seen.gaps()) return roll(from, n, to);
  dense.resize(seen.size());
  roll(seen.values(), seen.size(), dense.data());
  std::fill(to, to + n, missing);
  for (std::size_t i = 0; i < dense.size(); ++i) to[seen.row(i)] = dense[i];
}

// The same of every column of a matrix; `roll` must be the same for all, and keep nothing.
template <class Roll>
Rcpp::NumericMatrix over_each(const Rcpp::NumericMatrix& x, Roll roll) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n), to_int(k)));
  const double* from = x.begin();
  double* to = out.begin();
  over_columns(n, k, [=](std::size_t first, std::size_t last) {
    Observed seen;
    std::vector<double> dense;
    for (std::size_t j = first; j < last; ++j)
      over_observed(seen, dense, from + j * n, n, to + j * n, roll);
  });
  return out;
}

} // namespace imbroglio
