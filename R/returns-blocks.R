# What is measured of an opened source: each block by itself, and the rows and bases put together
# as those of the whole table.

# The function that this is called in, of each block of the opened source that it was given; `...`:
# arguments that are another for the blocks.
over_blocks <- function(...) {
  called <- called_with()
  changed <- list(...)
  called$given[names(changed)] <- changed
  measured_in_blocks(called)
}

measured_in_blocks <- function(called) {
  given <- called$given
  at <- which(vapply(given, is_opened, NA))
  x <- given[[at[1L]]]
  # What else is opened is a benchmark.
  given[at[-1L]] <- lapply(given[at[-1L]], as_prices)
  beside <- securities_beside(x, given)
  x$asked <- if (!is.null(x$resume)) key_of_call(called$measure, given[-at])
  size <- max(size_by_plan(x), 2L + length(beside))
  found <- measured_blocks(x, blocks_of(x, size), beside, function(block) {
    given[[at[1L]]] <- block
    do.call(called$measure, given)
  })
  if (is.matrix(found$made[[1L]])) return(do.call(cbind, found$made))
  result <- results_together(found, x)
  in_blocks(result, called, found$others)
}

# Rows that are written as they come take several times their prices; workers share the memory of
# their machine, and each has several blocks; to begin a job takes seconds.
size_by_plan <- function(x) {
  if (!is.null(under_way$sink)) return(block_size(x) %/% 10L)
  workers <- workers_in_plan()
  if (workers < 2L) return(block_size(x))
  each <- if (is_scheduled()) 2L else 8L
  min(block_size(x) %/% workers_beside(), ceiling(length(x$chosen) / (each * workers)))
}

# What is to be measured again where a working or a figure wants the table.
in_blocks <- function(result, called, others = NULL) {
  attr(result, "measured_by") <- c(called, list(others = others))
  class(result) <- unique(c("imbroglio_in_blocks", class(result)))
  result
}

# The securities that each block is measured beside: benchmarks, the risk-free return.
securities_beside <- function(x, given) {
  named <- Filter(is.character, given[names(given) %in% c("benchmark", "risk_free")])
  named <- expand_groups(unlist(named, use.names = FALSE), x)
  if (length(named)) x$chosen[pick_securities(named, x$chosen)]
}

# What `measure` makes of each block, less the rows of what stood beside it: one after the other,
# or by the plan that is set. The first blocks say what a security with one price goes by.
measured_blocks <- function(x, blocks, beside, measure) {
  # Of rows that are written as they come nothing is kept.
  if (!is.null(under_way$sink)) x$asked <- NULL
  n <- length(blocks)
  heard <- new_hearing(n)
  found <- vector("list", n)
  others <- NULL
  bar <- progress_bar("Blocks", total = n)
  take <- function(i, one) {
    heard$keep(one$said)
    under_way$strange <- union(under_way$strange, one$strange)
    others <<- others %||% one$others
    found[[i]] <<- one
    if (one$state == "done") progress_step(bar)
  }
  # What no security of a block has enough prices for, those of another block may have.
  ask <- function(i, at_last = FALSE) {
    done <- Find(function(one) length(one$own) > 0L, found)
    take(i, measured_block(x, blocks[[i]], beside, measure, others, at_last, done$own[1L]))
  }
  next_one <- 1L
  while (next_one <= n && is.null(others)) {
    ask(next_one)
    next_one <- next_one + 1L
  }
  rest <- seq_len(n)[seq_len(n) >= next_one]
  if (length(rest) > 1L && !isTRUE(x$reader$local)) {
    does <- worker_of_blocks(x, beside, measure, others)
    for (some_blocks in at_a_time(rest)) {
      made <- done_by_plan(stats::setNames(blocks[some_blocks], some_blocks), does, lost_block)
      for (i in some_blocks) take(i, written_here(made[[as.character(i)]], x))
    }
  } else {
    for (i in rest) ask(i)
  }
  state <- vapply(found, `[[`, "", "state")
  for (i in which(state %in% c("waiting", "short"))) ask(i, at_last = TRUE)
  progress_done(bar)
  blocks_together(found, heard, others, x)
}

