#' Open prices that are never whole
#'
#' A source of prices that is read in blocks of securities, where [read_prices()] would read all
#' of them: whatever is measured of it is measured block by block, and comes out as of the whole
#' table, to the bit. Memory does not grow with the number of securities.
#'
#' @section What is measured in blocks: Every measure that has rows for each security for itself,
#'   or beside a benchmark: returns, volatility, beta, tracking, drawdowns, ratios, fits, value at
#'   risk and its backtests, worst periods, rolling tables, the summary; and [check_prices()].
#'   `window()`, [as_returns()] and `[, securities]` are done to each block as it is read; several
#'   at once where a plan of the package future is set (processes, other hosts, a scheduler), with
#'   the same results, and shown by the package progressr if it is told to. The benchmark is
#'   read with each block. A book reads its holdings, see [as_portfolio()]: give it the
#'   `benchmark`.
#'
#'   What compares all securities with each other (correlations, two samples) and whatever else
#'   takes a table reads the securities that were picked, if they fit the memory, and is refused
#'   with `imbroglio_error_memory` if not. Notes and warnings of one kind are said for the first
#'   three blocks that have them, and counted.
#'
#' @section What can be read in blocks: A folder that [write_prices()] wrote, in which a security
#'   is one range of a file; a price store, see [store_prices()], as it is now; a wide Parquet
#'   file, of which single columns are read. Anything else that [read_prices()] takes (a folder of
#'   files, each read by itself; a CSV file, read in pieces of whole lines) is laid out as such a
#'   folder first, in the session's temporary folder, which is said.
#'
#'   A store is read in the state that it had when it was opened, or earlier (`as_of`), whatever is
#'   added meanwhile.
#'
#' @param source What [read_prices()] takes, but a table or a query of a database.
#' @param memory How much memory measuring may take, such as `"500MB"` or `"2GB"`, beside what R
#'   and the results need. A block is a tenth of it, of two securities at least; of one that
#'   alone is larger, see `print()`.
#' @param price,dates,decimal,securities,as_of As [read_prices()] takes them.
#' @param folder Where to lay out what cannot be read in blocks, a new folder that is kept; by
#'   default a temporary one.
#' @param resume A folder of your own in which what comes of each block is kept, so that a run
#'   that was stopped goes on where it was when the same is measured again; a new one is made. By
#'   a digest of the block's prices, the measure, its arguments and the version: what is not quite
#'   the same is measured. Rows written as they come ([write_rows()]) are not kept. Remove it when
#'   all is done.
#' @return An opened source. `dim()`, `colnames()` and `print()` say what it holds; [as_prices()]
#'   reads it whole, if it fits. The result of a measure keeps it: a working or a figure reads the
#'   securities that are shown, so choose rows first.
#' @section Errors: `imbroglio_error_memory` for what does not fit;
#'   `imbroglio_error_argument` for a size that is none; `imbroglio_error_file` for a folder that
#'   is not as it was written (each column is tested against its digest when it is read); those
#'   of [read_prices()].
#' @family ways to get prices
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' folder <- file.path(tempdir(), "bay-prices")
#' write_prices(read_prices(demo_file("bay.csv")), folder)
#' opened <- open_prices(folder, memory = "200MB")
#' opened
#' measure_volatility(opened)
#' measure_beta(window(opened, last = "2 years"), benchmark = "BAYALL")
#' unlink(folder, recursive = TRUE)
#' @export
open_prices <- function(source, memory = "1GB", price = NULL, dates = NULL, decimal = NULL,
                        securities = NULL, folder = NULL, as_of = NULL, resume = NULL) {
  if (!is.null(resume)) resume <- folder_to_resume(resume)
  how <- list(price = price, dates = dates, decimal = decimal, as_of = as_of)
  x <- opened_source(source, memory, how, folder)
  x$resume <- resume
  if (is.null(securities)) x else with_securities(x, securities)
}

opened_source <- function(source, memory, how, folder = NULL, faults = NULL) {
  if (is.character(source) && any(is_sources_file(source))) {
    fail(
      "argument", "A sources file is not read in blocks.",
      remedy = "Write its prices to a folder once: write_prices(read_prices(FILE), FOLDER)."
    )
  }
  bytes <- bytes_of(memory)
  reader <- reader_of(source, how, bytes, folder, faults)
  chosen <- reader$securities
  new_opened(list(
    dates = reader$dates, chosen = chosen, universe = chosen, steps = list(), kind = NULL,
    every = NULL, memory = bytes, reader = reader,
    about = reader$about[match(chosen, reader$about$security), ], actions = reader$actions,
    measured = reader$measured, origin = reader$origin, repairs = reader$repairs
  ))
}

