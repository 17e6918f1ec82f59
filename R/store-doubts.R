# What a person who looked at it would doubt in prices that arrive, seen beside what is held.

# Prices further apart than this from one day to the next, and values restated by more.
far_apart <- 3
far_restated <- 1.5

# Days before and after what came that are looked at.
days_beside <- 7L

no_doubts <- data.frame(
  security = character(), date = as.Date(character()), doubt = character(), detail = character()
)

doubt <- function(security, day, kind, detail) {
  if (!length(security)) return(NULL)
  data.frame(security = security, date = .Date(as.numeric(day)), doubt = kind, detail = detail)
}

# `met`: whether there was anything of these securities before; `named`: whether what came is all
# that comes, so that a name that is missing says something.
doubts_of <- function(connection, address, addition, ids, changed, met, named = TRUE) {
  called <- function(id) names(ids)[match(id, ids)]
  found <- list(
    if (named) doubted_names(connection, ids), doubted_former(connection, ids),
    doubted_told(connection, ids, addition, called)
  )
  if (met && NROW(changed)) {
    came <- came_with(connection, addition)
    beside <- rows_beside(connection, address, came[came$new, ])
    found <- c(found, list(
      doubted_restated(came, called), doubted_exchanged(came, called),
      doubted_jumps(connection, came, beside, called),
      doubted_repeats(came, beside), doubted_days(came, beside, called),
      doubted_ended(connection, came, called)
    ))
  }
  list(
    doubts = do.call(rbind, c(list(no_doubts), found)),
    furthest = if (met && NROW(changed)) furthest_restated(came, called)
  )
}

# How far the prices of each security were restated at most.
furthest_restated <- function(came, called) {
  came <- came[came$restated, ]
  if (!nrow(came)) return(NULL)
  by <- came$price / came$before - 1
  at <- order(came$security_id, -abs(by))
  at <- at[!duplicated(came$security_id[at])]
  stats::setNames(by[at], called(came$security_id[at]))
}

# The prices that an addition brought, with what they replaced.
came_with <- function(connection, addition) {
  came <- DBI::dbGetQuery(connection, sprintf(
    "select p.security_id, p.day, coalesce(p.close, p.adjusted) as price, b.day as replaced,
       case when p.close is null then b.adjusted else b.close end as before
     from prices p left join prices_before b on b.security_id = p.security_id
       and b.day = p.day and b.replaced_in = p.addition
     where p.addition = %d and coalesce(p.close, p.adjusted) is not null
     order by p.security_id, p.day", addition
  ))
  came[] <- lapply(came, as.numeric)
  came$new <- is.na(came$before)
  came$restated <- !came$new & came$before != came$price
  came
}

# What is held of the same securities about the days that are new, with those.
rows_beside <- function(connection, address, fresh) {
  if (!nrow(fresh)) return(NULL)
  ids <- unique(fresh$security_id)
  of <- if (length(ids) <= 500L) of_ids(ids) else "true"
  from <- min(fresh$day) - days_beside
  to <- max(fresh$day) + days_beside
  rows <- live_rows(
    connection, address, sprintf("day between %.0f and %.0f and %s", from, to, of),
    sprintf("last_day >= %.0f and first_day <= %.0f and %s", from, to, of)
  )
  keep <- rows$day >= from & rows$day <= to & rows$security_id %in% ids
  rows <- data.frame(
    id = rows$security_id, day = rows$day, is_close = !is.na(rows$close),
    price = ifelse(is.na(rows$close), rows$adjusted, rows$close)
  )[keep, ]
  rows <- rows[!is.na(rows$price), ]
  rows$new <- order_key(rows$id, rows$day) %in% order_key(fresh$security_id, fresh$day)
  n <- nrow(rows)
  follows <- c(FALSE, rows$id[-1L] == rows$id[-n])
  follows <- follows & rows$day - c(0, rows$day[-n]) <= days_beside
  rows$last <- ifelse(follows, c(NA, rows$price[-n]), NA)
  rows$after <- ifelse(follows, c(NA, rows$day[-n]), NA)
  rows$meets <- follows & (rows$new | c(FALSE, rows$new[-n]))
  rows
}

