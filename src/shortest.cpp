#include <Rcpp/Lightest>
#include <algorithm>
#include <string>
#include "core/shortest.h"

// Missing numbers as "NA".
// [[Rcpp::export(rng = false)]]
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

// Lines of cells between commas: texts as they are, numbers with the fewest digits, missing ones
// empty.
// [[Rcpp::export(rng = false)]]
Rcpp::RawVector core_lines(const Rcpp::List& columns) {
  std::string lines;
  const R_xlen_t k = columns.size(), n = k ? Rf_xlength(columns[0]) : 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    for (R_xlen_t j = 0; j < k; ++j) {
      const SEXP column = columns[j];
      if (TYPEOF(column) == STRSXP)
        lines += CHAR(STRING_ELT(column, i));
      else if (const double x = REAL_RO(column)[i]; !std::isnan(x))
        lines += imbroglio::shortest(x);
      lines += j + 1 < k ? ',' : '\n';
    }
  }
  Rcpp::RawVector out(lines.size());
  std::copy(lines.begin(), lines.end(), out.begin());
  return out;
}
