#pragma once
#include "casts.h"
#include <Rcpp/Lightest>
#include "core/common.h"

namespace imbroglio {

// `start`: the row of each column's first price, counted from 0.
inline Column column_of(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                        std::size_t j) {
  const std::size_t n = to_size(returns.nrow());
  const double* from = returns.begin() + j * n;
  return {from, start[to_index(j)], any_missing(from, n)};
}

// The risk-free return: none, the same every period, or a series.
struct RiskFree {
  double rate = 0.0;
  Column series{nullptr, 0, false};

  RiskFree() = default;
  RiskFree(const Rcpp::NumericVector& rates, int start) {
    if (rates.size() == 1)
      rate = rates[0];
    else if (rates.size())
      series = {rates.begin(), start, any_missing(rates.begin(), to_size(rates.size()))};
  }
};

// Each column beside one benchmark, both less the risk-free return where there is one.
class Beside {
 public:
  Beside(const Column& benchmark, const RiskFree& risk_free, std::size_t n, bool span, bool log)
      : benchmark_(benchmark), risk_free_(risk_free), n_(n), span_(span), log_(log) {}

  void take(const Column& security) {
    columns_.assign({security, benchmark_});
    if (risk_free_.series.returns) columns_.push_back(risk_free_.series);
    common_.take(columns_, n_, span_, log_);
    y_ = common_.series(0);
    x_ = common_.series(1);
    if (!risk_free_.series.returns && risk_free_.rate == 0.0) return;
    less(y_own_, y_);
    less(x_own_, x_);
  }
  std::size_t size() const { return common_.size(); }
  std::size_t row(std::size_t i) const { return common_.row(i); }
  // The benchmark is the same as for every other security without gaps.
  bool straight() const { return common_.straight(); }
  const double* y() const { return y_; }
  const double* x() const { return x_; }

 private:
  void less(std::vector<double>& own, const double*& from) {
    own.resize(common_.size());
    const double* free = risk_free_.series.returns ? common_.series(2) : nullptr;
    for (std::size_t i = 0; i < own.size(); ++i)
      own[i] = from[i] - (free ? free[i] : risk_free_.rate);
    from = own.data();
  }
  Column benchmark_;
  RiskFree risk_free_;
  std::size_t n_;
  bool span_, log_;
  CommonIntervals common_;
  std::vector<Column> columns_;
  const double *y_ = nullptr, *x_ = nullptr;
  std::vector<double> y_own_, x_own_;
};

} // namespace imbroglio
