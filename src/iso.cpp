#include <Rcpp/Lightest>
#include <cmath>
#include "core/iso.h"

// Days, as R counts them, as ISO 8601 text; NA where missing.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector core_iso_days(const Rcpp::NumericVector& days) {
  Rcpp::CharacterVector out(days.size());
  char text[11];
  int last = 0;
  for (R_xlen_t i = 0; i < days.size(); ++i) {
    // Of years that four digits can write.
    if (!(days[i] >= -719528.0 && days[i] < 2932897.0)) {
      out[i] = NA_STRING;
      continue;
    }
    const int day = static_cast<int>(std::floor(days[i]));
    // Long tables repeat a day in row.
    if (i && day == last && out[i - 1] != NA_STRING) {
      out[i] = static_cast<SEXP>(out[i - 1]);
      continue;
    }
    imbroglio::iso_day(day, text);
    out[i] = Rf_mkCharLen(text, 10);
    last = day;
  }
  return out;
}

// The other way; NA for anything else, also for days that no calendar has.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_days_of_iso(const Rcpp::CharacterVector& text) {
  Rcpp::NumericVector out(text.size());
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    const SEXP written = STRING_ELT(text, i);
    const char* from = CHAR(written);
    double day = NA_REAL;
    const bool is_day =
        written != NA_STRING && imbroglio::iso_day_of(from, from + LENGTH(written), day);
    out[i] = is_day ? day : NA_REAL;
  }
  return out;
}
