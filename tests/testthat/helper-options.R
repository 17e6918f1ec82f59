walked <- function() {
  set.seed(8)
  days <- as.Date("2021-01-01") + seq_len(300)
  days <- days[!as.POSIXlt(days)$wday %in% c(0, 6)]
  r <- matrix(rt(length(days) * 3, 4) * 0.01, ncol = 3)
  r[, 2:3] <- r[, 2:3] + r[, 1]
  p <- round(100 * exp(apply(r, 2, cumsum)), 4)
  p[1:40, 3] <- NA
  p[60:63, 2] <- NA
  list(
    file = written(
      "date,INDEXX,SHAREX,NEWXXX",
      paste(days, p[, 1], p[, 2], ifelse(is.na(p[, 3]), "", p[, 3]), sep = ",")
    ),
    limits = written(
      "of,measure,limit", "book,var,0.1%", "book,fall,1%", "book,beta,0.1", "book,loss,90%"
    ),
    before = written("security,measure,state", "BOOK,var,near"),
    held = written("security,shares", "SHAREX,3", "INDEXX,2")
  )
}
