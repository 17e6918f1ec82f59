# The commands about the falls, and about measures through time: downside, ratios, capture, roll.

downside_command <- function() {
  list(
    says = "only the falls: below the mean, below a target, gains and losses, runs",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "target", "order", "window", "min-obs",
      "per-year", "errors", "draws", "block", "seed", book, hand_on
    ),
    example = "imbroglio downside bay.csv --target 3% --figure falls.png",
    run = run_measure("downside")
  )
}

ratios_command <- function() {
  list(
    says = "what was earned for the falls: Sortino, Omega, Calmar, Sterling, gain to pain",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "target", "deepest", "window", "min-obs",
      "per-year", "errors", "draws", "block", "seed", book, hand_on
    ),
    example = "imbroglio ratios bay.csv --errors bootstrap --figure ratios.png",
    run = run_measure("ratios")
  )
}

capture_command <- function() {
  list(
    says = "how much of a benchmark's rises and falls a security takes, and how often it is ahead",
    takes = "FILE...",
    options = c(
      choose, "benchmark", "every", "keep-unfinished", "kind", "window", "min-obs", book, hand_on
    ),
    example = "imbroglio capture bay.csv --benchmark BAYALL --every month --figure capture.png",
    run = run_measure("capture")
  )
}

roll_command <- function() {
  list(
    says = "measures through time, beside each other and under their limits",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "measures", "window", "min-obs", "benchmark",
      "level", "limits", "target", "risk-free", "per-year", book, hand_on
    ),
    example = paste0(
      "imbroglio roll bay.csv --security TARROW --measures volatility,var,drawdown --limits ",
      "var=4%,drawdown=20% --figure roll.png"
    ),
    run = run_measure("roll")
  )
}