# All, or of rows that are written as they come one for each worker: what waits to be written is
# half of the memory at most.
at_a_time <- function(blocks) {
  if (is.null(under_way$sink)) return(list(blocks))
  split(blocks, (seq_along(blocks) - 1L) %/% min(workers_in_plan(), 10L))
}

# Rows that a worker measured, where they are written as they come.
written_here <- function(one, x) {
  if (one$state == "done") one$made <- written_of(one$made, x)
  one
}

blocks_together <- function(found, heard, others, x) {
  state <- vapply(found, `[[`, "", "state")
  if (any(state == "short")) stop(found[[which(state == "short")[1L]]]$error)
  heard$say()
  lost <- lapply(found[state == "lost"], `[[`, "own")
  if (length(lost)) {
    caution("lost", sprintf(
      "%s missing: what measured %s ended, three times.",
      count(length(unlist(lost)), "security is", "securities are"), some(unlist(lost))
    ), remedy = "Is there room in memory? Give less of it to `memory`, or fewer workers.")
  }
  found <- found[state == "done"]
  if (!length(found)) {
    fail("too_short", sprintf("No security of %s has prices for this.", x$origin))
  }
  list(
    made = lapply(found, `[[`, "made"), own = lapply(found, `[[`, "own"),
    told = lapply(found, `[[`, "told"), others = others
  )
}

# Sent to a worker, with what a user registered and nothing else of here.
worker_of_blocks <- function(x, beside, measure, others) {
  force(list(x, beside, measure, others))
  registered <- lapply(registries(), as.list)
  # So that sentences are broken as here.
  written <- list(
    cli.width = cli::console_width(), cli.unicode = cli::is_utf8_output(),
    cli.condition_width = getOption("cli.condition_width")
  )
  function(own) {
    Map(list2env, registered, registries())
    options(written)
    # Rows are written where the others are, too.
    sink <- under_way$sink
    on.exit(under_way$sink <- sink)
    under_way$sink <- NULL
    measured_block(x, own, beside, measure, others)
  }
}

lost_block <- function(own, why) list(state = "lost", own = own)

# What is made of one block, and all that was said meanwhile. `state`: "done"; "empty", where none
# has a price in the span; "waiting", where it is not known yet what a security with one price goes
# by; "short", where none has enough prices, also beside `more`.
measured_block <- function(x, own, beside, measure, others, at_last = FALSE, more = NULL) {
  before <- mget(c("blocks", "told", "strange"), under_way, ifnotfound = list(NULL))
  on.exit(list2env(before, under_way))
  list2env(list(blocks = TRUE, told = NULL, strange = NULL), under_way)
  heard <- list()
  hear <- function(restart) {
    function(said) {
      # The call holds the table of the block.
      said$call <- said$trace <- NULL
      heard[[length(heard) + 1L]] <<- said
      invokeRestart(restart)
    }
  }
  tried <- function(more) {
    # The digest of all is none of a block, and to take it may be to read all.
    table <- altered(block_table(x, unique(c(own, beside, more)), others), digest = NULL)
    known <- others %||% first_frequency(table)
    if (is.null(known) && !at_last) return(list(state = "waiting"))
    kept <- kept_block(x, table, own)
    if (!is.null(kept$before)) {
      heard <<- kept$before$said
      under_way$strange <- kept$before$strange
      return(kept$before$one)
    }
    result <- measure(table)
    own <- intersect(own, colnames(table))
    one <- list(
      state = "done", made = kept_of(result, own, x), own = own, told = under_way$told,
      others = known
    )
    kept$keep(list(one = one, said = heard, strange = under_way$strange))
    one
  }
  one <- tryCatch(
    withCallingHandlers(
      tryCatch(tried(NULL), imbroglio_error_too_short = function(e) {
        if (is.null(more)) stop(e)
        tried(more)
      }),
      imbroglio_note = hear("muffleMessage"), imbroglio_warning = hear("muffleWarning")
    ),
    imbroglio_block_without_prices = function(e) list(state = "empty"),
    imbroglio_error_too_short = function(e) list(state = "short", error = e)
  )
  one$said <- heard
  one$strange <- under_way$strange
  free_block(x)
  one
}

