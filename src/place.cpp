#include <Rcpp/Lightest>
#include <algorithm>

// Puts columns where they belong in a matrix that is made for them, in place: a block is read
// without standing in memory twice.
// [[Rcpp::export]]
void core_place_columns(Rcpp::NumericMatrix values, const Rcpp::IntegerVector& at,
                        const Rcpp::List& columns) {
  const R_xlen_t rows = values.nrow();
  for (R_xlen_t i = 0; i < at.size(); ++i) {
    const Rcpp::NumericVector column = Rcpp::as<Rcpp::NumericVector>(columns[i]);
    if (column.size() != rows || at[i] < 1 || at[i] > values.ncol()) Rcpp::stop("wrong size");
    std::copy(column.begin(), column.end(), values.begin() + (at[i] - 1) * rows);
  }
}
