#!/bin/sh
# What a risk analyst asks at eight in the morning: fetch, check, measure the book, compare with
# its limits and with the day before. Ends with five sentences, and a status, as the command: 0 all
# within; 1 a limit is broken, the prices have errors or are older than yesterday's; 5 not all prices
# could be had, or a limit cannot be measured; 6 both; 2 to 4 nothing was measured.
#
#   morning.sh FEED HOLDINGS LIMITS BENCHMARK FOLDER [TODAY]
#
# FOLDER keeps the store, the state of the limits for tomorrow, and report: the page, and in runs a
# record of each day, which tells what moved the numbers and whether a trade broke a limit. TODAY, as
# 2026-01-05, for a morning that is run again.
set -u
feed=$1 holdings=$2 limits=$3 benchmark=$4 folder=$5 day=${6:-$(date +%Y-%m-%d)}
stale=1
store=$folder/prices.sqlite
today=$folder/limits-today.csv
before=$folder/limits-before.csv
report=$folder/report
mkdir -p "$folder" || exit 4

# New and restated prices only. What could not be had is said; what is there is measured.
imbroglio fetch --feed "$feed" --store "$store" --update --out "$folder/fetched.csv" \
  2>"$folder/fetch.log"
fetched=$?
case $fetched in 0) ;; 5) cat "$folder/fetch.log" >&2 ;; *) cat "$folder/fetch.log" >&2; exit "$fetched" ;; esac

imbroglio check "$store" --today "$day" --stale "$stale" >"$folder/check.txt" 2>"$folder/check.log"
checked=$?
[ "$checked" -gt 1 ] && [ "$checked" -lt 5 ] && { cat "$folder/check.log" >&2; exit "$checked"; }

imbroglio worst "$store" --holdings "$holdings" --benchmark "$benchmark" --last "1 year" --worst 1 \
  --out "$folder/worst.json" 2>"$folder/worst.log" || { cat "$folder/worst.log" >&2; exit 3; }
imbroglio replay "$store" --holdings "$holdings" --benchmark "$benchmark" --worst 1 \
  --figure "$folder/replay.png" >"$folder/replay.txt" 2>"$folder/replay.log" ||
  { cat "$folder/replay.log" >&2; exit 3; }

# The study is of today's holdings and limits, whatever they are called.
rm -f "$folder/study.yml"
{ imbroglio study new "$store" --holdings "$holdings" --limits "$limits" --benchmark "$benchmark" \
  --out "$folder/study.yml" &&
  imbroglio study run "$folder/study.yml" --only top,limits --today "$day" --out "$report"; } \
  >"$folder/study.log" 2>&1
studied=$?
[ "$studied" -gt 0 ] && [ "$studied" -lt 5 ] && { cat "$folder/study.log" >&2; exit "$studied"; }

[ -f "$today" ] && mv "$today" "$before"
set --
[ -f "$before" ] && set -- --before "$before"
imbroglio limits "$store" --holdings "$holdings" --benchmark "$benchmark" --limits "$limits" "$@" \
  --runs "$report" --today "$day" --stale "$stale" --out "$today" --figure "$folder/limits.png" 2>"$folder/limits.log"
limited=$?
[ "$limited" -gt 1 ] && [ "$limited" -lt 5 ] && { cat "$folder/limits.log" >&2; exit "$limited"; }

grep '^The last price is of' "$folder/check.txt"
had="fetched"
[ "$fetched" -eq 5 ] && had="not all could be had, see fetched.csv; what is there is measured"
if [ "$checked" -eq 0 ]; then
  echo "Prices: $had; the check found no error."
else
  echo "Prices: $had; the check found errors, see check.txt."
fi
# The last column of a limit that is broken says by whom.
named() {
  awk -F, -v state=",$1," 'index($0, state) {
    printf "%s%s %s%s", n++ ? ", " : "", $1, $2, $NF == "" ? "" : " (" $NF ")"
  }' "$today"
}
broken=$(named broken) unknown=$(named "not measurable")
if [ "$limited" -eq 0 ]; then
  echo "Limits: none is broken."
else
  echo "Limits broken: ${broken:-none}${unknown:+; not measurable: $unknown}."
fi
sed -n '/^BOOK, as held today/,/^$/p' "$folder/replay.txt" | tr -s ' \n' ' '
echo
if imbroglio change "$report" >"$folder/change.txt" 2>"$folder/change.log"; then
  sed -n '/^BOOK\. /,/^$/p' "$folder/change.txt" | tr -s ' \n' ' '
  echo
else
  echo "What moved it: no day was recorded before this one."
fi
wrong=0 part=0
for status in "$fetched" "$checked" "$studied" "$limited"; do
  case $status in 1 | 6) wrong=1 ;; esac
  case $status in 5 | 6) part=5 ;; esac
done
exit $((wrong + part))
