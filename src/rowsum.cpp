#include <Rcpp/Lightest>
#include <cstdio>
#include <cstdlib>
#include <vector>
#include "core/rowsum.h"

namespace {

Rcpp::CharacterVector as_hex(const std::vector<std::uint64_t>& sums) {
  Rcpp::CharacterVector out(static_cast<R_xlen_t>(sums.size()));
  char text[17];
  for (std::size_t i = 0; i < sums.size(); ++i) {
    std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(sums[i]));
    out[static_cast<R_xlen_t>(i)] = text;
  }
  return out;
}

} // namespace

// The sum of the rows of each group (counted from 1).
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector core_row_sums(const Rcpp::List& columns, const Rcpp::IntegerVector& group,
                                    int groups) {
  std::vector<Rcpp::NumericVector> kept;
  std::vector<const double*> at;
  for (R_xlen_t j = 0; j < columns.size(); ++j)
    kept.push_back(Rcpp::as<Rcpp::NumericVector>(columns[j]));
  for (const auto& column : kept) at.push_back(column.begin());
  std::vector<std::uint64_t> sums(static_cast<std::size_t>(groups), 0);
  for (R_xlen_t i = 0; i < group.size(); ++i) {
    sums[static_cast<std::size_t>(group[i] - 1)] +=
        imbroglio::row_bits(at.data(), at.size(), static_cast<std::size_t>(i));
  }
  return as_hex(sums);
}

// The sums a plus those of b, less those of c.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector core_change_sums(const Rcpp::CharacterVector& a,
                                       const Rcpp::CharacterVector& b,
                                       const Rcpp::CharacterVector& c) {
  std::vector<std::uint64_t> sums(static_cast<std::size_t>(a.size()));
  auto value = [](const Rcpp::CharacterVector& x, std::size_t i) {
    return std::strtoull(CHAR(STRING_ELT(x, static_cast<R_xlen_t>(i))), nullptr, 16);
  };
  for (std::size_t i = 0; i < sums.size(); ++i) sums[i] = value(a, i) + value(b, i) - value(c, i);
  return as_hex(sums);
}
