#include <Rcpp/Lightest>
#include <algorithm>
#include "columns.h"
#include "core/delimited.h"

namespace {

SEXP utf8(const std::string_view& text) {
  return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
}

const char* bytes_at(const Rcpp::RawVector& bytes, double start) {
  return reinterpret_cast<const char*>(bytes.begin()) + static_cast<std::size_t>(start);
}

const char* bytes_end(const Rcpp::RawVector& bytes) {
  return reinterpret_cast<const char*>(bytes.begin()) + bytes.size();
}

Rcpp::IntegerVector as_factor(Rcpp::IntegerVector codes,
                              const std::vector<std::string_view>& known) {
  Rcpp::CharacterVector levels(static_cast<R_xlen_t>(known.size()));
  for (R_xlen_t i = 0; i < levels.size(); ++i)
    SET_STRING_ELT(levels, i, utf8(known[static_cast<std::size_t>(i)]));
  codes.attr("levels") = levels;
  codes.attr("class") = "factor";
  return codes;
}

using Pieces = std::vector<imbroglio::Delimited>;

Rcpp::IntegerVector factor_of(const Pieces& pieces, std::size_t j, R_xlen_t rows) {
  Rcpp::IntegerVector codes(Rcpp::no_init(rows));
  int* out = codes.begin();
  std::unordered_map<std::string_view, int> known;
  std::vector<std::string_view> levels;
  for (const auto& piece : pieces) {
    const auto& column = piece.columns[j];
    if (column.kind() != imbroglio::ColumnValues::text) {
      out = std::fill_n(out, piece.lines.size(), NA_INTEGER);
      continue;
    }
    std::vector<int> as{NA_INTEGER};
    for (const auto& level : column.levels()) {
      const auto found = known.emplace(level, static_cast<int>(levels.size()) + 1);
      if (found.second) levels.push_back(level);
      as.push_back(found.first->second);
    }
    out = std::transform(column.codes().begin(), column.codes().end(), out,
                         [&](int c) { return as[static_cast<std::size_t>(c)]; });
  }
  Rcpp::IntegerVector made = as_factor(codes, levels);
  for (const auto& piece : pieces) {
    if (piece.columns[j].padded()) made.attr("padded") = true;
  }
  return made;
}

SEXP values_of(const Pieces& pieces, std::size_t j, imbroglio::ColumnValues::Kind kind,
               R_xlen_t rows) {
  using Values = imbroglio::ColumnValues;
  if (kind == Values::text) return factor_of(pieces, j, rows);
  if (kind == Values::nothing) return Rcpp::LogicalVector(rows, NA_LOGICAL);
  Rcpp::NumericVector numbers(Rcpp::no_init(rows));
  double* out = numbers.begin();
  for (const auto& piece : pieces) {
    const auto& from = piece.columns[j].numbers();
    out = std::transform(from.begin(), from.end(), out,
                         [](double x) { return std::isnan(x) ? NA_REAL : x; });
  }
  if (kind == Values::day) numbers.attr("class") = "Date";
  return numbers;
}

Pieces read_pieces(const char* from, const char* to, char separator, std::size_t line,
                   std::size_t columns) {
  // A piece is worth a thread.
  const std::size_t wanted = std::min<std::size_t>(64, static_cast<std::size_t>(to - from) >> 21);
  const std::vector<const char*> cuts = imbroglio::cut_at_lines(from, to, wanted);
  Pieces pieces(cuts.size() - 1);
  for (auto& piece : pieces) piece.columns.resize(columns);
  imbroglio::over_columns(
      std::size_t{1} << 20, pieces.size(), [&](std::size_t first, std::size_t last) {
        for (std::size_t k = first; k < last; ++k) {
          imbroglio::read_delimited(cuts[k], cuts[k + 1], separator, k ? 1 : line, pieces[k]);
        }
      });
  if (pieces.size() > 1 && !imbroglio::pieces_stand(pieces)) {
    pieces.assign(1, imbroglio::Delimited());
    pieces[0].columns.resize(columns);
    imbroglio::read_delimited(from, to, separator, line, pieces[0]);
  }
  return pieces;
}

} // namespace

// The first records: their cells, the lines they begin on and what follows them.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_head(const Rcpp::RawVector& bytes, const std::string& separator, int most) {
  imbroglio::Records records(bytes_at(bytes, 0), bytes_end(bytes), separator[0]);
  Rcpp::List cells;
  std::vector<int> lines, next_lines;
  std::vector<bool> malformed;
  std::vector<double> rests;
  while (static_cast<int>(lines.size()) < most && records.next()) {
    Rcpp::CharacterVector texts(static_cast<R_xlen_t>(records.cells().size()));
    for (R_xlen_t i = 0; i < texts.size(); ++i) {
      SET_STRING_ELT(texts, i,
                     utf8(imbroglio::cell_text(records.cells()[static_cast<std::size_t>(i)])));
    }
    cells.push_back(texts);
    lines.push_back(static_cast<int>(records.line()));
    next_lines.push_back(static_cast<int>(records.next_line()));
    malformed.push_back(records.malformed());
    rests.push_back(static_cast<double>(records.rest() - bytes_at(bytes, 0)));
  }
  return Rcpp::List::create(Rcpp::_["cells"] = cells, Rcpp::_["line"] = lines,
                            Rcpp::_["next_line"] = next_lines, Rcpp::_["rest"] = rests,
                            Rcpp::_["malformed"] = malformed);
}