# A folder of one's own: what is in it is taken as what came of blocks.
folder_to_resume <- function(folder) {
  if (!is.character(folder) || length(folder) != 1L || is.na(folder) || !nzchar(folder)) {
    fail("argument", "`resume` must be a folder.", where = sprintf("It is %s.", shown(folder)))
  }
  if (!dir.exists(folder) && !suppressWarnings(dir.create(folder, mode = "0700"))) {
    fail(
      c("write", "file"), sprintf("There is no folder %s, and none can be made there.", folder)
    )
  }
  normalizePath(folder)
}

# How a source is read: its `securities`, `dates`, `origin`, the column that is `measured` and the
# other `fields`, what is known `about` securities and their `actions`, `repairs`; `parted(field,
# wanted)` gives the columns of some securities, all dates in rows; or `tables(wanted)` a table of
# prices of them. `digest`: of the whole, where it is known. `faults`: of what is checked.
reader_of <- function(source, how, bytes, folder, faults = NULL) {
  stored <- holds_store(source, how)
  if (!is.null(how$as_of) && !stored) {
    fail("argument", "`as_of` asks for an earlier state, which only a price store has.")
  }
  if (is_price_folder(source)) return(folder_reader(source, how$price))
  if (stored) {
    refuse_text_choices(how)
    return(store_reader(source, how))
  }
  if (is_wide_parquet(source)) return(parquet_reader(source, how))
  laid_out(source, how, bytes, folder, faults)
}

new_opened <- function(parts) structure(parts, class = "imbroglio_opened")

is_opened <- function(x) inherits(x, "imbroglio_opened")

memory_units <- c(KB = 1e3, MB = 1e6, GB = 1e9, TB = 1e12)

bytes_of <- function(memory) {
  parts <- if (is.character(memory) && length(memory) == 1L) {
    regmatches(memory, regexec("^ *([0-9.]+) *([KMGT]B) *$", memory, ignore.case = TRUE))[[1L]]
  }
  bytes <- if (length(parts)) {
    suppressWarnings(as.numeric(parts[2L])) * memory_units[[toupper(parts[3L])]]
  }
  if (!length(bytes) || is.na(bytes) || bytes < 1e5) {
    fail(
      "argument", "`memory` must be a size of 100 KB or more, such as \"500MB\" or \"2GB\".",
      where = sprintf("It is %s.", shown(memory))
    )
  }
  bytes
}

in_bytes <- function(bytes) {
  unit <- if (bytes >= 1e9) "GB" else "MB"
  sprintf("%s %s", format(signif(bytes / memory_units[[unit]], 3L), big.mark = ","), unit)
}

# ---- blocks ------------------------------------------------------------------------------------

bytes_a_security <- function(x) {
  8 * length(x$reader$dates) * (1 + length(x$reader$fields))
}

block_size <- function(x) max(2L, as.integer(min(x$memory / 10 / bytes_a_security(x), 1e6)))

# The securities of each block; a last one of a single security goes with the block before.
blocks_of <- function(x, size = block_size(x)) {
  n <- length(x$chosen)
  block <- (seq_len(n) - 1L) %/% size
  if (n > size && n %% size == 1L) block[n] <- block[n - 1L]
  unname(split(x$chosen, block))
}

# What a block took is given back before the next: R itself waits until much more is used. A fork
# ends with its block, and would copy all that it shares to look through it.
free_block <- function(x) {
  large <- block_size(x) * bytes_a_security(x) > 1e6
  if (large && !is_fork()) gc(verbose = FALSE)
}

# The table of some securities: prices as they are read and then whatever was asked for.
block_table <- function(x, wanted, others = NULL, of = length(x$chosen)) {
  table <- table_read(x, wanted)
  free_block(x)
  table$others <- others
  table$block <- of
  for (change in x$steps) table <- change(table)
  table
}

table_read <- function(x, wanted) {
  reader <- x$reader
  read <- reader$parted %||% reader$tables(wanted)
  structure(
    list(
      dates = reader$dates,
      close = read(reader$measured, wanted),
      origin = reader$origin,
      digest = digest_of_opened(x),
      universe = x$universe,
      fields = lapply(stats::setNames(nm = reader$fields), read, wanted),
      measured = reader$measured,
      actions = reader$actions[reader$actions$security %in% wanted, ],
      layout = reader$layout,
      about = x$about[match(wanted, x$about$security), ],
      repairs = reader$repairs
    ),
    class = c("imbroglio_prices", "imbroglio_panel")
  )
}

