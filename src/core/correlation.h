#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <vector>
#include "common.h"
#include "decay.h"

namespace imbroglio {

struct Pair {
  std::size_t n = 0;
  double covariance = missing, variance_x = missing, variance_y = missing;
  double correlation() const {
    const double both = std::sqrt(variance_x * variance_y);
    return both > 0.0 ? std::fmin(1.0, std::fmax(-1.0, covariance / both)) : missing;
  }
};

// With divisor n - 1 about the means; or, for a decay below 1, exponentially weighted about zero.
inline Pair pair_of(const double* x, const double* y, std::size_t n, double decay) {
  Pair found;
  found.n = n;
  if (decay < 1.0) {
    auto nothing = [](std::size_t, double) {};
    found.covariance = decayed_products(x, y, n, decay, nothing);
    found.variance_x = decayed_products(x, x, n, decay, nothing);
    found.variance_y = decayed_products(y, y, n, decay, nothing);
    return found;
  }
  if (n < 2) return found;
  const double mx = mean_of(x, n), my = mean_of(y, n), per = 1.0 / (static_cast<double>(n) - 1.0);
  found.covariance = per * sum_of(n, [=](std::size_t i) { return (x[i] - mx) * (y[i] - my); });
  auto variance = [=](const double* v, double mean) {
    return per *
           beyond_rounding(sum_of(n, [=](std::size_t i) { return (v[i] - mean) * (v[i] - mean); }),
                           static_cast<double>(n), v[0]);
  };
  found.variance_x = variance(x, mx);
  found.variance_y = variance(y, my);
  return found;
}

// The sums of products of every two columns that have no gaps, about their means: as a product of
// the matrix with itself, in blocks of rows that stay near the processor and of columns whose sums
// stay in it. Every sum is of the rows in their order, however the columns are shared out.
class Products {
 public:
  Products(const std::vector<const double*>& columns, std::size_t n)
      : k_(columns.size()), columns_((k_ + 3) / 4 * 4), rows_((n + 1) / 2) {
    // Rows and columns of nothing fill the blocks up.
    centred_.assign(columns_ * rows_, Two{0.0, 0.0});
    for (std::size_t j = 0; j < k_; ++j) {
      const double* x = columns[j];
      const double mean = mean_of(x, n);
      double* to = reinterpret_cast<double*>(&centred_[j * rows_]);
      for (std::size_t i = 0; i < n; ++i) to[i] = x[i] - mean;
    }
  }

  // A column's own, the same as it is among the others.
  double squares(std::size_t j) const {
    Two sum = {0.0, 0.0};
    for (const Two *x = &centred_[j * rows_], *end = x + rows_; x < end; ++x) sum += *x * *x;
    return sum[0] + sum[1];
  }

  // Of columns 4 first to 4 last, and all up to them: found(i, j, sum), i <= j.
  template <class Found>
  void operator()(std::size_t first, std::size_t last, Found found) const {
    const std::size_t wide = 4 * last;
    std::vector<Two> sums(4 * (last - first) * wide, Two{0.0, 0.0});
    for (std::size_t row = 0; row < rows_; row += block) {
      const std::size_t some = std::min(block, rows_ - row);
      for (std::size_t j = 4 * first; j < wide; j += 4)
        for (std::size_t i = 0; i < j + 4; i += 2)
          add(i, j, row, some, &sums[(j - 4 * first) * wide + i], wide);
    }
    for (std::size_t j = 4 * first; j < std::min(wide, k_); ++j)
      for (std::size_t i = 0; i <= j; ++i) {
        const Two sum = sums[(j - 4 * first) * wide + i];
        found(i, j, sum[0] + sum[1]);
      }
  }

 private:
  static constexpr std::size_t block = 128;

  // Columns i and i + 1 times j to j + 3: eight sums, which the processor can hold.
  void add(std::size_t i, std::size_t j, std::size_t row, std::size_t some, Two* sums,
           std::size_t wide) const {
    const Two *a = &centred_[i * rows_ + row], *b = a + rows_, *c = &centred_[j * rows_ + row],
              *d = c + rows_, *e = d + rows_, *f = e + rows_;
    Two ac = sums[0], bc = sums[1], ad = sums[wide], bd = sums[wide + 1], ae = sums[2 * wide],
        be = sums[2 * wide + 1], af = sums[3 * wide], bf = sums[3 * wide + 1];
    for (std::size_t t = 0; t < some; ++t) {
      const Two x = a[t], y = b[t];
      ac += x * c[t];
      bc += y * c[t];
      ad += x * d[t];
      bd += y * d[t];
      ae += x * e[t];
      be += y * e[t];
      af += x * f[t];
      bf += y * f[t];
    }
    sums[0] = ac, sums[1] = bc, sums[wide] = ad, sums[wide + 1] = bd;
    sums[2 * wide] = ae, sums[2 * wide + 1] = be, sums[3 * wide] = af, sums[3 * wide + 1] = bf;
  }

  std::size_t k_, columns_, rows_;
  std::vector<Two> centred_;
};

} // namespace imbroglio
