#include <Rcpp/Lightest>
#include <cstdint>
#include <cstring>
#include <vector>

namespace {

// As R writes it with endian = "little".
void copy_packed(const Rbyte* from, R_xlen_t n, double* to) {
  std::memcpy(to, from, static_cast<std::size_t>(n) * sizeof(double));
#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_BIG_ENDIAN__
  for (R_xlen_t i = 0; i < n; ++i) {
    std::uint64_t bits;
    std::memcpy(&bits, to + i, sizeof bits);
    bits = __builtin_bswap64(bits);
    std::memcpy(to + i, &bits, sizeof bits);
  }
#endif
}

} // namespace

// Series one below the other: their ids, and `width` columns. Each piece has one column after the
// other, as numbers or as the bytes of numbers.
// [[Rcpp::export]]
Rcpp::List core_unpack(const Rcpp::NumericVector& ids, const Rcpp::List& pieces, int width) {
  auto rows_of = [&](R_xlen_t i) {
    const SEXP piece = pieces[i];
    return Rf_xlength(piece) / (TYPEOF(piece) == RAWSXP ? 8 : 1) / width;
  };
  R_xlen_t n = 0;
  for (R_xlen_t i = 0; i < pieces.size(); ++i) n += rows_of(i);
  Rcpp::List out(width + 1);
  for (int c = 0; c <= width; ++c) out[c] = Rcpp::NumericVector(Rcpp::no_init(n));
  R_xlen_t at = 0;
  for (R_xlen_t i = 0; i < pieces.size(); ++i) {
    const SEXP piece = pieces[i];
    const R_xlen_t rows = rows_of(i);
    std::fill_n(REAL(out[0]) + at, rows, ids[i]);
    for (int c = 0; c < width; ++c) {
      double* to = REAL(out[c + 1]) + at;
      if (TYPEOF(piece) == RAWSXP)
        copy_packed(RAW(piece) + c * rows * 8, rows, to);
      else
        std::copy_n(REAL(piece) + c * rows, rows, to);
    }
    at += rows;
  }
  return out;
}

// Of numbers that rise: each one that there is, and which of them stands where, counted from 1.
// [[Rcpp::export]]
Rcpp::List core_runs(const Rcpp::NumericVector& x) {
  Rcpp::IntegerVector of(Rcpp::no_init(x.size()));
  std::vector<double> keys;
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i == 0 || x[i] != x[i - 1]) keys.push_back(x[i]);
    of[i] = static_cast<int>(keys.size());
  }
  return Rcpp::List::create(Rcpp::_["keys"] = keys, Rcpp::_["of"] = of);
}
