# Every R file by .lintr, several at a time.
folders <- c("R", "tests", "tools", "bench", "data-raw", "inst/examples")
files <- list.files(folders, "[.]R$", full.names = TRUE, recursive = TRUE)
files <- setdiff(files, "R/RcppExports.R")
invisible(loadNamespace("lintr"))
lints <- parallel::mclapply(files, lintr::lint, mc.cores = max(1L, parallel::detectCores()))
for (of_file in lints) if (length(of_file)) print(of_file)
quit(status = as.integer(!all(vapply(lints, inherits, NA, "lints")) || any(lengths(lints) > 0L)))
