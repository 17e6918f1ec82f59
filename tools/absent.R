# Prints which of the packages named cannot be found, or are older than DESCRIPTION asks for.
packages <- commandArgs(trailingOnly = TRUE)
asked <- unlist(strsplit(read.dcf("DESCRIPTION", c("Imports", "LinkingTo", "Suggests")), ","))
least <- stats::setNames(
  ifelse(grepl("(", asked, fixed = TRUE), gsub(".*>= *|\\).*", "", asked), "0"),
  gsub("\\s|\\(.*", "", asked)
)
serves <- function(package) {
  wanted <- least[names(least) == package]
  nzchar(system.file(package = package)) &&
    all(vapply(wanted, function(w) utils::packageVersion(package) >= w, NA))
}
cat(packages[!vapply(packages, serves, NA)])
