#pragma once
#include <cmath>
#include <cstddef>
#include <string>
#include <vector>
#include "shortest.h"

namespace imbroglio {

// A column of a worksheet: numbers, of which what is not finite is no cell, or formulas, of which
// the first rows have their own and all later ones share the last of these (`shared`: its number;
// below 0 there are no later ones).
struct SheetColumn {
  std::string letter;
  std::string look;
  const double* numbers;
  std::vector<std::string> formulas;
  int shared;
};

// The rows of a worksheet as XML, from the row `first` on.
inline std::string sheet_rows(const std::vector<SheetColumn>& columns, std::size_t first,
                              std::size_t n) {
  std::string out;
  out.reserve(n * (columns.size() + 1) * 48);
  for (std::size_t i = 0; i < n; ++i) {
    const std::string row = std::to_string(first + i);
    out += "<row r=\"" + row + "\">";
    for (const SheetColumn& column : columns) {
      if (column.numbers != nullptr && !std::isfinite(column.numbers[i])) continue;
      if (column.numbers == nullptr && column.shared < 0 && i >= column.formulas.size()) continue;
      out += "<c r=\"";
      out += column.letter;
      out += row;
      out += '"';
      out += column.look;
      out += '>';
      if (column.numbers != nullptr) {
        out += "<v>";
        out += shortest(column.numbers[i]);
        out += "</v>";
      } else if (i < column.formulas.size()) {
        out += column.formulas[i];
      } else {
        out += "<f t=\"shared\" si=\"";
        out += std::to_string(column.shared);
        out += "\"/>";
      }
      out += "</c>";
    }
    out += "</row>";
  }
  return out;
}

} // namespace imbroglio
