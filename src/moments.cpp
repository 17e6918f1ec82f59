#include "casts.h"
#include "columns.h"
#include "core/moments.h"

// Of each column how many returns it has, and their moments; with `course`, too, what they make
// together (of log returns, or simple ones), how many rise, and the rows of the best and the
// worst, counted from 1; NA where there is none.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_moments(const Rcpp::NumericMatrix& returns, bool course, bool log) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  Rcpp::NumericMatrix numbers(to_int(k), 5);
  Rcpp::IntegerMatrix rows(to_int(k), 4);
  const double* from = returns.begin();
  double* number = numbers.begin();
  int* row = rows.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      const auto m = imbroglio::moments(seen.values(), seen.size());
      imbroglio::Course all;
      if (course) all = imbroglio::course(seen.values(), seen.size(), log);
      const double found[] = {m.mean, m.deviation, m.skewness, m.kurtosis, all.growth};
      for (std::size_t c = 0; c < 5; ++c) number[c * k + j] = found[c];
      const bool none = seen.size() == 0;
      const std::size_t counted[] = {seen.size(), all.rising, none ? 0 : seen.row(all.best) + 1,
                                     none ? 0 : seen.row(all.worst) + 1};
      for (std::size_t c = 0; c < 4; ++c)
        row[c * k + j] = none && c > 1 ? NA_INTEGER : static_cast<int>(counted[c]);
    }
  });
  Rcpp::List found = Rcpp::List::create(
      Rcpp::_["n"] = rows(Rcpp::_, 0), Rcpp::_["mean"] = numbers(Rcpp::_, 0),
      Rcpp::_["deviation"] = numbers(Rcpp::_, 1), Rcpp::_["skewness"] = numbers(Rcpp::_, 2),
      Rcpp::_["kurtosis"] = numbers(Rcpp::_, 3));
  if (!course) return found;
  found["growth"] = numbers(Rcpp::_, 4);
  found["rising"] = rows(Rcpp::_, 1);
  found["best"] = rows(Rcpp::_, 2);
  found["worst"] = rows(Rcpp::_, 3);
  return found;
}

// Of each column the means of the powers 0 to `most` of its returns less a mean over a deviation.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_powers(const Rcpp::NumericMatrix& returns,
                                const Rcpp::NumericVector& mean,
                                const Rcpp::NumericVector& deviation, int most) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol()),
                    m = to_size(most + 1);
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(k), to_int(m)));
  const double *from = returns.begin(), *means = mean.begin(), *deviations = deviation.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> found(m);
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      imbroglio::power_means(seen.values(), seen.size(), means[j], deviations[j], m - 1,
                             found.data());
      for (std::size_t p = 0; p < m; ++p) to[p * k + j] = found[p];
    }
  });
  return out;
}
