# What is known by name, of the package and registered: lists of it, for people and for workers.

#' What can be named
#'
#' The methods of value at risk, the families of distributions and the estimators of volatility
#' that can be asked for by name, those that were registered among them.
#'
#' @return A table: `name`, `title`, `formula`, `source`, and `own`: whether it was registered.
#' @family what can be registered
#' @examples
#' var_methods()
#' return_families()[c("name", "title")]
#' volatility_methods()[c("name", "title")]
#' @export
var_methods <- function() list_of_records(known_var_methods(), registered_var_methods)

#' @rdname var_methods
#' @export
return_families <- function() list_of_records(fit_families(), registered_families)

#' @rdname var_methods
#' @export
volatility_methods <- function() list_of_records(volatility_estimators(), registered_estimators)

list_of_records <- function(records, registry) {
  said <- function(part) {
    unname(vapply(records, function(one) paste(one[[part]] %||% "", collapse = " "), ""))
  }
  tibble::tibble(
    name = names(records), title = said("title"), formula = said("formula"),
    source = said("source"), own = names(records) %in% ls(registry)
  )
}

#' What was registered, for workers
#'
#' What [register_var_method()], [register_family()] and [register_volatility()] make known is
#' known to the R that they were called in. Where the package itself gives work to others (a plan
#' of `future`) they know it, too. For loops of your own, hand `registered()` to the worker, and
#' there call `register_again()` with it.
#'
#' @param what What `registered()` gave.
#' @param name What is forgotten, whichever it was registered as.
#' @return `registered()`: all of it, as one object; `register_again()` and `unregister()`: the
#'   names, invisibly.
#' @section Errors: `imbroglio_error_argument` for what `registered()` did not give, and for a name
#'   that was not registered.
#' @family what can be registered
#' @examples
#' register_var_method("worst-ever", function(r, level) max(-r))
#' kept <- registered()
#' unregister("worst-ever")
#' register_again(kept)
#' # On workers: future.apply::future_lapply(files, function(file) {
#' #   imbroglio::register_again(kept)
#' #   imbroglio::measure_var(imbroglio::read_prices(file), method = "worst-ever")
#' # })
#' unregister("worst-ever")
#' @export
registered <- function() {
  structure(
    list(records = lapply(registries(), as.list), version = own_version()),
    class = "imbroglio_registered"
  )
}

#' @rdname registered
#' @export
register_again <- function(what) {
  if (!inherits(what, "imbroglio_registered")) {
    fail_in_r("argument", "This is not what registered() gives.",
         where = sprintf("It is %s.", shown(what)))
  }
  Map(list2env, what$records, registries())
  invisible(unlist(lapply(what$records, names)))
}

#' @rdname registered
#' @export
unregister <- function(name) {
  here <- vapply(registries(), function(registry) {
    is.character(name) && length(name) == 1L && exists(name, registry, inherits = FALSE)
  }, NA)
  if (!any(here)) {
    known <- unlist(lapply(registries(), ls))
    fail_in_r(
      "argument", sprintf("Nothing is registered as %s.", shown(name)),
      where = if (length(known)) sprintf("There is %s.", some(known))
    )
  }
  for (registry in registries()[here]) rm(list = name, envir = registry)
  invisible(name)
}

# A name that was registered before means the new one from now on, and that is said.
say_registered_again <- function(name, registry) {
  if (!exists(name, registry, inherits = FALSE)) return(invisible())
  note("registered", sprintf(
    "%s was registered before: its name means the new one from now on.", name
  ))
}

# What a registered function says and prints in the many calls of one measure is said once.
said_once <- function(code, what) {
  heard <- character()
  printed <- utils::capture.output(value <- withCallingHandlers(
    code,
    warning = function(w) {
      if (inherits(w, "imbroglio_warning")) return()
      heard <<- c(heard, conditionMessage(w))
      invokeRestart("muffleWarning")
    }
  ))
  for (text in unique(printed)) cat(text, "\n", sep = "")
  for (text in utils::head(unique(heard), 3L)) {
    times <- sum(heard == text)
    caution("own", sprintf(
      "%s warned%s: %s", what, if (times > 1L) sprintf(" %s times", count(times)) else "", text
    ))
  }
  value
}