# Runs `work` on a table of each block, or on the table that it is.
over_tables <- function(x, work) {
  if (!is_opened(x)) return(work(x))
  for (wanted in blocks_of(x)) {
    work(block_table(x, wanted))
    free_block(x)
  }
}

# That of the whole table as it was opened, as digest_of() would have it.
digest_of_opened <- function(x) {
  known <- x$reader$digest
  if (!is.null(known)) return(known)
  x$steps <- list()
  x$chosen <- x$reader$securities
  core_text_later(function() {
    state <- table_hash(x$reader$dates, x$chosen)
    over_tables(x, function(table) state <<- core_hash_more(state, raw(), table$close))
    core_hash_value(state)
  })
}

# The same, with one more thing to be done to each block.
then_done <- function(x, step, ...) {
  changes <- list(...)
  x[names(changes)] <- changes
  x$steps <- c(x$steps, list(step))
  x
}

# The whole table of what was picked, where it fits: a table and what is made of it. `of`: how many
# the table had that it is read again from.
whole_table <- function(x, within = x$memory, others = NULL, of = NULL) {
  needs <- 5 * bytes_a_security(x) * length(x$chosen)
  # A block may always be read.
  if (needs > within && length(x$chosen) > block_size(x) + 1L) {
    fail(
      "memory",
      sprintf(
        "This needs all of %s at once, about %s; %s may be used.",
        count(length(x$chosen), "security", "securities"), in_bytes(needs), in_bytes(within)
      ),
      remedy = "Pick securities, give more `memory`, or measure what goes by security."
    )
  }
  block_table(x, x$chosen, others, of)
}

#' @exportS3Method as_prices imbroglio_opened
as_prices.imbroglio_opened <- function(x, ...) {
  refuse_others(...)
  if (!is.null(x$kind)) {
    fail("argument", "Prices cannot be made of returns.", remedy = "Open the source again.")
  }
  whole_table(x)
}

#' @export
dim.imbroglio_opened <- function(x) c(length(x$dates), length(x$chosen))

#' @export
dimnames.imbroglio_opened <- function(x) list(core_iso_days(x$dates), x$chosen)

#' @export
`[.imbroglio_opened` <- function(x, i, j, ...) {
  if (nargs() == 2L && !missing(i)) return(x[, i])
  if (!missing(i)) {
    fail(
      "argument", "Rows of an opened source are not picked by number.",
      remedy = "Choose dates by a span of them."
    )
  }
  if (missing(j)) return(x)
  x$chosen <- x$chosen[pick_securities(expand_groups(j, x), x$chosen)]
  x
}

#' @export
window.imbroglio_opened <- function(x, start = NULL, end = NULL, last = NULL, during = NULL,
                                    before = 0L, ...) {
  refuse_others(...)
  force(before)
  span <- span_of(x$dates, start, end, last, during)
  inside <- x$dates >= span$from & x$dates <= span$to
  if (!any(inside)) {
    fail(
      "too_short", sprintf("There is no date in the window from %s.", span$asked),
      where = sprintf("The prices run from %s to %s.", x$dates[1L], x$dates[length(x$dates)])
    )
  }
  then_done(x, function(table) {
    window(table, start = start, end = end, last = last, during = during, before = before)
  }, dates = x$dates[inside])
}

#' @export
print.imbroglio_opened <- function(x, ...) {
  size <- block_size(x)
  block <- min(size, length(x$chosen)) * bytes_a_security(x)
  cat(sprintf(
    "%s of %s on %s, %s to %s, in %s.\n",
    sentence_case(if (is.null(x$kind)) "prices" else paste(x$kind, "returns")),
    count(length(x$chosen), "security", "securities"), count(length(x$dates), "date"),
    x$dates[1L], x$dates[length(x$dates)], x$origin
  ))
  cat(sprintf(
    "Read in %s of %s, %s each; measuring may take %s.\n",
    count(length(blocks_of(x)), "block"),
    count(min(size, length(x$chosen)), "security", "securities"), in_bytes(block),
    in_bytes(x$memory)
  ))
  invisible(x)
}

# A block of which no security has a price in the span is passed over.
signal_empty_block <- function() {
  stop(structure(
    class = c("imbroglio_block_without_prices", "error", "condition"),
    list(message = "No security of the block has a price.", call = NULL)
  ))
}
