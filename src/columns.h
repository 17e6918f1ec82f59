#pragma once
#include <Rcpp.h>
// Keeps out RcppParallel's matrix class: before 5.1.9 it derives from what C++17 deprecates, and it is not used here.
#define __RCPP_PARALLEL_RMATRIX__
#include <RcppParallel.h>
#include <cmath>
#include <cstddef>
#include <vector>

namespace imbroglio {

// Below this many cells the work is done before a second thread has started.
constexpr std::size_t cells_worth_a_thread = 1 << 16;

// Runs work(first, last) over ranges of columns, on as many threads as
// RcppParallel is set to. Columns do not depend on each other, so the numbers
// are the same on any number of threads. The work must not touch R.
template <class Work>
void over_columns(std::size_t rows, std::size_t columns, Work work) {
  struct Ranges : public RcppParallel::Worker {
    explicit Ranges(Work& w) : work(w) {}
    void operator()(std::size_t first, std::size_t last) override { work(first, last); }
    Work& work;
  } ranges(work);
  if (rows * columns < cells_worth_a_thread || columns < 2) ranges(0, columns);
  else RcppParallel::parallelFor(0, columns, ranges);
}

// The rows of one column that are not missing; without a copy where all are there.
class Observed {
 public:
  void take(const double* column, std::size_t n) {
    column_ = column;
    gaps_ = false;
    for (std::size_t i = 0; i < n && !gaps_; ++i) gaps_ = std::isnan(column[i]);
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

}  // namespace imbroglio
