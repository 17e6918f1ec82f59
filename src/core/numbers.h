#pragma once
#include <cmath>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>
#include "decimal.h"
#include "returns.h"

namespace imbroglio {

inline bool is_digit(char c) { return c >= '0' && c <= '9'; }

// The double nearest to digits times a power of ten: one operation on exact doubles where both
// are, else as the library reads the text.
inline double nearest_double(std::uint64_t digits, int power, bool all_digits, const char* from,
                             const char* to) {
  static const double tens[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
  if (all_digits && digits <= (std::uint64_t{1} << 53) && power >= -22 && power <= 22) {
    const double whole = static_cast<double>(digits);
    return power < 0 ? whole / tens[-power] : whole * tens[power];
  }
  return read_decimal(std::string(from, to));
}

struct PlainNumber {
  double value = missing;
  bool point = false;   // it has a point
  bool certain = false; // which parts no thousands: 10.5, 0.125, 1234.567, but not 1.002
};

// Digits, a point perhaps and digits, of 18 in all at most: what nearly all prices are.
inline bool short_number(const char* from, const char* to, PlainNumber& number) {
  if (to - from > 19 || from >= to) return false;
  const bool minus = *from == '-';
  const char* p = from + minus;
  const char* first = p;
  std::uint64_t digits = 0;
  while (p < to && is_digit(*p)) digits = digits * 10 + static_cast<std::uint64_t>(*p++ - '0');
  const std::ptrdiff_t before = p - first;
  std::ptrdiff_t after = 0;
  number.point = p < to && *p == '.';
  if (number.point) {
    const char* fraction = ++p;
    while (p < to && is_digit(*p)) digits = digits * 10 + static_cast<std::uint64_t>(*p++ - '0');
    after = p - fraction;
  }
  if (p != to || before + after == 0) return false;
  number.certain = number.point && (after != 3 || before == 0 || before > 3 || *first == '0');
  number.value = nearest_double(digits, -static_cast<int>(after), true, first, to);
  if (minus) number.value = -number.value;
  return true;
}

// [+-] digits [. digits] [e [+-] digits], the whole text and nothing else.
inline bool plain_number(const char* from, const char* to, PlainNumber& number) {
  if (short_number(from, to, number)) return true;
  const char* p = from;
  const bool minus = p < to && *p == '-';
  if (p < to && (*p == '-' || *p == '+')) ++p;
  const char* first = p;
  int before = 0, after = 0;
  for (; p < to && is_digit(*p); ++p) ++before;
  number.point = p < to && *p == '.';
  if (number.point) {
    for (++p; p < to && is_digit(*p); ++p) ++after;
  }
  if (before + after == 0) return false;
  const bool power = p < to && (*p == 'e' || *p == 'E');
  if (power) {
    ++p;
    if (p < to && (*p == '-' || *p == '+')) ++p;
    const char* begin = p;
    while (p < to && is_digit(*p)) ++p;
    if (p == begin) return false;
  }
  if (p != to) return false;
  number.certain =
      number.point && (power || after != 3 || before == 0 || before > 3 || *first == '0');
  number.value = read_decimal(std::string(first, to));
  if (minus) number.value = -number.value;
  return true;
}

// A number as people write it: with a currency's sign or code before or behind it, a percent sign,
// brackets for a negative, thousands parted by comma, point, space or apostrophe.
struct WrittenNumber {
  bool number = false; // it can be one, by at least one decimal mark
  double by_point =
      missing; // what it is where the point is the decimal mark; missing where it is none then
  double by_comma = missing;
  bool percent = false;
  bool marks = false;           // a point or comma stands in it
  bool comma = false;           // a comma does
  bool parted_by_point = false; // thousands are parted, where the point is the decimal mark
  bool parted_by_comma = false;
  std::string unit; // the currency's sign or code
};

namespace written {

// Spaces of all kinds, apostrophes and minus signs in UTF-8 become one byte each: ' ', '\'' and
// '-'.
inline std::string folded(const char* from, const char* to) {
  static const struct {
    const char* text;
    char as;
  } kinds[] = {{"\xc2\xa0", ' '},
               {"\xe2\x80\xaf", ' '},
               {"\xe2\x80\x89", ' '},
               {"\xe2\x80\x87", ' '},
               {"\xe2\x80\x99", '\''},
               {"\xe2\x88\x92", '-'},
               {"\t", ' '}};
  std::string out;
  while (from < to) {
    bool known = false;
    for (const auto& k : kinds) {
      const std::size_t n = std::strlen(k.text);
      if (static_cast<std::size_t>(to - from) >= n && std::memcmp(from, k.text, n) == 0) {
        out += k.as;
        from += n;
        known = true;
        break;
      }
    }
    if (!known) out += *from++;
  }
  const std::size_t first = out.find_first_not_of(' ');
  if (first == std::string::npos) return std::string();
  return out.substr(first, out.find_last_not_of(' ') - first + 1);
}

inline void trim(std::string& s) {
  const std::size_t first = s.find_first_not_of(' ');
  s = first == std::string::npos ? std::string()
                                 : s.substr(first, s.find_last_not_of(' ') - first + 1);
}

// A currency at one end of the text, taken off it. A code of three capitals stands beside a digit
// or a space.
inline bool take_unit(std::string& s, std::string& unit, bool front) {
  for (const char* sign : {"$", "\xe2\x82\xac", "\xc2\xa3", "\xc2\xa5"}) {
    const std::size_t n = std::strlen(sign);
    if (s.size() <= n || s.compare(front ? 0 : s.size() - n, n, sign)) continue;
    unit = sign;
    s = front ? s.substr(n) : s.substr(0, s.size() - n);
    trim(s);
    return true;
  }
  if (s.size() < 4) return false;
  const std::string code = front ? s.substr(0, 3) : s.substr(s.size() - 3);
  for (char c : code) {
    if (c < 'A' || c > 'Z') return false;
  }
  const char next = front ? s[3] : s[s.size() - 4];
  if (!is_digit(next) && next != ' ' && !(front && (next == '-' || next == '+' || next == '.')))
    return false;
  unit = code;
  s = front ? s.substr(3) : s.substr(0, s.size() - 3);
  trim(s);
  return true;
}

// Digits with marks, by a given decimal mark; missing where they are no number then.
inline double by_mark(const std::string& s, char decimal, bool& grouped) {
  std::string plain;
  char group = 0;
  std::size_t run = 0; // digits since the last mark
  bool fraction = false, any_group = false;
  for (std::size_t i = 0; i < s.size(); ++i) {
    const char c = s[i];
    if (is_digit(c)) {
      plain += c;
      ++run;
    } else if (c == decimal) {
      if (fraction || (any_group && run != 3)) return missing;
      fraction = true;
      plain += '.';
      run = 0;
    } else if (c == ',' || c == '.' || c == ' ' || c == '\'') {
      // Thousands are parted by one mark, before the fraction, into one to three digits and then
      // threes.
      if (fraction || (group && group != c) || run == 0 || run > 3 || (any_group && run != 3))
        return missing;
      group = c;
      any_group = true;
      run = 0;
    } else if ((c == 'e' || c == 'E') && !any_group && !plain.empty()) {
      plain += s.substr(i);
      break;
    } else {
      return missing;
    }
  }
  if (any_group && !fraction && run != 3) return missing;
  // 0,123 parts no thousands.
  if (any_group && plain[0] == '0') return missing;
  PlainNumber number;
  if (!plain_number(plain.data(), plain.data() + plain.size(), number)) return missing;
  grouped = any_group;
  return number.value;
}

} // namespace written

inline WrittenNumber written_number(const char* from, const char* to) {
  WrittenNumber found;
  std::string s = written::folded(from, to);
  bool negative = false;
  if (s.size() > 2 && s.front() == '(' && s.back() == ')') {
    negative = true;
    s = s.substr(1, s.size() - 2);
    written::trim(s);
  }
  auto take_sign = [&] {
    if (s.size() < 2 || (s[0] != '-' && s[0] != '+')) return false;
    negative = negative != (s[0] == '-');
    s = s.substr(1);
    written::trim(s);
    return true;
  };
  const bool sign = take_sign();
  const bool front = written::take_unit(s, found.unit, true);
  if (front && !sign) take_sign();
  if (!s.empty() && s.back() == '%') {
    found.percent = true;
    s.pop_back();
    written::trim(s);
  } else if (!front) {
    written::take_unit(s, found.unit, false);
  }
  found.comma = s.find(',') != std::string::npos;
  found.marks = found.comma || s.find('.') != std::string::npos;
  found.by_point = written::by_mark(s, '.', found.parted_by_point);
  found.by_comma = written::by_mark(s, ',', found.parted_by_comma);
  found.number = !std::isnan(found.by_point) || !std::isnan(found.by_comma);
  if (negative) {
    found.by_point = -found.by_point;
    found.by_comma = -found.by_comma;
  }
  if (found.percent) {
    found.by_point /= 100.0;
    found.by_comma /= 100.0;
  }
  return found;
}

} // namespace imbroglio