doubted_jumps <- function(connection, came, beside, called) {
  if (is.null(beside)) return(NULL)
  ratio <- beside$price / beside$last
  far <- which(beside$meets & (ratio > far_apart | ratio < 1 / far_apart))
  if (!length(far)) return(NULL)
  rows <- beside[far, ]
  splits <- DBI::dbGetQuery(connection, sprintf(
    "select security_id, day, split from actions where split is not null and %s",
    of_ids(unique(rows$id))
  ))
  told <- vapply(seq_len(nrow(rows)), function(i) {
    own <- splits$security_id == rows$id[i] & splits$day > rows$after[i] &
      splits$day <= rows$day[i]
    prod(as.numeric(splits$split[own & rows$is_close[i]]))
  }, 0)
  ratio <- ratio[far] * told
  still <- ratio > far_apart | ratio < 1 / far_apart
  rows <- rows[still, ]
  doubt(called(rows$id), rows$day, "jump", sprintf(
    "%s is %s the price of %s, %s", exact_price(rows$price), as_multiple(ratio[still]),
    .Date(rows$after), exact_price(rows$last)
  ))
}

exact_price <- function(x) core_shortest(as.numeric(x))

as_multiple <- function(ratio) {
  paste(signif(ratio, 3L), ifelse(ratio > 1, "times", "of"))
}

# One line a security: of the furthest.
doubted_restated <- function(came, called) {
  came <- came[came$restated, ]
  ratio <- came$price / came$before
  came$away <- abs(log(ratio))
  far <- came[which(came$away > log(far_restated)), ]
  if (!nrow(far)) return(NULL)
  n <- table(far$security_id)
  far <- far[order(far$security_id, -far$away), ]
  first <- far[!duplicated(far$security_id), ]
  n <- as.integer(n[as.character(first$security_id)])
  doubt(called(first$security_id), first$day, "restated", sprintf(
    "%s from %s to %s, %s what it was",
    ifelse(n == 1L, "restated", paste(count(n, "price"), "restated by more than half, one")),
    exact_price(first$before), exact_price(first$price),
    as_multiple(first$price / first$before)
  ))
}

# What now is one security's was another's.
doubted_exchanged <- function(came, called) {
  came <- came[came$restated, ]
  if (length(unique(came$security_id)) < 2L) return(NULL)
  key <- function(day, price) paste(day, exact_price(price))
  was <- key(came$day, came$before)
  is <- key(came$day, came$price)
  found <- lapply(unique(came$security_id), function(id) {
    own <- came$security_id == id
    others <- unique(came$security_id[!own & was %in% is[own]])
    same <- Filter(function(o) all(is[own] %in% was[came$security_id == o]), others)
    if (length(same)) {
      doubt(called(id), came$day[own][1L], "exchanged", sprintf(
        "%s restated to what %s had", count(sum(own), "price"), called(same[1L])
      ))
    }
  })
  do.call(rbind, found)
}

# A day on which three or more have the price of the day before, and none another.
doubted_repeats <- function(came, beside) {
  if (is.null(beside)) return(NULL)
  rows <- beside[beside$new & !is.na(beside$last), ]
  if (nrow(rows) < 3L) return(NULL)
  same <- tapply(rows$price == rows$last, rows$day, all)
  n <- tapply(rows$day, rows$day, length)
  again <- as.numeric(names(which(same & n >= 3L)))
  after <- rows$after[match(again, rows$day)]
  doubt(rep(NA_character_, length(again)), again, "repeated", sprintf(
    "all %s are those of %s", count(as.integer(n[as.character(again)]), "price"), .Date(after)
  ))
}

doubted_days <- function(came, beside, called) {
  if (is.null(beside)) return(NULL)
  later <- unique(came$day[came$new & came$day > as.numeric(Sys.Date()) + 1])
  held <- beside[!beside$new, ]
  off <- unique(came$day[came$new & is_weekend(came$day)])
  if (!NROW(held) || any(is_weekend(held$day))) off <- numeric()
  rbind(
    doubt(rep(NA_character_, length(later)), later, "future", rep(
      sprintf("it is %s today", Sys.Date()), length(later)
    )),
    doubt(rep(NA_character_, length(off)), off, "weekend", sprintf(
      "a %s; what is held about it are weekdays", weekday_names[(off + 3) %% 7 + 1]
    ))
  )
}

# Whatever language the machine speaks.
weekday_names <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

is_weekend <- function(day) (day + 3) %% 7 >= 5

