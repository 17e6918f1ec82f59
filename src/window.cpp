#include "casts.h"
#include "columns.h"

namespace {

// Which cells of a matrix have a row in a long table: those with a value; of counts, those above
// 0.
template <class Visit>
void over_present(SEXP x, Visit visit) {
  const std::size_t n = to_size(Rf_nrows(x)), k = to_size(Rf_ncols(x));
  const bool counts = TYPEOF(x) == INTSXP;
  const double* value = counts ? nullptr : REAL_RO(x);
  const int* count = counts ? INTEGER_RO(x) : nullptr;
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      visit(j, [=](std::size_t i) {
        return counts ? count[j * n + i] > 0 : !std::isnan(value[j * n + i]);
      });
  });
}

std::vector<R_xlen_t> starts_of(const Rcpp::IntegerVector& present) {
  std::vector<R_xlen_t> start(to_size(present.size() + 1), 0);
  for (R_xlen_t j = 0; j < present.size(); ++j)
    start[to_size(j + 1)] = start[to_size(j)] + present[j];
  return start;
}

} // namespace

// Of the rows of a long table that `x` gives: the first and last day of the window of each, and
// how many values are in it.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_window_rows(SEXP x, const Rcpp::IntegerVector& present,
                            const Rcpp::NumericVector& days, int window) {
  const std::size_t n = to_size(Rf_nrows(x));
  const std::vector<R_xlen_t> start = starts_of(present);
  Rcpp::NumericVector from(Rcpp::no_init(start.back())), to(Rcpp::no_init(start.back()));
  Rcpp::IntegerVector count(Rcpp::no_init(start.back())), widths(Rcpp::no_init(start.back()));
  from.attr("class") = to.attr("class") = "Date";
  std::fill(widths.begin(), widths.end(), window);
  const double* day = days.begin();
  double *first_day = from.begin(), *last_day = to.begin();
  int* within = count.begin();
  over_present(
      x, [&start, n, day, first_day, last_day, within, window](std::size_t j, auto is_there) {
        const R_xlen_t base = start[j];
        double *first = first_day + base, *last = last_day + base;
        int size = 0;
        for (std::size_t i = 0; i < n; ++i) {
          if (!is_there(i)) continue;
          last[size] = day[i];
          const int back = std::min(size + 1, window);
          first[size] = last[size + 1 - back];
          within[base + size++] = back;
        }
      });
  return Rcpp::List::create(Rcpp::_["window"] = widths, Rcpp::_["from"] = from, Rcpp::_["to"] = to,
                            Rcpp::_["n"] = count);
}

// The numbers of a matrix in the rows of a long table.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_picked(const Rcpp::NumericMatrix& m, SEXP x,
                                const Rcpp::IntegerVector& present) {
  const std::size_t n = to_size(m.nrow());
  const std::vector<R_xlen_t> start = starts_of(present);
  Rcpp::NumericVector out(Rcpp::no_init(start.back()));
  const double* from = m.begin();
  double* to = out.begin();
  over_present(x, [&start, n, from, to](std::size_t j, auto is_there) {
    const double* column = from + j * n;
    double* into = to + start[j];
    if (start[j + 1] - start[j] == static_cast<R_xlen_t>(n)) {
      std::copy(column, column + n, into);
      return;
    }
    for (std::size_t i = 0; i < n; ++i)
      if (is_there(i)) *into++ = column[i];
  });
  return out;
}

// Each text as often as its column has rows.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector core_repeated(const Rcpp::CharacterVector& texts,
                                    const Rcpp::IntegerVector& present) {
  const std::vector<R_xlen_t> start = starts_of(present);
  Rcpp::CharacterVector out(start.back());
  for (std::size_t j = 0; j + 1 < start.size(); ++j)
    for (R_xlen_t i = start[j]; i < start[j + 1]; ++i)
      SET_STRING_ELT(out, i, STRING_ELT(texts, static_cast<R_xlen_t>(j)));
  return out;
}
