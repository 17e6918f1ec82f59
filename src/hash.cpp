#include <Rcpp/Lightest>
#include <cstdio>
#include <cstring>
#include <string>
#include <vector>
#include "columns.h"
#include "core/hash.h"
#include "core/rowsum.h"

namespace {

std::string hex_of(std::uint64_t value) {
  char text[17];
  std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(value));
  return text;
}

} // namespace

// A digest that goes on: the state before, the bytes that come next, and numbers as R writes them
// out. An empty state begins one.
// [[Rcpp::export(rng = false)]]
Rcpp::RawVector core_hash_more(const Rcpp::RawVector& state, const Rcpp::RawVector& bytes,
                               const Rcpp::NumericVector& numbers) {
  imbroglio::Hash hash;
  if (state.size() > 0) std::memcpy(&hash, state.begin(), sizeof hash);
  if (bytes.size() > 0) hash.add(bytes.begin(), static_cast<std::size_t>(bytes.size()));
  imbroglio::add_big_endian(hash, numbers.begin(), static_cast<std::size_t>(numbers.size()));
  Rcpp::RawVector out(static_cast<R_xlen_t>(sizeof hash));
  std::memcpy(out.begin(), &hash, sizeof hash);
  return out;
}

// [[Rcpp::export(rng = false)]]
std::string core_hash_value(const Rcpp::RawVector& state) {
  imbroglio::Hash hash;
  std::memcpy(&hash, state.begin(), sizeof hash);
  return hex_of(hash.value());
}

// The digest of each column; missing numbers are all alike.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector core_column_digests(const Rcpp::NumericMatrix& values) {
  const std::size_t rows = static_cast<std::size_t>(values.nrow());
  const std::size_t columns = static_cast<std::size_t>(values.ncol());
  std::vector<std::uint64_t> found(columns);
  const double* from = values.begin();
  imbroglio::over_columns(rows, columns, [&](std::size_t first, std::size_t last) {
    std::uint64_t words[512];
    for (std::size_t j = first; j < last; ++j) {
      imbroglio::Hash hash;
      for (std::size_t i = 0; i < rows;) {
        std::size_t n = 0;
        for (; n < 512 && i < rows; ++n, ++i) words[n] = imbroglio::bits_of(from[j * rows + i]);
        hash.add(words, 8 * n);
      }
      found[j] = hash.value();
    }
  });
  Rcpp::CharacterVector out(static_cast<R_xlen_t>(columns));
  for (std::size_t j = 0; j < columns; ++j) out[static_cast<R_xlen_t>(j)] = hex_of(found[j]);
  return out;
}
