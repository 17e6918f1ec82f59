#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <deque>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>
#include "iso.h"
#include "numbers.h"

namespace imbroglio {

struct Cell {
  const char* from;
  const char* to;
  bool quoted;
  bool doubled; // quotes within quotes stand doubled
  bool padded;  // there are spaces around it
};

// The text of a cell as it was meant.
inline std::string cell_text(const Cell& cell) {
  std::string text(cell.from, cell.to);
  if (!cell.doubled) return text;
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    out += text[i];
    if (text[i] == '"') ++i;
  }
  return out;
}

// Walks the records of separated text, one by one: a record ends with its line, unless the line
// ends within quotes.
class Records {
 public:
  Records(const char* from, const char* to, char separator, std::size_t line = 1)
      : at_(from), end_(to), separator_(separator), next_line_(line) {
    for (int c = 0; c < 256; ++c) stops_[c] = false;
    stops_[static_cast<unsigned char>(separator)] = stops_[static_cast<unsigned char>('\n')] =
        stops_[static_cast<unsigned char>('\r')] = true;
  }
  // False at the end of the text.
  bool next() {
    cells_.clear();
    malformed_ = false;
    if (at_ >= end_) return false;
    line_ = next_line_;
    begin_ = at_;
    while (take_cell()) {}
    return true;
  }
  const std::vector<Cell>& cells() const { return cells_; }
  std::size_t line() const { return line_; }
  std::size_t next_line() const { return next_line_; }
  const char* begin() const { return begin_; }
  const char* rest() const { return at_; }
  // A quote that is not closed, or closed within a cell.
  bool malformed() const { return malformed_; }
  bool blank() const {
    for (const Cell& c : cells_) {
      if (c.from != c.to) return false;
    }
    return true;
  }

 private:
  bool blank_char(char c) const { return c == ' ' || (c == '\t' && separator_ != '\t'); }
  // Whether another cell follows in the record.
  bool take_cell() {
    const char* p = at_;
    while (p < end_ && blank_char(*p)) ++p;
    if (p < end_ && *p == '"') {
      p = take_quoted(p);
    } else {
      const char* from = p;
      while (p < end_ && !stops_[static_cast<unsigned char>(*p)]) ++p;
      const char* to = p;
      while (to > from && blank_char(to[-1])) --to;
      cells_.push_back({from, to, false, false, from != at_ || to != p});
    }
    if (p < end_ && *p == separator_) {
      at_ = p + 1;
      // A record that ends with a separator ends with an empty cell.
      if (at_ >= end_) cells_.push_back({at_, at_, false, false, false});
      return at_ < end_;
    }
    if (p < end_ && *p == '\r') ++p;
    if (p < end_ && *p == '\n') ++p;
    ++next_line_;
    at_ = p;
    return false;
  }
  const char* take_quoted(const char* p) {
    const char* from = ++p;
    bool doubled = false;
    for (;;) {
      const char* q =
          static_cast<const char*>(std::memchr(p, '"', static_cast<std::size_t>(end_ - p)));
      if (!q) {
        malformed_ = true;
        cells_.push_back({from, end_, true, doubled, false});
        return end_;
      }
      count_lines(p, q);
      if (q + 1 < end_ && q[1] == '"') {
        doubled = true;
        p = q + 2;
        continue;
      }
      cells_.push_back({from, q, true, doubled, false});
      p = q + 1;
      break;
    }
    while (p < end_ && blank_char(*p)) ++p;
    if (p < end_ && !stops_[static_cast<unsigned char>(*p)]) {
      malformed_ = true;
      while (p < end_ && !stops_[static_cast<unsigned char>(*p)]) ++p;
    }
    return p;
  }
  void count_lines(const char* p, const char* q) {
    for (; p < q; ++p) {
      if (*p == '\n' || (*p == '\r' && (p + 1 >= end_ || p[1] != '\n'))) ++next_line_;
    }
  }

  const char* at_;
  const char* end_;
  char separator_;
  bool stops_[256];
  std::size_t next_line_, line_ = 0;
  const char* begin_ = nullptr;
  bool malformed_ = false;
  std::vector<Cell> cells_;
};

// A word that programs write where there is no number. A name may well be one of these.
inline bool missing_word(const char* from, const char* to) {
  static const std::string_view words[] = {"NA",  "null", "NULL", "N/A", "n/a",  "#N/A",
                                           "NaN", "nan",  "-",    "--",  "none", "None"};
  const std::string_view text(from, static_cast<std::size_t>(to - from));
  return std::find(std::begin(words), std::end(words), text) != std::end(words);
}