// Columns as numbers, days or factors; `lines` of the rows, empty where each follows the one
// before.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_delimited(const Rcpp::RawVector& bytes, double start, const std::string& separator,
                          int line, int columns) {
  Pieces pieces = read_pieces(bytes_at(bytes, start), bytes_end(bytes), separator[0],
                              static_cast<std::size_t>(line), static_cast<std::size_t>(columns));
  R_xlen_t rows = 0;
  bool following = true;
  std::size_t offset = 0;
  for (auto& piece : pieces) {
    for (std::size_t i = 1; i < piece.lines.size() && following; ++i)
      following = piece.lines[i] == piece.lines[i - 1] + 1;
    following = following && (!rows || piece.lines.empty() || piece.lines[0] == 1);
    rows += static_cast<R_xlen_t>(piece.lines.size());
  }
  Rcpp::IntegerVector lines(following ? std::min<R_xlen_t>(rows, 1) : rows);
  R_xlen_t at = 0;
  for (auto& piece : pieces) {
    for (std::size_t i = 0; i < piece.lines.size() && at < lines.size(); ++i)
      lines[at++] = piece.lines[i] + static_cast<int>(offset);
    offset += piece.next_line - 1;
  }
  Rcpp::List values(columns);
  Rcpp::LogicalVector torn(columns), words(columns), point(columns), certain(columns);
  for (int j = 0; j < columns; ++j) {
    const imbroglio::JoinedColumn column(pieces, static_cast<std::size_t>(j));
    torn[j] = column.torn;
    words[j] = column.words;
    point[j] = column.point;
    certain[j] = column.certain;
    if (!column.torn)
      values[j] = values_of(pieces, static_cast<std::size_t>(j), column.kind, rows);
    for (auto& piece : pieces) piece.columns[static_cast<std::size_t>(j)].release();
  }
  const imbroglio::Delimited& last = pieces.back();
  std::vector<int> below;
  for (std::size_t b : last.below) below.push_back(static_cast<int>(b));
  return Rcpp::List::create(
      Rcpp::_["values"] = values, Rcpp::_["rows"] = static_cast<double>(rows),
      Rcpp::_["lines"] = lines, Rcpp::_["torn"] = torn, Rcpp::_["words"] = words,
      Rcpp::_["point"] = point, Rcpp::_["certain"] = certain, Rcpp::_["below"] = below,
      Rcpp::_["bad_line"] = static_cast<double>(last.torn.line),
      Rcpp::_["bad_cells"] = static_cast<double>(last.torn.cells),
      Rcpp::_["malformed"] = last.torn.malformed,
      Rcpp::_["bad_text"] = Rcpp::CharacterVector::create(Rcpp::String(last.torn.text, CE_UTF8)));
}

// Some columns (from 1) of the same records, as factors.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_delimited_text(const Rcpp::RawVector& bytes, double start,
                               const std::string& separator, double rows,
                               const Rcpp::IntegerVector& which) {
  std::vector<int> columns(which.begin(), which.end());
  for (int& c : columns) --c;
  Pieces read(1);
  read[0].lines.resize(static_cast<std::size_t>(rows));
  imbroglio::read_again_as_text(bytes_at(bytes, start), bytes_end(bytes), separator[0],
                                static_cast<std::size_t>(rows), columns, read[0].columns);
  Rcpp::List out(which.size());
  for (R_xlen_t k = 0; k < which.size(); ++k)
    out[k] = factor_of(read, static_cast<std::size_t>(k), static_cast<R_xlen_t>(rows));
  return out;
}

// Text as numbers: by a decimal point and by a decimal comma, and what stood around them.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_written_numbers(const Rcpp::CharacterVector& text) {
  const R_xlen_t n = text.size();
  Rcpp::NumericVector point(n, NA_REAL), comma(n, NA_REAL);
  Rcpp::LogicalVector number(n), percent(n), marks(n), with_comma(n), parted_point(n),
      parted_comma(n), word(n);
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
  return Rcpp::List::create(
      Rcpp::_["number"] = number, Rcpp::_["point"] = point, Rcpp::_["comma"] = comma,
      Rcpp::_["percent"] = percent, Rcpp::_["marks"] = marks, Rcpp::_["with_comma"] = with_comma,
      Rcpp::_["parted_point"] = parted_point, Rcpp::_["parted_comma"] = parted_comma,
      Rcpp::_["unit"] = unit, Rcpp::_["word"] = word);
}
