#include <Rcpp.h>
#include <R_ext/Altrep.h>

// A column of a matrix, without a copy: data1 is the matrix, data2 the number of the column, from
// 0.
namespace {

R_altrep_class_t column_view;

R_xlen_t length_of(SEXP x) { return Rf_nrows(R_altrep_data1(x)); }
const double* begin_of(SEXP x) {
  return REAL_RO(R_altrep_data1(x)) + length_of(x) * Rf_asInteger(R_altrep_data2(x));
}
double element_of(SEXP x, R_xlen_t i) { return begin_of(x)[i]; }
// Nobody writes to it: it is marked as not to be changed.
void* data_of(SEXP x, Rboolean) { return const_cast<double*>(begin_of(x)); }
const void* data_if_there(SEXP x) { return begin_of(x); }

} // namespace

// [[Rcpp::init]]
void make_column_view(DllInfo* dll) {
  column_view = R_make_altreal_class("column_view", "imbroglio", dll);
  R_set_altrep_Length_method(column_view, length_of);
  R_set_altreal_Elt_method(column_view, element_of);
  R_set_altvec_Dataptr_method(column_view, data_of);
  R_set_altvec_Dataptr_or_null_method(column_view, data_if_there);
}

// [[Rcpp::export(rng = false)]]
Rcpp::List core_column_views(const Rcpp::NumericMatrix& x) {
  Rcpp::List out(x.ncol());
  for (int j = 0; j < x.ncol(); ++j) {
    Rcpp::Shield<SEXP> number(Rf_ScalarInteger(j));
    Rcpp::Shield<SEXP> view(R_new_altrep(column_view, x, number));
    MARK_NOT_MUTABLE(view);
    out[j] = view;
  }
  return out;
}

// Whether two names are of one object, which is then not looked at.
// [[Rcpp::export(rng = false)]]
bool core_same(SEXP a, SEXP b) { return a == b; }