// The values of one column: numbers, days or text, whichever all of its cells are.
class ColumnValues {
 public:
  enum Kind { nothing, number, day, text };

  void reserve(std::size_t rows) { rows_ = rows; }
  void as_text() { kind_ = text; }
  Kind kind() const { return kind_; }
  // Its cells turned out to be of several kinds, and must be read as text.
  bool torn() const { return torn_; }
  bool words() const { return words_; }
  bool point() const { return point_; }
  bool certain() const { return certain_; }
  bool padded() const { return padded_; }
  const std::vector<double>& numbers() const { return numbers_; }
  const std::vector<int>& codes() const { return codes_; }
  const std::vector<std::string_view>& levels() const { return levels_; }
  void release() {
    std::vector<double>().swap(numbers_);
    std::vector<int>().swap(codes_);
  }

  void add(const Cell& cell) {
    if (kind_ == text) return add_text(cell);
    if (cell.from == cell.to) return add_number(missing);
    double value;
    PlainNumber read;
    if (kind_ == day ? false : plain_number(cell.from, cell.to, read)) {
      kind_ = number;
      point_ = point_ || read.point;
      certain_ = certain_ || read.certain;
      add_number(read.value);
    } else if (kind_ != number && iso_day_of(cell.from, cell.to, value)) {
      kind_ = day;
      add_number(value);
    } else if (!cell.quoted && kind_ != day && missing_word(cell.from, cell.to)) {
      words_ = true;
      add_number(missing);
    } else if (kind_ == nothing && !words_) {
      kind_ = text;
      if (count_) {
        codes_.reserve(rows_);
        codes_.assign(count_, 0);
      }
      release_numbers();
      add_text(cell);
    } else {
      torn_ = true;
    }
  }

 private:
  void add_number(double value) {
    if (torn_) return;
    if (numbers_.empty()) numbers_.reserve(rows_);
    numbers_.push_back(value);
    ++count_;
  }
  void release_numbers() { std::vector<double>().swap(numbers_); }
  void add_text(const Cell& cell) {
    if (codes_.empty()) codes_.reserve(rows_);
    padded_ = padded_ || (cell.padded && cell.from != cell.to);
    const std::string_view seen(cell.from, static_cast<std::size_t>(cell.to - cell.from));
    if (codes_.empty() || seen != last_ || cell.quoted != last_quoted_) {
      last_ = seen;
      last_quoted_ = cell.quoted;
      last_code_ = cell.from == cell.to ? 0 : code_of(cell);
    }
    codes_.push_back(last_code_);
  }
  // Counted from 1 in the order in which they come.
  int code_of(const Cell& cell) {
    std::string_view key(cell.from, static_cast<std::size_t>(cell.to - cell.from));
    if (cell.doubled) {
      kept_.push_back(cell_text(cell));
      key = kept_.back();
    }
    const auto found = known_.emplace(key, static_cast<int>(levels_.size()) + 1);
    if (found.second) levels_.push_back(key);
    return found.first->second;
  }

  Kind kind_ = nothing;
  bool torn_ = false, words_ = false, point_ = false, certain_ = false, padded_ = false;
  std::size_t rows_ = 0, count_ = 0;
  std::vector<double> numbers_;
  std::vector<int> codes_;
  std::vector<std::string_view> levels_;
  std::unordered_map<std::string_view, int> known_;
  std::deque<std::string> kept_;
  std::string_view last_;
  bool last_quoted_ = false;
  int last_code_ = 0;
};

struct Torn {
  std::size_t line = 0;  // 0: none
  std::size_t cells = 0; // how many it has
  bool malformed = false;
  std::string text; // how it begins
};

struct Delimited {
  std::vector<ColumnValues> columns;
  std::vector<int> lines;         // of each row
  std::vector<std::size_t> below; // lines after the table, behind an empty one
  bool blank_end = false;         // it ends with an empty line
  std::size_t next_line = 1;      // that of what follows
  Torn torn;
};

// How many cells hold something.
inline std::size_t filled(const std::vector<Cell>& cells) {
  return static_cast<std::size_t>(
      std::count_if(cells.begin(), cells.end(), [](const Cell& c) { return c.from != c.to; }));
}

// How many lines there are, at most.
inline std::size_t rows_at_most(const char* from, const char* to) {
  std::size_t lines = 1;
  const char end = std::memchr(from, '\n', static_cast<std::size_t>(to - from)) ? '\n' : '\r';
  while ((from = static_cast<const char*>(
              std::memchr(from, end, static_cast<std::size_t>(to - from))))) {
    ++lines;
    ++from;
  }
  // A file may use both.
  return lines;
}

