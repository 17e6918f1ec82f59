# Work in pieces, side by side: by the plan of the package future that is set (this machine's
# processes, other machines, a scheduler), or one piece after the other where none is.

# `does(piece)` of each piece, by the names of `pieces`. A worker that dies has its piece done
# again; a piece of which three died is `lost(piece, why)`. `told(name)` is called as each is done.
done_by_plan <- function(pieces, does, lost, told = function(name) NULL) {
  told <- with_progress(length(pieces), told)
  if (length(pieces) < 2L || workers_in_plan() < 2L) {
    return(Map(function(piece, name) {
      on.exit(told(name))
      does(piece)
    }, pieces, names(pieces)))
  }
  without_warning_of("mccollect", done_side_by_side(pieces, does, lost, told))
}

# Functions without arguments, whose work is too large to send: side by side by forks, else one
# after the other.
done_by_forks <- function(works) {
  forks <- workers_in_plan() > 1L && inherits(future::plan("list")[[1L]], "multicore")
  if (!forks) return(lapply(works, function(work) work()))
  does <- function(work) work()
  lost <- function(work, why) {
    fail("write", "A process that wrote ended, three times.", where = why)
  }
  without_warning_of("mccollect", done_side_by_side(works, does, lost))
}

# Of those who asked to see progress by the package progressr, wherever pieces are done.
with_progress <- function(pieces, told) {
  force(told)
  if (!"progressr" %in% loadedNamespaces()) return(told)
  shown <- progressr::progressor(steps = pieces, envir = parent.frame())
  function(name) {
    told(name)
    shown(name)
  }
}

done_side_by_side <- function(pieces, does, lost, told = function(name) NULL) {
  workers <- workers_in_plan()
  beside <- workers_beside()
  pause <- if (is_scheduled()) 0.5 else 0.005
  begun <- tries <- done <- list()
  died <- character()
  begin <- function(name) {
    tries[[name]] <<- (tries[[name]] %||% 0L) + 1L
    begun[name] <<- list(begun_in_time(
      function() begin_piece(pieces[[name]], does, beside), last = tries[[name]] >= 3L
    ))
  }
  take <- function(name) {
    made <- alive(future::value(begun[[name]]))
    begun[name] <<- NULL
    if (!is.null(made$error)) stop(made$error)
    came <- "value" %in% names(made)
    if (!came && tries[[name]] < 3L) {
      died <<- c(died, name)
      return()
    }
    done[name] <<- if (came) made["value"] else list(lost(pieces[[name]], made$why))
    told(name)
  }
  take_ready <- function() {
    for (name in names(begun)) {
      if (!isFALSE(alive(future::resolved(begun[[name]])))) take(name)
    }
    if (!length(died)) return()
    # The workers of a cluster are begun anew, once the others are done.
    if (inherits(future::plan("list")[[1L]], "cluster")) {
      for (name in names(begun)) take(name)
      same <- future::plan("list")
      future::plan(same)
    }
    again <- died
    died <<- character()
    for (name in again) begin(name)
  }
  waiting <- names(pieces)
  while (length(waiting) || length(begun)) {
    # No more than there are workers: to wait for one is not left to each kind of plan.
    free <- utils::head(waiting, max(0L, workers - length(begun)))
    waiting <- setdiff(waiting, free)
    for (name in free) begin(name)
    take_ready()
    Sys.sleep(pause)
  }
  done[names(pieces)]
}

# A scheduler may not know for a moment what became of its jobs. NULL where it could not be begun,
# as with a dead worker of a cluster; the `last` time that is an error.
begun_in_time <- function(begin, last) {
  for (i in seq_len(if (is_scheduled()) 3L else 1L)) {
    if (i > 1L) Sys.sleep(2)
    begun <- tryCatch(begin(), error = identity)
    if (!inherits(begun, "error")) return(begun)
  }
  if (last) stop(begun)
}

