#include <Rcpp/Lightest>
#include <string>
#include <vector>
#include "columns.h"
#include "core/packing.h"

namespace {

std::vector<const double*> starts_of(const Rcpp::List& columns) {
  std::vector<const double*> starts;
  for (R_xlen_t j = 0; j < columns.size(); ++j) starts.push_back(REAL(columns[j]));
  return starts;
}

} // namespace

// Rows in packets that end at `ends` (rows counted from 1), each as bytes; see core/packing.h.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_pack(const Rcpp::List& columns, const Rcpp::NumericVector& ends) {
  const std::vector<const double*> from = starts_of(columns);
  const std::size_t packets = static_cast<std::size_t>(ends.size());
  std::vector<std::size_t> end(packets + 1, 0);
  for (std::size_t i = 0; i < packets; ++i)
    end[i + 1] = static_cast<std::size_t>(ends[static_cast<R_xlen_t>(i)]);
  std::vector<std::string> packed(packets);
  imbroglio::over_columns(2048 * from.size(), packets, [&](std::size_t first, std::size_t last) {
    imbroglio::Packing packing;
    std::vector<const double*> at(from.size());
    for (std::size_t i = first; i < last; ++i) {
      for (std::size_t j = 0; j < from.size(); ++j) at[j] = from[j] + end[i];
      packed[i] = packing.pack(at, end[i + 1] - end[i]);
    }
  });
  Rcpp::List out(ends.size());
  for (std::size_t i = 0; i < packets; ++i) {
    Rcpp::RawVector bytes(packed[i].begin(), packed[i].end());
    out[static_cast<R_xlen_t>(i)] = bytes;
  }
  return out;
}

// The columns of packets, one below the other, and which packets are damaged.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_unpack(const Rcpp::List& packets, const Rcpp::NumericVector& rows, int columns) {
  const std::size_t count = static_cast<std::size_t>(packets.size());
  const std::size_t width = static_cast<std::size_t>(columns);
  std::vector<std::size_t> begin(count + 1, 0);
  std::vector<const unsigned char*> data(count);
  std::vector<std::size_t> size(count);
  for (std::size_t i = 0; i < count; ++i) {
    const SEXP packet = packets[static_cast<R_xlen_t>(i)];
    begin[i + 1] = begin[i] + static_cast<std::size_t>(rows[static_cast<R_xlen_t>(i)]);
    data[i] = RAW(packet);
    size[i] = static_cast<std::size_t>(Rf_xlength(packet));
  }
  Rcpp::List out(columns);
  std::vector<double*> to(width);
  for (int j = 0; j < columns; ++j) {
    const SEXP column = Rf_allocVector(REALSXP, static_cast<R_xlen_t>(begin[count]));
    out[j] = column;
    to[static_cast<std::size_t>(j)] = REAL(column);
  }
  std::vector<char> sound(count, 0);
  const double none = NA_REAL;
  imbroglio::over_columns(2048 * width, count, [&](std::size_t first, std::size_t last) {
    imbroglio::Unpacking unpacking(none);
    std::vector<double*> at(width);
    for (std::size_t i = first; i < last; ++i) {
      for (std::size_t j = 0; j < width; ++j) at[j] = to[j] + begin[i];
      sound[i] = unpacking.unpack(data[i], size[i], begin[i + 1] - begin[i], at);
    }
  });
  std::vector<int> damaged;
  for (std::size_t i = 0; i < count; ++i) {
    if (!sound[i]) damaged.push_back(static_cast<int>(i) + 1);
  }
  return Rcpp::List::create(Rcpp::_["columns"] = out, Rcpp::_["damaged"] = damaged);
}

// Two tables as columns, each rising by its first two columns, as one that rises.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_merge_rows(const Rcpp::List& a, const Rcpp::List& b) {
  const std::vector<const double*> x = starts_of(a), y = starts_of(b);
  const R_xlen_t m = Rf_xlength(a[0]), n = Rf_xlength(b[0]);
  std::vector<double*> to;
  Rcpp::List out(a.size());
  for (R_xlen_t j = 0; j < a.size(); ++j) {
    const SEXP column = Rf_allocVector(REALSXP, m + n);
    out[j] = column;
    to.push_back(REAL(column));
  }
  R_xlen_t i = 0, k = 0;
  while (i < m || k < n) {
    // As many rows of one of them as there are before the next of the other.
    const R_xlen_t i_from = i, k_from = k, at = i + k;
    const auto before = [&](R_xlen_t p, R_xlen_t q) {
      return x[0][p] < y[0][q] || (x[0][p] == y[0][q] && x[1][p] <= y[1][q]);
    };
    while (i < m && (k >= n || before(i, k))) ++i;
    if (i == i_from) {
      while (k < n && (i >= m || !before(i, k))) ++k;
    }
    for (std::size_t j = 0; j < to.size(); ++j) {
      std::copy(x[j] + i_from, x[j] + i, to[j] + at);
      std::copy(y[j] + k_from, y[j] + k, to[j] + at);
    }
  }
  out.attr("names") = a.attr("names");
  return out;
}

// Of numbers that rise: each one that there is, and which of them stands where, counted from 1.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_runs(const Rcpp::NumericVector& x) {
  Rcpp::IntegerVector of(Rcpp::no_init(x.size()));
  std::vector<double> keys;
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i == 0 || x[i] != x[i - 1]) keys.push_back(x[i]);
    of[i] = static_cast<int>(keys.size());
  }
  return Rcpp::List::create(Rcpp::_["keys"] = keys, Rcpp::_["of"] = of);
}

// Bytes as PostgreSQL reads them in a text.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector core_bytes_as_hex(const Rcpp::List& bytes) {
  static const char* const digits = "0123456789abcdef";
  Rcpp::CharacterVector out(bytes.size());
  std::string text;
  for (R_xlen_t i = 0; i < bytes.size(); ++i) {
    const SEXP one = bytes[i];
    text = "\\x";
    for (R_xlen_t j = 0; j < Rf_xlength(one); ++j) {
      text += digits[RAW(one)[j] >> 4];
      text += digits[RAW(one)[j] & 15];
    }
    out[i] = text;
  }
  return out;
}
