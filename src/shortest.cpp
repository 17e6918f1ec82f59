#include <Rcpp/Lightest>
#include "core/shortest.h"

// Missing numbers as "NA".
// [[Rcpp::export]]
Rcpp::CharacterVector core_shortest(const Rcpp::NumericVector& x) {
  Rcpp::CharacterVector out(x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (Rcpp::NumericVector::is_na(x[i]))
      out[i] = "NA";
    else
      out[i] = imbroglio::shortest(x[i]);
  }
  return out;
}
