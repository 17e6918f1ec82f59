# Prints which of the packages named cannot be found.
packages <- commandArgs(trailingOnly = TRUE)
cat(packages[!nzchar(vapply(packages, function(p) system.file(package = p), ""))])
