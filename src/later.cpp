#include <Rcpp.h>
#include <R_ext/Altrep.h>

// One text that R computes when it is first looked at (not by sprintf(), which another call of it
// would disturb): data1 is the function that gives it, until it has; data2 is the text then.
namespace {

R_altrep_class_t later_text;

SEXP text_of(SEXP x) {
  if (R_altrep_data2(x) == R_NilValue) {
    SEXP call = PROTECT(Rf_lang1(R_altrep_data1(x)));
    R_set_altrep_data2(x, Rf_eval(call, R_GlobalEnv));
    R_set_altrep_data1(x, R_NilValue);
    UNPROTECT(1);
  }
  return R_altrep_data2(x);
}

R_xlen_t length_of(SEXP) { return 1; }
SEXP element_of(SEXP x, R_xlen_t) { return STRING_ELT(text_of(x), 0); }
void* data_of(SEXP x, Rboolean) { return DATAPTR(text_of(x)); }

} // namespace

// [[Rcpp::init]]
void make_later_text(DllInfo* dll) {
  later_text = R_make_altstring_class("later_text", "imbroglio", dll);
  R_set_altrep_Length_method(later_text, length_of);
  R_set_altstring_Elt_method(later_text, element_of);
  R_set_altvec_Dataptr_method(later_text, data_of);
}

// [[Rcpp::export(rng = false)]]
SEXP core_text_later(const Rcpp::Function& text) {
  return R_new_altrep(later_text, text, R_NilValue);
}
