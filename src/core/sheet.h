#pragma once
#include <algorithm>
#include <cctype>
#include <cstddef>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>

namespace imbroglio {

// What the cells of a worksheet's XML span, and which of them hold a formula whose value was not
// stored: such a cell reads as empty.
struct SheetExtent {
  double rows = 0;
  double columns = 0;
  double filled = 0;
  std::string last; // the filled cell farthest out
  std::vector<std::string> unvalued;
};

// "XFD" and 1048576 of "XFD1048576"; 0 where it is no reference.
inline void cell_reference(std::string_view text, double& column, double& row) {
  column = row = 0;
  std::size_t i = 0;
  for (; i < text.size() && std::isalpha(static_cast<unsigned char>(text[i])); ++i) {
    column = column * 26 + (std::toupper(static_cast<unsigned char>(text[i])) - 'A' + 1);
  }
  for (; i < text.size() && std::isdigit(static_cast<unsigned char>(text[i])); ++i) {
    row = row * 10 + (text[i] - '0');
  }
}

class SheetScan {
 public:
  explicit SheetScan(std::string_view xml) : xml_(xml) {}

  SheetExtent extent() {
    SheetExtent out;
    double row = 0, column = 0;
    std::size_t at = 0;
    while (next_tag(at)) {
      const std::string_view name = name_of(at);
      if (name == "row") {
        const std::string_view r = attribute(at, "r");
        double ignored = 0, told = 0;
        cell_reference(r, ignored, told);
        row = told > 0 ? told : row + 1;
        column = 0;
      } else if (name == "c") {
        take_cell(at, row, column, out);
      }
      ++at;
    }
    return out;
  }

 private:
  std::string_view xml_;

  bool next_tag(std::size_t& at) const {
    at = xml_.find('<', at);
    return at != std::string_view::npos;
  }

  // Without the prefix of its name space.
  std::string_view name_of(std::size_t at) const {
    const std::size_t from = at + 1;
    const std::size_t to = std::min(xml_.find_first_of(" \t\r\n/>", from), xml_.size());
    std::string_view name = xml_.substr(from, to - from);
    const std::size_t colon = name.find(':');
    return colon == std::string_view::npos ? name : name.substr(colon + 1);
  }

  std::string_view attribute(std::size_t at, std::string_view wanted) const {
    const std::size_t end = std::min(xml_.find('>', at), xml_.size());
    std::size_t i = xml_.find(' ', at);
    while (i < end) {
      while (i < end && std::isspace(static_cast<unsigned char>(xml_[i]))) ++i;
      const std::size_t equal = xml_.find('=', i);
      if (equal >= end || equal + 1 >= end) break;
      const std::size_t close = xml_.find(xml_[equal + 1], equal + 2);
      if (close >= end) break;
      if (xml_.substr(i, equal - i) == wanted) return xml_.substr(equal + 2, close - equal - 2);
      i = close + 1;
    }
    return {};
  }

  void take_cell(std::size_t at, double row, double& column, SheetExtent& out) const {
    double told_column = 0, told_row = 0;
    const std::string_view reference = attribute(at, "r");
    cell_reference(reference, told_column, told_row);
    column = told_column > 0 ? told_column : column + 1;
    out.rows = std::max(out.rows, told_row > 0 ? told_row : row);
    out.columns = std::max(out.columns, column);
    const std::size_t end = xml_.find('>', at);
    if (end == std::string_view::npos || xml_[end - 1] == '/') return;
    bool formula = false, value = false;
    std::size_t inside = end;
    while (next_tag(inside)) {
      if (inside + 1 < xml_.size() && xml_[inside + 1] == '/') {
        const std::size_t from = inside;
        std::string_view name = name_of(inside + 1);
        if (name == "c") break;
        inside = from + 1;
        continue;
      }
      const std::string_view name = name_of(inside);
      if (name == "c" || name == "row") break;
      formula = formula || name == "f";
      if (name == "v" || name == "is") {
        const std::size_t close = xml_.find('>', inside);
        value = value || (close != std::string_view::npos && xml_[close - 1] != '/');
      }
      ++inside;
    }
    if (!formula && !value) return;
    out.filled += 1;
    out.last = std::string(reference);
    if (formula && !value) out.unvalued.emplace_back(reference);
  }
};

} // namespace imbroglio
