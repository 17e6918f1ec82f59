# Installs packages from CRAN into the first library that can be written, the
# checkout's own (the first argument) being the last resort; with ONLY_THERE=yes into that alone.
arguments <- commandArgs(trailingOnly = TRUE)
libraries <- c(setdiff(.libPaths(), normalizePath(arguments[1L])), arguments[1L])
into <- libraries[file.access(libraries, 2L) == 0L][1L]
if (nzchar(Sys.getenv("ONLY_THERE"))) into <- arguments[1L]
if (getOption("repos")[["CRAN"]] == "@CRAN@") utils::chooseCRANmirror(graphics = FALSE, ind = 1L)
install.packages(
  arguments[-1L],
  lib = into,
  Ncpus = max(1L, parallel::detectCores()),
  quiet = TRUE
)
