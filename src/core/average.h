#pragma once
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"

namespace imbroglio {

// The mean correlation of all pairs of k columns over n rows, which lie `stride` apart: the
// variance of the sum of all columns, each scaled to variance 1, is k and all correlations twice.
// A column that does not move has none, and there is no mean then.
inline double mean_correlation(const double* x, std::size_t stride, std::size_t n, std::size_t k,
                               std::vector<double>& spare) {
  if (n < 2 || k < 2) return missing;
  spare.assign(n, 0.0);
  const double size = static_cast<double>(n), columns = static_cast<double>(k);
  for (std::size_t j = 0; j < k; ++j) {
    const double* column = x + j * stride;
    double sum = 0.0, squares = 0.0;
    for (std::size_t i = 0; i < n; ++i) sum += column[i];
    const double mean = sum / size;
    for (std::size_t i = 0; i < n; ++i) squares += (column[i] - mean) * (column[i] - mean);
    if (!(squares > 0.0)) return missing;
    const double scale = 1.0 / std::sqrt(squares);
    for (std::size_t i = 0; i < n; ++i) spare[i] += (column[i] - mean) * scale;
  }
  double whole = 0.0;
  for (const double s : spare) whole += s * s;
  return (whole - columns) / (columns * (columns - 1.0));
}

} // namespace imbroglio
