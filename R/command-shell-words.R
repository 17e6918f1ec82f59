# What R's functions say, in the words of the command: --decimal , for decimal = ",", and no word
# of R. `test-command-words.R` walks all that can be said.

in_shell_words <- function(text) {
  known <- function(name) {
    own <- c(
      stand_ins = "stand-in", start = "from", end = "to", currency = "currencies",
      moves = "shock", layout = "long"
    )
    name <- if (name %in% names(own)) own[[name]] else name
    name <- gsub("_", "-", name, fixed = TRUE)
    ifelse(name %in% names(options_known()), paste0("--", name), NA)
  }
  replaced <- function(pattern, writer) {
    at <- gregexpr(pattern, text, perl = TRUE)
    matches <- regmatches(text, at)
    regmatches(text, at) <<- lapply(matches, function(each) {
      parts <- regmatches(each, regexec(pattern, each, perl = TRUE))
      vapply(parts, function(p) {
        name <- known(p[2L])
        if (is.na(name)) p[1L] else writer(name, p)
      }, "")
    })
  }
  for (name in names(said_in_r)) text <- gsub(name, said_in_r[[name]], text, perl = TRUE)
  replaced("`?\\b([a-z][a-z_]*) = TRUE`?", function(name, p) name)
  replaced("`?\\b([a-z][a-z_]*) = \"([^\"]*)\"`?", function(name, p) {
    paste(name, if (grepl("^[[:alnum:]-]+$", p[3L])) p[3L] else sprintf("'%s'", p[3L]))
  })
  replaced("`?\\b([a-z][a-z_]*) = c\\(([^)]*)\\)`?", function(name, p) {
    paste(name, gsub("[ \"]", "", p[3L]))
  })
  replaced("`?\\b([a-z][a-z_]*) =`?(?= |[.,;]|$)", function(name, p) name)
  replaced("`([a-z][a-z_]*)`", function(name, p) name)
  # Names and numbers by name, and what is no option.
  named <- gregexpr("\\bc\\([^()]*\\)", text)
  regmatches(text, named) <- lapply(regmatches(text, named), function(each) {
    gsub("[ \"]", "", gsub("^c\\(|\\)$", "", each))
  })
  text <- gsub("`([^`]*)`", "\\1", text)
  # A function by the command of its name.
  commands <- sprintf("\\b(?:measure_)?%s\\(\\)", names_of_commands)
  for (i in seq_along(commands)) {
    text <- gsub(commands[i], paste("imbroglio", names_of_commands[i]), text, perl = TRUE)
  }
  text
}

names_of_commands <- c(
  "return", "volatility", "beta", "tracking", "capture", "drawdown", "downside", "ratios",
  "concentration", "currency", "selling", "replay", "summary", "var"
)

# What has no option of its name.
said_in_r <- c(
  # A column that is to be called so is no option.
  "(Name (?:it|the column of dates)) `([a-z]+)`( or `([a-z]+)`)?" = "\\1 \"\\2\"",
  "; `total = FALSE` leaves the other out" = "",
  "write_prices\\(read_prices\\(FILE\\), FOLDER\\)" = "imbroglio prices FILE --out FOLDER",
  "draft_sources\\(\\)" = "imbroglio read FILE --out FILE.yml",
  "check_prices\\(\\)" = "imbroglio check",
  "repair_prices\\(\\)" = "imbroglio check --repair FILE",
  "adjust_prices\\(\\)" = "imbroglio adjust",
  "volatility_series\\(\\)" = "--series",
  "verify_store\\(\\)" = "imbroglio store --verify",
  "`store_additions\\(\\)`" = "imbroglio store --additions",
  "`layout = \"long\"`" = "--long",
  "`?on = \"pairwise\"`?" = "--on pairwise",
  "window\\(\\) on the prices, then take returns" = "--from, --to, --last or --during",
  "Make one with as_portfolio\\([^)]*\\)[^.]*\\), or shares =, values = or holdings =" =
    "Give --weights A=0.6,B=0.4, --shares, --values or --holdings",
  "Make one with read_prices[^.]*" = "Name a file of prices",
  "Make one: as_portfolio\\(\\)" = "Give --holdings, --shares, --values or --weights",
  "Give shares or values to as_portfolio\\(\\), not weights" =
    "Give --shares or --values, not --weights",
  "Convert them first: translate_prices\\(prices, rates, base\\)" =
    "Convert them: --rates FILE --base NAME",
  "translate_prices\\(prices, rates, base\\) does" = "--rates FILE --base NAME does",
  "backtest_var\\(\\)" = "imbroglio backtest",
  "bootstrap_book\\(\\)" = "imbroglio var --draw",
  "(Run|run) install.packages\\(\"([A-Za-z0-9.]+)\"\\)" = "Install the R package \\2",
  "information_ratio_total" = "information ratio of the whole span",
  "information_ratio" = "information ratio",
  ", or read the prices with `securities =`" = ", or by --securities FILE",
  "Hand in a data frame or a matrix, or read a file with read_prices\\(\\)" = "Name a file",
  "show_working\\(result\\) makes one" = "imbroglio working makes one",
  "`min_obs` and `as = \"matrix\"` are" = "`min_obs` is",
  "a folder, several files or a DBI connection" = "a folder, several files or a price store",
  "Say either `table` or `query` of the database, which is no price store" =
    "This database is no price store",
  "Change as.data.frame\\(\\) of it, and make a table again by as_([A-Za-z%]+)\\(\\)" =
    "It cannot be changed in place"
)
