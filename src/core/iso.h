#pragma once

namespace imbroglio {

// A day counted from 1970-01-01 as YYYY-MM-DD, by the calendar of 400 years that begin in March;
// for years of four digits.
inline void iso_day(int day, char* out) {
  const int shifted = day + 719468;
  const int era = (shifted >= 0 ? shifted : shifted - 146096) / 146097;
  const int within = shifted - era * 146097;
  const int year_of_era = (within - within / 1460 + within / 36524 - within / 146096) / 365;
  const int day_of_year = within - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const int march_month = (5 * day_of_year + 2) / 153;
  const int month = march_month < 10 ? march_month + 3 : march_month - 9;
  const int year = year_of_era + era * 400 + (month <= 2);
  const int parts[] = {year / 1000 % 10,
                       year / 100 % 10,
                       year / 10 % 10,
                       year % 10,
                       -1,
                       month / 10,
                       month % 10,
                       -1,
                       (day_of_year - (153 * march_month + 2) / 5 + 1) / 10,
                       (day_of_year - (153 * march_month + 2) / 5 + 1) % 10};
  for (int i = 0; i < 10; ++i) out[i] = parts[i] < 0 ? '-' : static_cast<char>('0' + parts[i]);
  out[10] = '\0';
}

// The other way: days since 1970 of YYYY-MM-DD; false where it is no day of the calendar.
inline bool iso_day_of(const char* from, const char* to, double& day) {
  if (to - from != 10 || from[4] != '-' || from[7] != '-') return false;
  for (int i : {0, 1, 2, 3, 5, 6, 8, 9}) {
    if (from[i] < '0' || from[i] > '9') return false;
  }
  const int year =
      (from[0] - '0') * 1000 + (from[1] - '0') * 100 + (from[2] - '0') * 10 + (from[3] - '0');
  const int month = (from[5] - '0') * 10 + (from[6] - '0'),
            date = (from[8] - '0') * 10 + (from[9] - '0');
  if (month < 1 || month > 12 || date < 1) return false;
  static const int longest[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  const bool leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  if (date > longest[month - 1] + (month == 2 && leap)) return false;
  const int shifted = year - (month <= 2), era = (shifted >= 0 ? shifted : shifted - 399) / 400,
            within = shifted - era * 400;
  const int day_of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + date - 1;
  day = era * 146097.0 + (within * 365 + within / 4 - within / 100 + day_of_year) - 719468;
  return true;
}

} // namespace imbroglio
