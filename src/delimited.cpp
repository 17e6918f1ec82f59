#include <Rcpp/Lightest>
#include <algorithm>
#include "core/delimited.h"

namespace {

SEXP utf8(const std::string_view& text) { return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8); }

const char* bytes_at(const Rcpp::RawVector& bytes, double start) {
  return reinterpret_cast<const char*>(bytes.begin()) + static_cast<std::size_t>(start);
}

const char* bytes_end(const Rcpp::RawVector& bytes) { return reinterpret_cast<const char*>(bytes.begin()) + bytes.size(); }

Rcpp::IntegerVector factor_of(const imbroglio::ColumnValues& column) {
  Rcpp::IntegerVector codes(Rcpp::no_init(static_cast<R_xlen_t>(column.codes().size())));
  std::transform(column.codes().begin(), column.codes().end(), codes.begin(), [](int c) { return c ? c : NA_INTEGER; });
  Rcpp::CharacterVector levels(static_cast<R_xlen_t>(column.levels().size()));
  for (R_xlen_t i = 0; i < levels.size(); ++i) SET_STRING_ELT(levels, i, utf8(column.levels()[static_cast<std::size_t>(i)]));
  codes.attr("levels") = levels;
  codes.attr("class") = "factor";
  return codes;
}

SEXP values_of(const imbroglio::ColumnValues& column, std::size_t rows) {
  using Kind = imbroglio::ColumnValues::Kind;
  if (column.kind() == Kind::text) return factor_of(column);
  if (column.kind() == Kind::nothing) {
    Rcpp::LogicalVector none(static_cast<R_xlen_t>(rows), NA_LOGICAL);
    return none;
  }
  Rcpp::NumericVector numbers(Rcpp::no_init(static_cast<R_xlen_t>(rows)));
  std::transform(column.numbers().begin(), column.numbers().end(), numbers.begin(),
                 [](double x) { return std::isnan(x) ? NA_REAL : x; });
  if (column.kind() == Kind::day) numbers.attr("class") = "Date";
  return numbers;
}

}  // namespace

// The first records: their cells, the lines they begin on and what follows them.
// [[Rcpp::export]]
Rcpp::List core_head(const Rcpp::RawVector& bytes, const std::string& separator, int most) {
  imbroglio::Records records(bytes_at(bytes, 0), bytes_end(bytes), separator[0]);
  Rcpp::List cells;
  std::vector<int> lines, next_lines;
  std::vector<double> rests;
  while (static_cast<int>(lines.size()) < most && records.next()) {
    Rcpp::CharacterVector texts(static_cast<R_xlen_t>(records.cells().size()));
    for (R_xlen_t i = 0; i < texts.size(); ++i) {
      SET_STRING_ELT(texts, i, utf8(imbroglio::cell_text(records.cells()[static_cast<std::size_t>(i)])));
    }
    cells.push_back(texts);
    lines.push_back(static_cast<int>(records.line()));
    next_lines.push_back(static_cast<int>(records.next_line()));
    rests.push_back(static_cast<double>(records.rest() - bytes_at(bytes, 0)));
  }
  return Rcpp::List::create(Rcpp::_["cells"] = cells, Rcpp::_["line"] = lines, Rcpp::_["next_line"] = next_lines,
                            Rcpp::_["rest"] = rests);
}

