# Files in whatever form they come, and what is not written over.

test_that("files in any encoding, compressed, from a pipe or standard input are the same table", {
  lines <- c("date,M\u00dcHLE", "2024-01-02,10", "2024-01-03,11")
  text <- enc2utf8(paste0(lines, "\n", collapse = ""))
  as_bytes <- function(encoding, mark = raw()) {
    c(mark, iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1]])
  }
  packed <- function(bytes) {
    path <- tempfile()
    connection <- gzfile(path, "wb")
    writeBin(bytes, connection)
    close(connection)
    readBin(path, "raw", 1e6)
  }
  plain <- charToRaw(text)
  forms <- list(
    plain,
    c(as.raw(c(0xef, 0xbb, 0xbf)), plain),
    as_bytes("UTF-16LE"),
    as_bytes("UTF-16LE", as.raw(c(0xff, 0xfe))),
    as_bytes("UTF-16BE", as.raw(c(0xfe, 0xff))),
    as_bytes("UTF-16BE"),
    as_bytes("CP1252"),
    packed(plain),
    c(packed(plain[1:20]), packed(plain[-(1:20)]))
  )
  path <- tempfile(fileext = ".csv")
  for (bytes in forms) {
    writeBin(bytes, path)
    prices <- read_quietly(path)
    expect_equal(colnames(prices), "M\u00dcHLE")
    expect_equal(shown(prices), "2024-01-02 10 2024-01-03 11")
    # The same encodings of the other tables that people hand over.
    writeBin(
      iconv("security,weight\nM\u00dcHLE,1\n", "UTF-8", "CP1252", toRaw = TRUE)[[1]],
      held <- tempfile()
    )
    expect_named(suppressMessages(as_portfolio(prices, held))$holdings, "M\u00dcHLE")
  }
  gz <- packed(plain)
  for (wrong in list(
    gz[seq_len(length(gz) - 9)],
    gz[seq_len(length(gz) - 3)],
    replace(gz, length(gz) - 6, as.raw(1)),
    c(plain, as.raw(0)),
    c(charToRaw(strrep("date,A\n", 20000)), as.raw(0), plain)
  )) {
    writeBin(wrong, path)
    expect_error(read_quietly(path), class = "imbroglio_error")
  }
  skip_on_os("windows")
  writeBin(plain, path)
  pipe <- tempfile()
  system2("mkfifo", pipe)
  system(paste("cat", path, ">", pipe, "&"))
  expect_equal(shown(read_quietly(pipe)), "2024-01-02 10 2024-01-03 11")
  ran <- system(
    paste0(
      "R_LIBS=",
      paste(.libPaths(), collapse = ":"),
      " ",
      system.file("exec", "imbroglio", package = "imbroglio"),
      " returns - --format csv <",
      path,
      " 2>/dev/null"
    ),
    intern = TRUE
  )
  expect_match(ran[2], "2024-01-03,0.1$")
})

test_that("a workbook of ours is read back, and cells of a workbook are what they are", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  prices <- as_prices(data.frame(
    date = as.Date("2024-01-01") + 0:3,
    A = c(10, 11, NA, 13),
    B = c(5, 6, 7, 8)
  ))
  path <- tempfile(fileext = ".xlsx")
  write_prices(prices, path)
  expect_equal(read_quietly(path)$close, prices$close)
  late <- data.frame(
    date = as.Date("2000-01-01") + 0:2999,
    A = c(as.character(1:2998 + 0.5), "halted", "12.5")
  )
  openxlsx::write.xlsx(late, path)
  expect_error(read_quietly(path), "halted", class = "imbroglio_error_price")
})