# What is asked of each block, as a key: functions by what they say, since R changes how it keeps
# them.
key_of_call <- function(measure, given) {
  said <- function(v) {
    if (is.function(v)) return(deparse(v))
    if (is.environment(v)) v <- as.list(v, sorted = TRUE)
    if (is.list(v)) lapply(unclass(v), said) else v
  }
  digest::digest(
    list(
      said(measure), said(given), said(registries()),
      own_version()
    ),
    algo = "xxhash64"
  )
}

# What came of a block in a run before, by all that it was made of; and how to keep it for the
# next.
kept_block <- function(x, table, own) {
  if (is.null(x$asked)) return(list(keep = identity))
  key <- digest::digest(list(x$asked, own, unclass(table)), algo = "xxhash64")
  file <- file.path(x$resume, paste0(key, ".rds"))
  before <- if (file.exists(file)) tryCatch(readRDS(file), error = function(e) NULL)
  list(before = before, keep = function(made) {
    new <- tempfile("block", x$resume)
    saveRDS(made, new, compress = FALSE)
    file.rename(new, file)
  })
}

# A security with fewer than two prices goes by the frequency of the others: the first of the
# whole table that is known.
first_frequency <- function(table) {
  frequency <- table$frequency %||% frequencies_of(table$dates, table$close)
  known <- which(!is.na(frequency$usual) | !is.null(table$stated))
  if (length(known)) lapply(frequency[c("every", "per_year")], function(f) f[[known[1L]]])
}

# What is kept of a block: nothing of rows that are written as they come.
kept_of <- function(result, own, x) written_of(of_own(result, own), x)

written_of <- function(kept, x) {
  if (is.null(under_way$sink) || is.matrix(kept)) return(kept)
  if (length(slower_than_security(kept$columns))) {
    fail(
      "argument",
      "Rows are written as they come, and would come in another order.",
      remedy = "Ask for one method, one window and one level at a time."
    )
  }
  under_way$sink(kept$columns, x)
  kept$columns <- lapply(kept$columns, `[`, 0L)
  kept
}

# Rows of a result, or columns of a matrix; of a result its columns and its basis, without the
# table that they were measured on.
of_own <- function(made, own) {
  if (is.matrix(made)) return(made[, colnames(made) %in% own, drop = FALSE])
  keep <- made$security %in% own
  columns <- as.list(as.data.frame(made))
  if (!all(keep)) columns <- lapply(columns, `[`, keep)
  about <- attr(made, "basis")
  asked <- attr(about, "asked")
  asked$x <- without_numbers(asked$x)
  attr(about, "asked") <- asked
  list(columns = columns, basis = about, measure = attr(made, "measure"))
}

without_numbers <- function(x) {
  if (inherits(x, "imbroglio_prices")) {
    return(altered(x, close = NULL, fields = list(), read = NULL, others = NULL, block = NULL))
  }
  prices <- if (!is.null(x$prices)) without_numbers(x$prices)
  altered(x, values = NULL, prices = prices)
}

# Notes and warnings of several blocks: each text once, three of a kind, the others counted. That
# no security has as many returns as a window is said where no block has one.
new_hearing <- function(blocks) {
  said <- list()
  short <- 0L
  keep <- function(condition) {
    if (inherits(condition, "imbroglio_warning_window")) {
      short <<- short + 1L
      if (short < blocks) return(invisible())
    }
    text <- conditionMessage(condition)
    if (!text %in% vapply(said, conditionMessage, "")) said[[length(said) + 1L]] <<- condition
  }
  list(
    keep = function(conditions) for (condition in conditions) keep(condition),
    say = function() {
      kinds <- vapply(said, function(c) class(c)[1L], "")
      for (kind in unique(kinds)) {
        own <- said[kinds == kind]
        for (c in utils::head(own, 3L)) if (inherits(c, "warning")) warning(c) else message(c)
        more <- length(own) - 3L
        if (more <= 0L) next
        text <- sprintf("%s like the last, of other securities.", count(more, "more", "more"))
        if (inherits(own[[1L]], "warning")) caution("more", text) else note("more", text)
      }
    }
  )
}