# What goes wrong here is of a worker or on the way to it; what goes wrong with a piece is caught
# where it is done.
alive <- function(code) tryCatch(code, error = function(e) list(why = conditionMessage(e)))

# That a fork ended is seen to.
without_warning_of <- function(caller, code) {
  withCallingHandlers(code, warning = function(w) {
    if (grepl(caller, deparse(conditionCall(w))[1L], fixed = TRUE)) invokeRestart("muffleWarning")
  })
}

begin_piece <- function(piece, does, beside) {
  here <- vapply(c("LC_CTYPE", "LC_COLLATE"), Sys.getlocale, "")
  future::future(
    quote(as_there(here, with_threads(beside, tryCatch(
      list(value = does(piece)), error = function(e) list(error = e)
    )))),
    substitute = FALSE, seed = NULL,
    globals = list(
      as_there = as_there, with_threads = with_threads, here = here, beside = beside,
      does = does, piece = piece
    ),
    packages = "imbroglio"
  )
}

# What is written depends on the letters that there are: a worker of another machine often begins
# with those of ASCII only.
as_there <- function(locale, code) {
  before <- vapply(names(locale), Sys.getlocale, "")
  set <- function(locale) {
    for (part in names(locale)) {
      done <- suppressWarnings(Sys.setlocale(part, locale[[part]]))
      if (!nzchar(done) && grepl("UTF-?8", locale[[part]], ignore.case = TRUE)) {
        suppressWarnings(Sys.setlocale(part, "C.UTF-8"))
      }
    }
  }
  if (identical(before, locale)) return(code)
  on.exit(set(before))
  set(locale)
  code
}

# One worker is no more than this process. A plan that is set goes before what a command asks for.
workers_in_plan <- function() {
  asked <- getOption("imbroglio.workers", 1L)
  if (asked > 1L && requireNamespace("future", quietly = TRUE)) {
    if (inherits(future::plan("list")[[1L]], "sequential")) plan_of_processes(asked)
  }
  if (!"future" %in% loadedNamespaces()) return(1L)
  workers <- future::nbrOfWorkers()
  # A scheduler has as many as one asks for.
  if (is.finite(workers)) as.integer(workers) else 100L
}

plan_of_processes <- function(workers) {
  kind <- if (parallelly::supportsMulticore()) future::multicore else future::multisession
  future::plan(kind, workers = workers)
}

# Jobs of a scheduler, each of which begins a process of its own.
is_scheduled <- function() inherits(future::plan("list")[[1L]], "batchtools")

# How many workers share the machine of one.
workers_beside <- function() {
  if (workers_in_plan() < 2L) return(1L)
  if (is_scheduled()) return(1L)
  plan <- future::plan("list")[[1L]]
  if (inherits(plan, "cluster") && !inherits(plan, "multisession")) {
    hosts <- eval(formals(plan)$workers, environment(plan))
    if (is.character(hosts)) return(max(table(hosts)))
  }
  workers_in_plan()
}

# Workers times threads are no more than the cores of their machine. The threads of a process do
# not live on in its forks.
with_threads <- function(beside, code) {
  before <- Sys.getenv("RCPP_PARALLEL_NUM_THREADS", NA)
  on.exit(if (is.na(before)) {
    Sys.unsetenv("RCPP_PARALLEL_NUM_THREADS")
  } else {
    Sys.setenv(RCPP_PARALLEL_NUM_THREADS = before)
  })
  # Not as one worker of several, which may have one.
  cores <- parallelly::availableCores(methods = c("Slurm", "nproc", "system"))
  Sys.setenv(RCPP_PARALLEL_NUM_THREADS = if (is_fork()) 1L else max(1L, cores %/% beside))
  code
}

is_fork <- function() "parallelly" %in% loadedNamespaces() && parallelly::isForkedChild()

# What a user registered, which a worker does not know by itself.
registries <- function() {
  kinds <- c("registered_families", "registered_estimators", "registered_var_methods")
  unname(mget(kinds, asNamespace("imbroglio")))
}
