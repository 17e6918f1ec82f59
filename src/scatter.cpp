#include <Rcpp/Lightest>
#include <algorithm>
#include "core/scatter.h"

// [[Rcpp::export]]
Rcpp::List core_scatter(const Rcpp::IntegerVector& row, const Rcpp::IntegerVector& column,
                        const Rcpp::NumericVector& value, int n, int columns) {
  Rcpp::NumericMatrix out(Rcpp::no_init(n, columns));
  std::fill(out.begin(), out.end(), NA_REAL);
  const imbroglio::Scattered found = imbroglio::scatter(row.begin(), column.begin(), value.begin(),
                                                        value.size(), n, columns, out.begin());
  return Rcpp::List::create(Rcpp::_["values"] = out, Rcpp::_["again"] = found.again,
                            Rcpp::_["bad"] = found.bad, Rcpp::_["rising"] = found.rising,
                            Rcpp::_["falling"] = found.falling);
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_carry(const Rcpp::NumericMatrix& x, int most) {
  Rcpp::NumericMatrix out = Rcpp::clone(x);
  for (int j = 0; j < x.ncol(); ++j)
    imbroglio::carry_forward(out.begin() + j * static_cast<R_xlen_t>(x.nrow()), x.nrow(), most);
  return out;
}
