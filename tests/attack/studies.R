# Studies and files of limits, some of which no one should write: each is read as it says, or
# refused with a condition of ours, within five seconds.

study_base <- c(
  "title: A morning", "prices: small.csv", "levels: [0.95, 0.99]", "horizons: [1, 10]",
  "window: 60", "seed: 7", "value: 1000000", "choose: [A, B]", "kind: log", "every: week",
  "methods: [historical, normal]", "benchmark: B",
  "book: {shares: {A: 100, B: 50}}", "period: {from: 2020-01-05}", "measures: {var: , drawdown: }"
)
odd_values <- c(
  ".nan", ".inf", "-.inf", "~", "", "1,000", "1,000,000", "3000000000", "99999999999", "1e400",
  "-1", "0", "2.5", "yes", "no", "NA", "0x10", "010", "12:30:45", "2020-13-45", "[]", "{}",
  "[[1]]",
  "{A: 1,000}", "{1: 2}", "\"\"", "'x'", "*a", "&a 1", "!expr 1", "!!binary aGk=", "<<: 1",
  "[1, two, .nan]", "{A: {B: {C: 1}}}", "\"\\u0000\"", "| \n  text\n  more", "> folded",
  "@x", "`x`",
  "%x", "- a", "? b", "x: y", "\u00e9", strrep("[", 400L), strrep("{a: ", 300L), strrep("- ", 300L)
)
# What must be refused wherever it stands as a value of levels, horizons, seed, window or value.
never_a_number <- c(
  ".nan", ".inf", "-.inf", "1,000,000", "yes", "no", "NA", "12:30:45", "2020-13-45", "{}", "'x'",
  "*a", "&a 1", "!expr 1", "[[1]]"
)

generated_study <- function(seed) {
  set.seed(seed)
  lines <- c(study_base[2L], sample(study_base[-2L], sample(2:8, 1L)))
  must <- FALSE
  for (i in seq_len(sample(0:2, 1L))) {
    at <- sample(length(lines), 1L)
    key <- sub(":.*$", "", lines[at])
    value <- sample(odd_values, 1L)
    lines[at] <- paste0(key, ": ", value)
    must <- must ||
      (key %in% c("levels", "horizons", "seed", "window", "value") && value %in% never_a_number)
  }
  if (chance(0.1)) lines <- c(lines, pick(c("---", "...", "--- x")), "window: 5")
  if (chance(0.05)) lines <- c(lines, sprintf("S%d: %d", 1:6000, 1:6000))
  if (chance(0.1)) lines <- append(lines, sample(c("\t", "  x: 1", "# note", "a: &a [1]"), 1L))
  bytes <- charToRaw(enc2utf8(paste0(lines, "\n", collapse = "")))
  if (chance(0.05)) bytes <- append(bytes, as.raw(0L), sample(length(bytes), 1L))
  if (chance(0.05)) bytes[sample(length(bytes), 3L)] <- as.raw(sample(1:255, 3L))
  list(bytes = bytes, must = must, about = paste(lines, collapse = " / "))
}

