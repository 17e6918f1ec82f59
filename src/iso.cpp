#include <Rcpp/Lightest>
#include <cmath>
#include "core/iso.h"

// Days, as R counts them, as ISO 8601 text; NA where missing.
// [[Rcpp::export]]
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