// Columns as numbers, days or factors; `lines` of the rows, empty where each follows the one before.
// [[Rcpp::export]]
Rcpp::List core_delimited(const Rcpp::RawVector& bytes, double start, const std::string& separator, int line, int columns) {
  imbroglio::Delimited read;
  read.columns.resize(static_cast<std::size_t>(columns));
  imbroglio::read_delimited(bytes_at(bytes, start), bytes_end(bytes), separator[0], static_cast<std::size_t>(line), read);
  const std::size_t rows = read.lines.size();
  Rcpp::List values(columns);
  Rcpp::LogicalVector torn(columns), words(columns), point(columns), certain(columns);
  for (int j = 0; j < columns; ++j) {
    auto& column = read.columns[static_cast<std::size_t>(j)];
    torn[j] = column.torn();
    words[j] = column.words();
    point[j] = column.point();
    certain[j] = column.certain();
    if (!column.torn()) values[j] = values_of(column, rows);
    column.release();
  }
  bool following = true;
  for (std::size_t i = 1; i < rows && following; ++i) following = read.lines[i] == read.lines[i - 1] + 1;
  Rcpp::IntegerVector lines(following ? std::min<std::size_t>(rows, 1) : rows);
  std::copy(read.lines.begin(), read.lines.begin() + lines.size(), lines.begin());
  return Rcpp::List::create(Rcpp::_["values"] = values, Rcpp::_["rows"] = static_cast<double>(rows), Rcpp::_["lines"] = lines,
                            Rcpp::_["torn"] = torn, Rcpp::_["words"] = words, Rcpp::_["point"] = point,
                            Rcpp::_["certain"] = certain,
                            Rcpp::_["below"] = Rcpp::IntegerVector(read.below.begin(), read.below.end()),
                            Rcpp::_["bad_line"] = static_cast<double>(read.torn.line),
                            Rcpp::_["bad_cells"] = static_cast<double>(read.torn.cells),
                            Rcpp::_["malformed"] = read.torn.malformed,
                            Rcpp::_["bad_text"] = Rcpp::CharacterVector::create(Rcpp::String(read.torn.text, CE_UTF8)));
}

// Some columns (from 1) of the same records, as factors.
// [[Rcpp::export]]
Rcpp::List core_delimited_text(const Rcpp::RawVector& bytes, double start, const std::string& separator, double rows,
                               const Rcpp::IntegerVector& which) {
  std::vector<int> columns(which.begin(), which.end());
  for (int& c : columns) --c;
  std::vector<imbroglio::ColumnValues> read;
  imbroglio::read_again_as_text(bytes_at(bytes, start), bytes_end(bytes), separator[0], static_cast<std::size_t>(rows), columns,
                                read);
  Rcpp::List out(which.size());
  for (R_xlen_t k = 0; k < which.size(); ++k) out[k] = factor_of(read[static_cast<std::size_t>(k)]);
  return out;
}

// Text as numbers: by a decimal point and by a decimal comma, and what stood around them.
// [[Rcpp::export]]
Rcpp::List core_written_numbers(const Rcpp::CharacterVector& text) {
  const R_xlen_t n = text.size();
  Rcpp::NumericVector point(n, NA_REAL), comma(n, NA_REAL);
  Rcpp::LogicalVector number(n), percent(n), marks(n), with_comma(n), parted_point(n), parted_comma(n), word(n);
  Rcpp::CharacterVector unit(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (text[i] == NA_STRING) continue;
    const char* from = CHAR(STRING_ELT(text, i));
    const char* to = from + LENGTH(STRING_ELT(text, i));
    word[i] = imbroglio::missing_word(from, to);
    const imbroglio::WrittenNumber found = imbroglio::written_number(from, to);
    number[i] = found.number;
    if (!std::isnan(found.by_point)) point[i] = found.by_point;
    if (!std::isnan(found.by_comma)) comma[i] = found.by_comma;
    percent[i] = found.percent;
    marks[i] = found.marks;
    with_comma[i] = found.comma;
    parted_point[i] = found.parted_by_point;
    parted_comma[i] = found.parted_by_comma;
    if (!found.unit.empty()) SET_STRING_ELT(unit, i, utf8(found.unit));
  }
  return Rcpp::List::create(Rcpp::_["number"] = number, Rcpp::_["point"] = point, Rcpp::_["comma"] = comma,
                            Rcpp::_["percent"] = percent, Rcpp::_["marks"] = marks, Rcpp::_["with_comma"] = with_comma,
                            Rcpp::_["parted_point"] = parted_point,
                            Rcpp::_["parted_comma"] = parted_comma, Rcpp::_["unit"] = unit, Rcpp::_["word"] = word);
}
