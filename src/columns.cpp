#include "columns.h"
#include <cstdlib>
#include <cstring>
// Keeps out RcppParallel's matrix class: before 5.1.9 it derives from what C++17
// deprecates, and it is not used here.
#define __RCPP_PARALLEL_RMATRIX__
#include <RcppParallel.h>

namespace imbroglio {

// Below this many cells the work is done before a second thread has started.
constexpr std::size_t cells_worth_a_thread = 1 << 16;

// Then no thread is touched: in a fork there are none.
bool single_thread() {
  const char* threads = std::getenv("RCPP_PARALLEL_NUM_THREADS");
  return threads != nullptr && std::strcmp(threads, "1") == 0;
}

void over_columns(std::size_t rows, std::size_t columns,
                  const std::function<void(std::size_t, std::size_t)>& work) {
  struct Ranges : public RcppParallel::Worker {
    explicit Ranges(const std::function<void(std::size_t, std::size_t)>& w) : work(w) {}
    void operator()(std::size_t first, std::size_t last) override { work(first, last); }
    const std::function<void(std::size_t, std::size_t)>& work;
  } ranges(work);
  if (rows * columns < cells_worth_a_thread || columns < 2 || single_thread())
    work(0, columns);
  else
    RcppParallel::parallelFor(0, columns, ranges);
}

void over_slices(std::size_t rows, std::size_t columns,
                 const std::function<void(std::size_t, std::size_t)>& work) {
  const std::size_t slice =
      std::max<std::size_t>(1, (std::size_t{1} << 26) / std::max<std::size_t>(1, rows));
  for (std::size_t from = 0; from < columns; from += slice) {
    over_columns(rows, std::min(slice, columns - from),
                 [&](std::size_t first, std::size_t last) { work(from + first, from + last); });
    Rcpp::checkUserInterrupt();
  }
}

} // namespace imbroglio