test_that("nothing is written over what is read; links, pipes and modes stay", {
  skip_on_os("windows")
  skip_if_not_installed("processx")
  folder <- tempfile()
  dir.create(folder)
  at <- function(name) file.path(folder, name)
  writeLines(
    c("date,A,B", "2024-01-02,10,5", "2024-01-03,11,6", "2024-01-04,10,7"),
    at("p.csv")
  )
  writeLines(c("security,date,split", "A,2024-01-03,2"), at("acted.csv"))
  file.symlink(at("p.csv"), at("again.csv"))
  suppressMessages(store_prices(read_prices(at("p.csv")), at("s.sqlite")))
  before <- tools::md5sum(list.files(folder, full.names = TRUE))
  refused <- list(
    c("returns", at("p.csv"), "--out", at("p.csv")),
    c("returns", at("p.csv"), "--out", at("again.csv")),
    c("returns", at("p.csv"), "--figure", at("p.csv")),
    c("adjust", at("p.csv"), "--actions", at("acted.csv"), "--out", at("acted.csv")),
    c("returns", at("p.csv"), "--out", at("s.sqlite")),
    c("check", at("p.csv"), "--repair", at("s.sqlite")),
    c("returns", at("p.csv"), "--out", folder),
    c("returns", at("p.csv"), "--out", at("x.png"), "--figure", at("x.png")),
    c("store", at("s.sqlite"), "--add", at("s.sqlite"))
  )
  for (words in refused[-7]) expect_equal(imbroglio(words)$status, 2L, info = words)
  expect_equal(imbroglio(refused[[7]])$status, 3L)
  expect_equal(tools::md5sum(names(before)), before)
  file.symlink(at("target.csv"), at("link.csv"))
  expect_equal(imbroglio("returns", at("p.csv"), "--out", at("link.csv"))$status, 0L)
  Sys.chmod(at("target.csv"), "0600")
  expect_equal(
    imbroglio("returns", at("p.csv"), "--kind", "log", "--out", at("link.csv"))$status,
    0L
  )
  expect_equal(Sys.readlink(at("link.csv")), at("target.csv"))
  expect_equal(format(file.mode(at("target.csv"))), "600")
  system2("mkfifo", at("pipe"))
  system(sprintf("cat '%s' > '%s' &", at("pipe"), at("came.txt")))
  expect_equal(
    imbroglio("returns", at("p.csv"), "--format", "csv", "--out", at("pipe"))$status,
    0L
  )
  Sys.sleep(0.5)
  expect_length(readLines(at("came.txt")), 5L)
  expect_equal(list.files(folder, "^[.]imbroglio", all.files = TRUE), character())
  # A file's name is shown harmless.
  odd <- at("a\033[31mb.csv")
  expect_no_match(imbroglio("returns", odd)$err, "\033")
  # A signal ends the command, and leaves nothing.
  temporary <- at("temporary")
  dir.create(temporary)
  running <- processx::process$new(
    system.file("exec", "imbroglio", package = "imbroglio"),
    c("fit", demo_file("bay.csv"), "--families", "all", "--out", at("f.csv")),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"), TMPDIR = temporary)
  )
  while (running$is_alive() && !length(list.files(temporary))) Sys.sleep(0.05)
  Sys.sleep(1.5)
  running$signal(15L)
  running$wait(60000)
  expect_equal(running$get_exit_status(), 143L)
  expect_equal(list.files(temporary), character())
})

test_that("what cannot be is refused before there is room made for it", {
  prices <- read_prices(demo_file("bay.csv"))[, c("TARROW", "BAYBOND")]
  bad <- list(
    function() measure_var(prices, method = "bootstrap", draws = 2e9),
    function() measure_var(prices, method = "bootstrap", horizon = 1e6),
    function() bootstrap_book(as_portfolio(prices, c(TARROW = 1)), horizon = 10000L, draws = 1e6),
    function() predict(fit_garch(prices), 1e9),
    function() as_portfolio(prices, shares = c(cash = 1)),
    function() as_portfolio(prices, shares = c(TARROW = 1e308)),
    function() window(prices, last = "99999999999 days"),
    function() {
      correlate_returns(
        as_prices(data.frame(date = prices$dates, A = 1, B = prices$close[, 1])),
        shrink = "constant-correlation"
      )
    },
    function() read_prices(written("\"")),
    function() {
      ggplot2::autoplot(suppressWarnings(measure_summary(as_prices(data.frame(
        date = prices$dates[1:2],
        A = 1:2
      )))))
    }
  )
  for (i in seq_along(bad)) expect_error(bad[[i]](), class = "imbroglio_error", info = i)
  # A window longer than the data costs no more than the data: it does in a process that may not
  # have more.
  skip_on_os("windows")
  command <- sprintf(
    paste0(
      "ulimit -v 8000000; R_LIBS='%s' '%s' volatility '%s' --window 2147483647 ",
      ">/dev/null 2>&1"
    ),
    paste(.libPaths(), collapse = ":"),
    system.file("exec", "imbroglio", package = "imbroglio"),
    demo_file("bay.csv")
  )
  expect_equal(system2("bash", c("-c", shQuote(command))), 0L)
  expect_warning(
    long <- measure_volatility(prices, window = .Machine$integer.max),
    class = "imbroglio_warning_window"
  )
  expect_true(all(is.na(long$volatility)))
  expect_identical(
    suppressWarnings(
      measure_volatility(prices, window = .Machine$integer.max, min_obs = 20)$volatility
    ),
    measure_volatility(prices, window = 2572L, min_obs = 20)$volatility
  )
})
