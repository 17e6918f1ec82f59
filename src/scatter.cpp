#include "casts.h"
#include <Rcpp/Lightest>
#include <algorithm>
#include "core/scatter.h"

// [[Rcpp::export(rng = false)]]
Rcpp::List core_scatter(const Rcpp::IntegerVector& row, const Rcpp::IntegerVector& column,
                        const Rcpp::NumericVector& value, int n, int columns) {
  Rcpp::NumericMatrix out(Rcpp::no_init(n, columns));
  std::fill(out.begin(), out.end(), NA_REAL);
  const imbroglio::Scattered found =
      imbroglio::scatter(row.begin(), column.begin(), value.begin(), to_size(value.size()),
                         to_size(n), to_size(columns), out.begin());
  return Rcpp::List::create(Rcpp::_["values"] = out, Rcpp::_["again"] = found.again,
                            Rcpp::_["bad"] = found.bad, Rcpp::_["rising"] = found.rising,
                            Rcpp::_["falling"] = found.falling);
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_carry(const Rcpp::NumericMatrix& x, int most) {
  Rcpp::NumericMatrix out = Rcpp::clone(x);
  for (int j = 0; j < x.ncol(); ++j)
    imbroglio::carry_forward(out.begin() + j * static_cast<R_xlen_t>(x.nrow()), to_size(x.nrow()),
                             to_size(most));
  return out;
}