limit_lines <- function(seed) {
  set.seed(seed)
  measures <- c("var", "volatility", "fall", "weight", "beta", "effective_bets", "sharpe", "loss")
  n <- sample(1:4, 1L)
  table <- data.frame(
    of = sample(c("book", "BOOK", "A", "each", "B", "group:x"), n, TRUE, c(3, 1, 2, 1, 1, 0.2)),
    measure = sample(measures, n, TRUE)
  )
  whole <- c("beta", "effective_bets", "sharpe")
  size <- round(stats::runif(n, 0.01, 0.09), 3)
  limit <- ifelse(table$measure %in% whole, size * 20, size)
  below <- table$measure %in% c("effective_bets", "sharpe")
  warn <- limit * ifelse(below, 1.2, 0.8)
  percent <- sample(c(TRUE, FALSE), n, TRUE) & !table$measure %in% whole
  written <- function(x) ifelse(percent, paste0(100 * x, "%"), format(x, trim = TRUE))
  table$warn <- written(warn)
  table$limit <- written(limit)
  fault <- pick(c(rep("none", 4L), "late", "below", "bare", "word", "twice", "empty", "NaN"))
  i <- sample(n, 1L)
  if (fault == "late") {
    table$warn[i] <- written(limit * ifelse(below, 0.5, 2))[i]
  } else if (fault == "below") {
    table[i, ] <- list("book", "var", "", "-2%")
  } else if (fault == "bare") {
    table[i, ] <- list("book", "var", "", "0.5")
  } else if (fault == "word") {
    table$limit[i] <- pick(c("much", "3 pp", "1,5", "--", "%"))
  } else if (fault == "twice") {
    table <- rbind(table, list("book", "var", "", "3%"), list("BOOK", "var", "", "4%"))
  } else if (fault == "empty") {
    table$limit[i] <- ""
  } else if (fault == "NaN") {
    table$limit[i] <- pick(c("NaN", "Inf", "1e999", "NA"))
  }
  known <- table$of != "group:x" & !duplicated(paste(toupper(table$of), table$measure))
  # Of the book alone, and of what is no benchmark itself.
  known <- known & (table$of %in% c("book", "BOOK") | !grepl("^effective", table$measure)) &
    (table$of != "each" | table$measure != "beta")
  list(
    lines = c("of,measure,warn,limit", do.call(paste, c(unname(table), sep = ","))),
    faulty = fault != "none", sound = fault == "none" && all(known), limit = limit,
    of = table$of, measure = table$measure
  )
}

# "read", "refused", or what is wrong.
attack_studies <- function(seeds, folder) {
  before <- setwd(folder)
  on.exit(setwd(before))
  told <- function(code) {
    tryCatch(
      withCallingHandlers(
        code,
        message = function(m) invokeRestart("muffleMessage"),
        imbroglio_warning = function(w) invokeRestart("muffleWarning")
      ),
      imbroglio_error = function(e) "refused",
      error = function(e) paste("bare error:", conditionMessage(e)),
      warning = function(w) paste("bare warning:", conditionMessage(w))
    )
  }
  book <- told(imbroglio::as_portfolio(
    imbroglio::read_prices("small.csv"), shares = c(A = 100, B = 50)
  ))
  vapply(seeds, function(seed) {
    began <- proc.time()[["elapsed"]]
    if (seed %% 2L) {
      made <- generated_study(seed)
      writeBin(made$bytes, "study.yml")
      got <- told({
        study <- imbroglio::read_study("study.yml")
        imbroglio:::refuse_absent_files(study)
        # What a study says in numbers is a number that can be.
        numbers <- unlist(study$says[c("levels", "horizons", "window", "seed", "value")])
        if (length(numbers) && (!is.numeric(numbers) || anyNA(numbers))) {
          "WRONG: no number"
        } else if (made$must) {
          "WRONG: read in spite of it"
        } else {
          "read"
        }
      })
      about <- made$about
    } else {
      made <- limit_lines(seed)
      writeLines(made$lines, "limits.csv")
      got <- told({
        found <- imbroglio::check_limits(book, "limits.csv", window = 20, benchmark = "B")
        single <- made$of %in% c("A", "B")
        at <- match(paste(made$of, made$measure), paste(found$security, found$measure))
        same <- !single | abs(found$limit[at] - made$limit) < 1e-12
        if (made$faulty) {
          "WRONG: read in spite of it"
        } else if (made$sound && !all(same)) {
          "WRONG: another limit"
        } else {
          "read"
        }
      })
      if (identical(got, "refused") && made$sound && !any(made$of == "B")) {
        got <- "WRONG: refused without a fault"
      }
      about <- paste(made$lines, collapse = " / ")
    }
    took <- proc.time()[["elapsed"]] - began
    if (took > 5) got <- sprintf("WRONG: took %.0f seconds", took)
    if (got %in% c("read", "refused")) got else paste(got, "<-", substr(about, 1L, 300L))
  }, "")
}
