# Command lines that no one should write: each ends with a status of the command's own and a
# condition of ours.

nasty <- c(
  "", " ", "-1", "0", "1", "2", "0.5", "1.5", "1e999", "NaN", "NA", "Inf", "abc", "1:", ":",
  "1:2:3", "5:1", "99999999999", "1e5", "2024-13-01", "2020-01-10", "31.12.2020", "../..", "/",
  ".", "A=B", "=", "A=", "=1", "A=1,A=2", "cash=1", "A=1e308,B=1e308", "A=0.5,B=0.5", "A,B",
  "A,A", ",", ",,", "B", "C", "\u00e9", "%s", "{x}", "`x`", "0.95", "0.95,0.95", "95%", "day",
  "week", "year", "hour", "log", "simple", "historical", "normal", "garch", "all", "text", "json",
  "csv", "xml", "1 year", "99999999999 days", "0 days", "rest", "group:x", "newey-west", "aic",
  "tail", "moments", "/no/such/file.csv", "\033[31m", strrep("x", 3000L)
)

# What could be meant, so that other words of the line are reached.
sound_words <- list(
  DATE = c("2020-01-10", "2020-03-01"),
  SPAN = c("1 month", "20 days"),
  "A,B" = c("A", "B", "A,B"),
  FILE = "small.csv",
  WHEN = "1",
  ORDER = "day-first",
  MARK = c(".", ","),
  COLUMN = c("A", "sharpe_annual"),
  PERIOD = c("day", "week", "month"),
  KIND = c("log", "simple", "normal"),
  "N,N" = c("5", "5,20"),
  N = c("1", "2", "5", "20"),
  "P,P" = c("0.9", "0.9,0.95"),
  P = c("0.9", "0.95"),
  H = c("1", "5", "1:3"),
  WAY = c("sqrt", "paths", "likelihood", "moments"),
  METHOD = c("historical", "normal", "ewma", "hill", "garch", "deviation"),
  D = "0.9",
  K = c("0.2", "10"),
  R = c("0.01", "C"),
  "A=W,B=W" = c("A=0.5,B=0.5", "A=1", "A=-1,B=2"),
  "A=N,B=N" = c("A=1,B=2", "A=5"),
  RANK = c("nearest", "up,down"),
  MONEY = c("1000", "-5"),
  W = c("rest", "0.1"),
  FORM = c("text", "json", "csv", "price"),
  VIEW = c("tail", "density", "methods"),
  WHAT = c("bic", "tail"),
  DATES = "pairwise",
  TARGET = c("identity", "constant-correlation")
)

# A line of words for one command, on a small file; what is written goes to a folder of its own.
nasty_line <- function(seed, folder) {
  set.seed(seed)
  known <- imbroglio:::commands()
  known <- known[setdiff(names(known), c("feed", "fetch"))]
  name <- sample(names(known), 1L)
  allowed <- setdiff(known[[name]]$options, "help")
  word <- function() sample(nasty, 1L)
  options <- unlist(lapply(
    sample(allowed, min(length(allowed), sample(0:3, 1L))),
    function(option) {
      if (stats::runif(1L) < 0.03) option <- paste0(option, "x")
      takes <- imbroglio:::options_known()[[option]]$takes
      if (is.null(takes)) return(paste0("--", option))
      value <- if (option %in% c("out", "figure", "repair", "files", "record", "workbook")) {
        sample(
          c(
            file.path(folder, switch(
              option,
              figure = c("a.png", "a.svg", "a.gif"),
              record = c("a.json", "a.txt"),
              c("a.csv", "a.csv", "a.json", "a.xlsx", "a.txt", "a.x", "a.html")
            )),
            folder,
            "/no/such/a.csv",
            ""
          ),
          1L
        )
      } else if (option %in% c("actions", "securities", "add")) {
        sample(
          c(file.path(folder, c("small.csv", "acted.csv")), folder, "/no/such.csv", word()),
          1L
        )
      } else if (stats::runif(1L) < 0.75 && length(sound_words[[takes]])) {
        sample(sound_words[[takes]], 1L)
      } else {
        word()
      }
      if (stats::runif(1L) < 0.5) {
        paste0("--", option, "=", value)
      } else {
        c(paste0("--", option), value)
      }
    }
  ))
  files <- sample(
    c(
      rep(file.path(folder, "small.csv"), 8L),
      rep(file.path(folder, if (name == "store") "small.sqlite" else "small.csv"), 6L),
      file.path(folder, c("small.sqlite", "two.csv")),
      folder,
      "/no/such.csv",
      ""
    ),
    sample(0:2, 1L, prob = c(0.03, 0.94, 0.03))
  )
  if (name == "demo" && stats::runif(1L) < 0.9) files <- character()
  c(name, sample(c(list(files), list(options)), 2L)) |> unlist()
}

attack_folder <- function() {
  folder <- tempfile("attack")
  dir.create(folder)
  set.seed(3)
  days <- as.Date("2020-01-01") + 0:99
  grown <- function() round(100 * exp(cumsum(stats::rnorm(100L, 0, 0.01))), 2)
  utils::write.csv(
    data.frame(date = days, A = grown(), B = grown(), C = 7),
    file.path(folder, "small.csv"),
    row.names = FALSE
  )
  writeLines(c("date,A,B", "2024-01-02,1,2", "2024-01-03,2,3"), file.path(folder, "two.csv"))
  writeLines(c("security,date,split,dividend", "A,2020-01-20,2,"), file.path(folder, "acted.csv"))
  suppressMessages(imbroglio::store_prices(
    imbroglio::read_prices(file.path(folder, "small.csv")),
    file.path(folder, "small.sqlite")
  ))
  folder
}

# What --quiet leaves of an error is the error, in no word of R.
said_quietly <- function(e) {
  before <- options(imbroglio.quiet = TRUE)
  on.exit(options(before))
  said <- utils::capture.output(type = "message", imbroglio:::tell("Error: ", e))
  if (!any(startsWith(said, "Error: ") & nchar(said) > 12L)) return("bare error: swallowed")
  r_words <- grepl("= c\\(|\\b(TRUE|FALSE)\\b|[a-z_]{4,}\\(\\)", said)
  if (any(r_words)) return(paste("bare error: speaks R:", said[r_words][1L]))
  "refused"
}

# "done", "refused", or what is wrong.
attack_options <- function(seeds, folder) {
  # A report goes to where the command runs.
  before <- setwd(folder)
  on.exit(setwd(before))
  vapply(seeds, function(seed) {
    words <- nasty_line(seed, folder)
    bare <- NULL
    setTimeLimit(elapsed = 60, transient = TRUE)
    got <- tryCatch(
      withCallingHandlers(
        imbroglio:::run_command(words),
        imbroglio_warning = function(w) invokeRestart("muffleWarning"),
        warning = function(w) {
          bare <<- bare %||% conditionMessage(w)
          invokeRestart("muffleWarning")
        },
        message = function(m) invokeRestart("muffleMessage")
      ),
      imbroglio_error = said_quietly,
      error = function(e) paste("bare error:", conditionMessage(e))
    )
    setTimeLimit()
    line <- substr(paste(encodeString(words), collapse = " "), 1L, 160L)
    if (is.character(got) && startsWith(got, "bare")) return(paste(got, "<-", line))
    if (!is.null(bare)) return(paste("bare warning:", bare, "<-", line))
    if (is.character(got)) got else "done"
  }, "")
}

`%||%` <- function(a, b) if (is.null(a)) b else a
