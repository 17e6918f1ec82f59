# The commands: those of the measures, from their records, and those of their own, each a function
# `command_of_NAME()` beside what it runs.

# In the order of the groups, and in each of their places.
command_titles <- c(
  "Get prices", "Look at them, and put them right", "Measure",
  "Compare, through time and with the past", "Check the number, and hand it on"
)

commands <- function() {
  house <- topenv()
  of_measures <- Filter(function(one) !is.null(one$command), measures())
  own <- ls(house, pattern = "^command_of_")
  known <- c(
    stats::setNames(lapply(names(of_measures), function(name) {
      command <- of_measures[[name]]$command
      command$run <- get0(paste0("run_", command$name %||% name), house) %||% run_measure(name)
      command
    }), vapply(names(of_measures), function(name) of_measures[[name]]$command$name %||% name, "")),
    stats::setNames(
      lapply(own, function(name) get(name, house)()), sub("^command_of_", "", own)
    )
  )
  known[order(
    match(vapply(known, `[[`, "", "group"), command_titles),
    vapply(known, `[[`, 0, "place")
  )]
}

# The names of the commands, by group.
command_groups <- function(known) {
  titles <- vapply(known, `[[`, "", "group")
  split(names(known), factor(titles, unique(titles)))
}
