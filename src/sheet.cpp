#include <Rcpp/Lightest>
#include <string>
#include <vector>

#include "core/sheet-rows.h"
#include "core/sheet.h"

// The rows, columns and filled cells of a worksheet, and the cells of formulas without a value.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_sheet_extent(const Rcpp::RawVector& xml) {
  const auto* bytes = reinterpret_cast<const char*>(xml.begin());
  imbroglio::SheetScan scan(std::string_view(bytes, static_cast<std::size_t>(xml.size())));
  const imbroglio::SheetExtent found = scan.extent();
  return Rcpp::List::create(Rcpp::_["rows"] = found.rows, Rcpp::_["columns"] = found.columns,
                            Rcpp::_["filled"] = found.filled, Rcpp::_["last"] = found.last,
                            Rcpp::_["unvalued"] = found.unvalued);
}

// The rows of a worksheet as XML. `columns`: numbers, or formulas.
// [[Rcpp::export(rng = false)]]
std::string core_sheet_rows(const Rcpp::List& columns, const Rcpp::CharacterVector& letters,
                            const Rcpp::CharacterVector& looks, int first, int n) {
  std::vector<imbroglio::SheetColumn> all;
  int shared = 0;
  for (R_xlen_t j = 0; j < columns.size(); ++j) {
    imbroglio::SheetColumn one{
        Rcpp::as<std::string>(letters[j]), Rcpp::as<std::string>(looks[j]), nullptr, {}, 0};
    const SEXP column = columns[j];
    if (TYPEOF(column) == REALSXP) {
      one.numbers = REAL_RO(column);
    } else {
      one.formulas = Rcpp::as<std::vector<std::string>>(column);
      const bool goes_on =
          !one.formulas.empty() && one.formulas.back().find("t=\"shared\"") != std::string::npos;
      one.shared = goes_on ? shared++ : -1;
    }
    all.push_back(one);
  }
  return imbroglio::sheet_rows(all, static_cast<std::size_t>(first), static_cast<std::size_t>(n));
}
