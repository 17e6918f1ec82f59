# How a fit ended: inside its family, at one of its limits, or failed, and then why.

# `ended` as core_fit_family() tells it, of samples of n.
state_of_ended <- function(record, ended, n) {
  why <- c(
    "too many returns are alike",
    "the likelihood grows towards an edge of the family",
    "no member of the family has these moments"
  )
  said <- rep("inside", length(ended))
  failed <- ended < 0L
  few <- ended %in% -1L
  said[failed] <- paste("failed:", why[pmax(1L, -ended[failed] - 1L)])
  said[few] <- ifelse(
    n[few] < 20L,
    sprintf("failed: %s, 20 are wanted", count(n[few], "return")),
    "failed: fewer than 10 different returns"
  )
  limit <- which(ended > 0L)
  said[limit] <- sprintf(
    "at its %s limit",
    vapply(record$limits[ended[limit]], function(name) family_record(name)$in_words, "")
  )
  said
}

has_failed <- function(state) startsWith(state, "failed") %in% TRUE
at_a_limit <- function(state) startsWith(state, "at its") %in% TRUE

# One security's fit: the record whose parameters were found, the family's own or its limit's,
# these with their errors, and how it ended. `j`: a column or its name.
fit_of_security <- function(fit, record, j) {
  ended <- fit$ended[[j]]
  own <- if (ended > 0L) family_record(record$limits[[ended]]) else record
  of_row <- function(m) stats::setNames(m[j, seq_along(own$parameters)], own$parameters)
  list(
    record = own,
    at = of_row(fit$estimate),
    error = of_row(fit$error),
    limit = max(ended, 0L),
    state = fit$state[[j]]
  )
}

# What the basis says of fits that did not end inside.
states_choice <- function(state, security) {
  if (is.null(state) && !under_way$blocks) return(NULL)
  told_together(stats::setNames(as.character(state), security[seq_along(state)]), states_words)
}

states_words <- function(state) {
  said <- c("at a limit" = sum(at_a_limit(state)), failed = sum(has_failed(state)))
  said <- said[said > 0L]
  if (length(said)) {
    of <- count(sum(!is.na(state)))
    c(fits = paste(sprintf("%s of %s %s", said, of, names(said)), collapse = ", "))
  }
}

warn_failed_fits <- function(security, what, state) {
  failed <- which(has_failed(state))
  if (!length(failed)) return(invisible())
  named <- paste(what, "for", security)[failed]
  caution(
    "not_converged",
    sprintf("%s failed: %s.", count(length(failed), "fit"), some(named)),
    remedy = sprintf("%s: %s.", named[1L], sub("^failed: ", "", state[failed[1L]]))
  )
}

# What is said after a sentence of a fit at a limit.
limit_sentence <- function(method, state) {
  ifelse(at_a_limit(state), sprintf(" Its fit (%s) is %s.", method, state), "")
}
