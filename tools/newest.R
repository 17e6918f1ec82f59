# Installs the newest versions of all that DESCRIPTION names, and of what those need, into the
# library named, and tells which they are.
library <- commandArgs(trailingOnly = TRUE)[1L]
if (getOption("repos")[["CRAN"]] == "@CRAN@") utils::chooseCRANmirror(graphics = FALSE, ind = 1L)
fields <- read.dcf("DESCRIPTION", c("Imports", "LinkingTo", "Suggests"))
named <- unique(gsub("\\s|[(].*", "", unlist(strsplit(fields, ","))))
offered <- utils::available.packages()
base <- rownames(utils::installed.packages(.Library, priority = "base"))
wanted <- setdiff(named, base)
needed <- tools::package_dependencies(wanted, offered, recursive = TRUE)
all <- setdiff(unique(c(wanted, unlist(needed))), base)
have <- utils::installed.packages(library)
old <- setdiff(all, rownames(have)[have[, "Version"] == offered[rownames(have), "Version"]])
utils::install.packages(
  intersect(old, rownames(offered)),
  lib = library,
  Ncpus = max(1L, parallel::detectCores()),
  quiet = TRUE
)
have <- utils::installed.packages(library)[, "Version"]
cat(sprintf("%s %s\n", names(have), have), sep = "")
missing <- setdiff(wanted, names(have))
if (length(missing)) cat("Not to be had for this R:", missing, "\n")