doubted_ended <- function(connection, came, called) {
  ended <- DBI::dbGetQuery(connection, "select id, ended from securities where ended is not null")
  end <- as.numeric(ended$ended[match(came$security_id, ended$id)])
  rows <- came[which(came$day > end), ]
  end <- end[which(came$day > end)]
  first <- !duplicated(rows$security_id)
  doubt(called(rows$security_id[first]), rows$day[first], "ended", sprintf(
    "it ended on %s", .Date(end[first])
  ))
}

# A security that is new, and has nearly the name of one that is held and did not come.
doubted_names <- function(connection, ids) {
  fresh <- setdiff(attr(ids, "entered"), former_names(connection)$before)
  nearly_named(connection, fresh, attr(ids, "arrived"))
}

# One that comes under the name that another had.
doubted_former <- function(connection, ids) {
  once <- former_names(connection)
  once <- once[once$before %in% attr(ids, "entered"), ]
  doubt(once$before, rep(NA, nrow(once)), "name", sprintf(
    "it is new, and what %s was called before", once$security
  ))
}

former_names <- function(connection) {
  none <- data.frame(before = character(), security = character())
  if (!has_told(connection)) return(none)
  DBI::dbGetQuery(connection, "select distinct t.before, s.security from told_before t
    join securities s on s.id = t.security_id
    where t.what = 'security' and t.before is not null and t.before <> s.security")
}

nearly_named <- function(connection, fresh, arrived) {
  known <- DBI::dbGetQuery(connection, "select security from securities")$security
  known <- setdiff(known, arrived)
  if (!length(fresh) || !length(known)) return(NULL)
  # Of a script without such letters nothing would be left.
  plain <- function(x) {
    bare <- gsub("[[:space:][:punct:]]", "", lower_case(x))
    ifelse(nzchar(bare), bare, x)
  }
  near <- known[match(plain(fresh), plain(known))]
  long <- which(is.na(near) & nchar(fresh) > 3L)
  # What differs by a number is another of a kind.
  worded <- function(x) gsub("[0-9]", "", x)
  if (length(long) * length(known) < 4e6) {
    for (i in long) {
      away <- utils::adist(fresh[i], known, ignore.case = TRUE)[1L, ]
      off <- utils::adist(worded(fresh[i]), worded(known), ignore.case = TRUE)[1L, ]
      close <- which(off > 0 & away <= if (nchar(fresh[i]) > 5L) 2 else 1)
      if (length(close)) near[i] <- known[close[which.min(away[close])]]
    }
  }
  one <- !is.na(near)
  doubt(fresh[one], rep(NA, sum(one)), "name", sprintf(
    "it is new, and nearly %s, which is held and did not come", near[one]
  ))
}

# Another currency, or another name.
doubted_told <- function(connection, ids, addition, called) {
  if (!length(attr(ids, "changed"))) return(NULL)
  before <- DBI::dbGetQuery(connection, sprintf(
    "select t.security_id, t.what, t.before, s.currency, s.name from told_before t
     join securities s on s.id = t.security_id
     where t.addition = %d and t.what in ('currency', 'name') and t.before is not null", addition
  ))
  doubt(called(before$security_id), rep(NA, nrow(before)), before$what, sprintf(
    "it was %s and would be %s", before$before,
    ifelse(before$what == "currency", before$currency, before$name)
  ))
}

doubt_lines <- function(doubts) {
  if (!NROW(doubts)) return(character())
  paste0(
    trimws(paste(
      ifelse(is.na(doubts$security), "", doubts$security),
      ifelse(is.na(doubts$date), "", format(doubts$date))
    )),
    ": ", doubts$detail, " (", doubts$doubt, ")."
  )
}

refuse_doubts <- function(doubts, address) {
  if (!NROW(doubts)) return(invisible())
  lines <- doubt_lines(doubts)
  fail(
    "doubt",
    sprintf(
      "%s in what was to be added to the store %s; nothing was written.",
      sentence_case(count(nrow(doubts), "thing is doubtful", "things are doubtful")), address$shown
    ),
    where = c(
      utils::head(lines, 6L),
      if (length(lines) > 6L) sprintf("And %s.", count(length(lines) - 6L, "more", "more"))
    ),
    remedy = paste0(
      "Look with `dry_run = TRUE`, which lists all; where it is right, add it with ",
      "`doubts = \"tell\"`."
    ),
    doubts = doubts
  )
}

tell_doubts <- function(doubts) {
  for (line in doubt_lines(doubts)) caution("doubt", paste("Doubtful:", line))
}