// Reads the records from `from` on, each of as many cells as there are columns. Lines without a
// value are passed over. A line of one value behind an empty line, with nothing of the table after
// it, is below the table.
inline void read_delimited(const char* from, const char* to, char separator, std::size_t line,
                           Delimited& out) {
  const std::size_t columns = out.columns.size();
  const std::size_t most = rows_at_most(from, to);
  for (auto& column : out.columns) column.reserve(most);
  out.lines.reserve(most);
  Records records(from, to, separator, line);
  bool after_blank = false;
  auto tear = [&] {
    const char* end =
        std::find_if(records.begin(), to, [](char c) { return c == '\n' || c == '\r'; });
    out.torn = {records.line(), records.cells().size(), records.malformed(),
                std::string(records.begin(), std::min(end, records.begin() + 80))};
  };
  while (records.next()) {
    const auto& cells = records.cells();
    if (!records.malformed() && records.blank()) {
      after_blank = true;
      continue;
    }
    const bool short_line = filled(cells) == 1 && columns > 1 && !records.malformed();
    if (short_line && (after_blank || !out.below.empty()) &&
        (cells.size() < columns || cells[0].from != cells[0].to)) {
      out.below.push_back(records.line());
      continue;
    }
    if (records.malformed() || cells.size() != columns || !out.below.empty()) return tear();
    after_blank = false;
    for (std::size_t j = 0; j < columns; ++j) out.columns[j].add(cells[j]);
    out.lines.push_back(static_cast<int>(records.line()));
  }
  out.blank_end = after_blank;
  out.next_line = records.next_line();
}

// Cuts text without quotes at ends of lines, so that the pieces can be read side by side.
inline std::vector<const char*> cut_at_lines(const char* from, const char* to,
                                             std::size_t pieces) {
  std::vector<const char*> cuts{from};
  const std::size_t size = static_cast<std::size_t>(to - from);
  if (pieces > 1 && !std::memchr(from, '"', size)) {
    for (std::size_t i = 1; i < pieces; ++i) {
      const char* at = std::max(cuts.back(), from + size / pieces * i);
      const char* end =
          static_cast<const char*>(std::memchr(at, '\n', static_cast<std::size_t>(to - at)));
      if (end && end + 1 < to && end + 1 > cuts.back()) cuts.push_back(end + 1);
    }
  }
  cuts.push_back(to);
  return cuts;
}

// Whether pieces that were read by themselves are the same as the whole: lines that are out of
// place, or empty ones at an edge, mean something only beside what is around them.
inline bool pieces_stand(const std::vector<Delimited>& pieces) {
  for (std::size_t k = 0; k < pieces.size(); ++k) {
    if (pieces[k].torn.line ||
        (k + 1 < pieces.size() && (pieces[k].blank_end || !pieces[k].below.empty())))
      return false;
  }
  return true;
}

// One column of several pieces.
struct JoinedColumn {
  ColumnValues::Kind kind = ColumnValues::nothing;
  bool torn = false, words = false, point = false, certain = false;

  JoinedColumn(const std::vector<Delimited>& pieces, std::size_t j) {
    for (const Delimited& piece : pieces) {
      const ColumnValues& c = piece.columns[j];
      torn =
          torn || c.torn() ||
          (c.kind() != ColumnValues::nothing && kind != ColumnValues::nothing && c.kind() != kind);
      if (c.kind() != ColumnValues::nothing) kind = c.kind();
      words = words || c.words();
      point = point || c.point();
      certain = certain || c.certain();
    }
    // A word that stands for a missing number may be a name.
    torn = torn || (kind == ColumnValues::text && words);
  }
};

// The same records once more, of some columns only (from 0) and those as text; `rows` is how many
// there are.
inline void read_again_as_text(const char* from, const char* to, char separator, std::size_t rows,
                               const std::vector<int>& which, std::vector<ColumnValues>& out) {
  out.assign(which.size(), ColumnValues());
  for (auto& column : out) {
    column.reserve(rows);
    column.as_text();
  }
  Records records(from, to, separator);
  for (std::size_t row = 0; row < rows && records.next();) {
    if (records.blank()) continue;
    for (std::size_t k = 0; k < which.size(); ++k)
      out[k].add(records.cells()[static_cast<std::size_t>(which[k])]);
    ++row;
  }
}

} // namespace imbroglio
