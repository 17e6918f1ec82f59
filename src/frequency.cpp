#include "casts.h"
#include "columns.h"
#include "core/frequency.h"

// Of each column the usual and the mean gap between the days on which it has a value, and how many
// gaps there are.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_frequency(const Rcpp::NumericMatrix& x, const Rcpp::NumericVector& days) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  Rcpp::NumericVector usual(Rcpp::no_init(to_index(k))), mean(Rcpp::no_init(to_index(k)));
  Rcpp::IntegerVector gaps(Rcpp::no_init(to_index(k)));
  const double *values = x.begin(), *at = days.begin();
  double *to_usual = usual.begin(), *to_mean = mean.begin();
  int* to_gaps = gaps.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    std::vector<double> room;
    for (std::size_t j = first; j < last; ++j) {
      const imbroglio::Frequency found = imbroglio::frequency_of(values + j * n, at, n, room);
      to_usual[j] = found.usual;
      to_mean[j] = found.mean;
      to_gaps[j] = static_cast<int>(found.gaps);
    }
  });
  return Rcpp::List::create(Rcpp::Named("usual") = usual, Rcpp::Named("mean") = mean,
                            Rcpp::Named("gaps") = gaps);
}
