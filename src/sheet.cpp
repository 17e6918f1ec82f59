#include <Rcpp/Lightest>
#include "core/sheet.h"

// The rows, columns and filled cells of a worksheet, and the cells of formulas without a value.
// [[Rcpp::export]]
Rcpp::List core_sheet_extent(const Rcpp::RawVector& xml) {
  const auto* bytes = reinterpret_cast<const char*>(xml.begin());
  imbroglio::SheetScan scan(std::string_view(bytes, static_cast<std::size_t>(xml.size())));
  const imbroglio::SheetExtent found = scan.extent();
  return Rcpp::List::create(Rcpp::_["rows"] = found.rows, Rcpp::_["columns"] = found.columns,
                            Rcpp::_["filled"] = found.filled, Rcpp::_["last"] = found.last,
                            Rcpp::_["unvalued"] = found.unvalued);
}
