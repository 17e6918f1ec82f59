#pragma once
#include "casts.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <vector>
#include "returns.h"

namespace imbroglio {

// Four sums side by side, so that one addition need not wait for the one before.
template <class Term>
double sum_of(std::size_t n, Term term) {
  double a = 0.0, b = 0.0, c = 0.0, d = 0.0;
  std::size_t i = 0;
  for (; i + 4 <= n; i += 4) {
    a += term(i);
    b += term(i + 1);
    c += term(i + 2);
    d += term(i + 3);
  }
  for (; i < n; ++i) a += term(i);
  return (a + b) + (c + d);
}

// Two numbers side by side: the processor works on both at once. (A vector of GCC's and Clang's.)
typedef double Two __attribute__((vector_size(16)));

// Several sums in one pass: `add(at, sums)` adds the next term, or the next two side by side, of
// each; at(x) is what stands there in x.
template <std::size_t k, class Add>
std::array<double, k> sums_of(std::size_t n, Add add) {
  Two even[k]{}, odd[k]{};
  std::size_t i = 0;
  auto two = [&i](const double* x) {
    Two v;
    std::memcpy(&v, x + i, sizeof v);
    return v;
  };
  for (; i + 4 <= n; i += 2) {
    add(two, even);
    i += 2;
    add(two, odd);
  }
  std::array<double, k> sums{};
  for (std::size_t c = 0; c < k; ++c) {
    even[c] += odd[c];
    sums[c] = even[c][0] + even[c][1];
  }
  double* rest = sums.data();
  for (; i < n; ++i) add([&i](const double* x) { return x[i]; }, rest);
  return sums;
}

inline bool any_missing(const double* x, std::size_t n) {
  std::size_t i = 0;
  // A missing value is not like itself; eight at a time cost no more than reading them.
  for (; i + 8 <= n; i += 8) {
    Two v[4];
    std::memcpy(v, x + i, sizeof v);
    const auto unlike = ((v[0] != v[0]) | (v[1] != v[1])) | ((v[2] != v[2]) | (v[3] != v[3]));
    if (unlike[0] | unlike[1]) return true;
  }
  for (; i < n; ++i)
    if (std::isnan(x[i])) return true;
  return false;
}

inline double mean_of(const double* x, std::size_t n) {
  const double edge = n ? x[0] : missing;
  return edge + sum_of(n, [=](std::size_t i) { return x[i] - edge; }) / static_cast<double>(n);
}

// Prices that grow by the same step give returns that differ by the rounding of the prices: of
// numbers written with 15 digits, by some units of 1e-15 of 1 + return. A deviation up to this, of
// values of which `x` is one, is none.
inline double rounding_of(double x) { return 0x1p-46 * (1.0 + std::fabs(x)); }

// A sum of squares about the mean of n values, or 0 where they are apart by rounding only.
inline double beyond_rounding(double squares, double n, double x) {
  const double least = rounding_of(x);
  return squares > n * (least * least) ? squares : 0.0;
}

// One column of returns, and the row of its security's first price; rows of prices are
// counted from 0, and return t lies between the prices of rows t and t + 1.
struct Column {
  const double* returns;
  std::ptrdiff_t start;
  bool gaps;
};

// The returns of several series over the same intervals. Where returns were taken from
// prices (`span`), an interval runs from one date that all have a price on to the next,
// and each series' returns in between are compounded. Returns that were given
// are compared on the rows that all have.
class CommonIntervals {
 public:
  void take(const std::vector<Column>& columns, std::size_t n, bool span, bool log) {
    bool whole = true;
    for (const Column& c : columns) whole = whole && !c.gaps;
    straight_ = whole;
    values_.resize(columns.size());
    series_.resize(columns.size());
    rows_.clear();
    if (whole) {
      size_ = n;
      for (std::size_t c = 0; c < columns.size(); ++c) series_[c] = columns[c].returns;
      return;
    }
    for (auto& v : values_) v.clear();
    if (span)
      join_spans(columns, n, log);
    else
      join_rows(columns, n);
    size_ = rows_.size();
    for (std::size_t c = 0; c < columns.size(); ++c) series_[c] = values_[c].data();
  }
  std::size_t size() const { return size_; }
  const double* series(std::size_t c) const { return series_[c]; }
  // The row of the last return of interval i.
  std::size_t row(std::size_t i) const { return straight_ ? i : rows_[i]; }
  bool straight() const { return straight_; }

 private:
  void join_rows(const std::vector<Column>& columns, std::size_t n) {
    for (std::size_t t = 0; t < n; ++t) {
      bool all = true;
      for (const Column& c : columns) all = all && !std::isnan(c.returns[t]);
      if (!all) continue;
      rows_.push_back(t);
      for (std::size_t c = 0; c < columns.size(); ++c) values_[c].push_back(columns[c].returns[t]);
    }
  }

  void join_spans(const std::vector<Column>& columns, std::size_t n, bool log) {
    std::ptrdiff_t first = 0;
    for (const Column& c : columns) first = std::max(first, c.start);
    std::vector<double> grown(columns.size(), 0.0);
    bool begun = false;
    for (std::ptrdiff_t p = first; p <= static_cast<std::ptrdiff_t>(n); ++p) {
      bool all = true;
      for (std::size_t c = 0; c < columns.size(); ++c) {
        const double r = p > 0 && p > columns[c].start ? columns[c].returns[p - 1] : missing;
        if (p != columns[c].start && std::isnan(r)) all = false;
        if (begun && !std::isnan(r)) grown[c] = log ? grown[c] + r : grown[c] + r + grown[c] * r;
      }
      if (!all) continue;
      if (begun) {
        rows_.push_back(to_size(p - 1));
        for (std::size_t c = 0; c < columns.size(); ++c) values_[c].push_back(grown[c]);
      }
      begun = true;
      std::fill(grown.begin(), grown.end(), 0.0);
    }
  }

  bool straight_ = true;
  std::size_t size_ = 0;
  std::vector<std::vector<double>> values_;
  std::vector<const double*> series_;
  std::vector<std::size_t> rows_;
};

} // namespace imbroglio
