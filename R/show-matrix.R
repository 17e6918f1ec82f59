# Correlations of few securities as the matrix that one reads, below its diagonal.

most_in_matrix <- 20L

reads_as_matrix <- function(result) {
  if (!inherits(result, "imbroglio_correlation") || !is.null(result[["window"]])) return(FALSE)
  securities <- unique(c(result$security, result$other))
  length(securities) %in% 3:most_in_matrix &&
    nrow(result) == length(securities) * (length(securities) - 1) / 2
}

matrix_lines <- function(result) {
  securities <- unique(c(result$security, result$other))
  n <- length(securities)
  r <- matrix("", n, n)
  at <- cbind(match(result$other, securities), match(result$security, securities))
  upper <- at[, 1L] < at[, 2L]
  at[upper, ] <- at[upper, 2:1]
  written <- ifelse(is.na(result$correlation), "-", sprintf("%.2f", result$correlation))
  written <- sub("^-0.00$", "0.00", written)
  # Of many, without the nought before the point.
  if (n > 16L) written <- sub("^(-?)0[.]", "\\1.", written)
  r[at] <- written
  diag(r) <- "1"
  names_shown <- sprintf("%s %s", formatC(seq_len(n), width = nchar(n)), visible(securities))
  width <- max(nchar(written), nchar(n))
  cells <- rbind(seq_len(n), r)
  cells <- apply(cells, 2L, formatC, width = width)
  body <- apply(cells, 1L, paste, collapse = " ")
  name <- formatC(c("", names_shown), width = -max(nchar(names_shown)), flag = "-")
  c(
    sub(" +$", "", paste(name, body)),
    "",
    "--format csv gives each pair, with its interval and covariance."
  )
}
