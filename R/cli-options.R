# Every option of the command, once: what it takes, what it means, and how its text
# becomes a value. They mean the same for every command that has them.
options_known <- list(
  from = list(takes = "DATE", help = "first date, as 2019-01-31", read = identity),
  to = list(takes = "DATE", help = "last date", read = identity),
  last = list(takes = "SPAN", help = "instead of --from: the last \"2 years\", \"90 days\"", read = identity),
  security = list(takes = "A,B", help = "only these securities", read = function(x) comma(x)),
  securities = list(takes = "FILE", help = "names and groups; only these securities; --security group:NAME",
                    read = identity),
  dates = list(takes = "ORDER", help = "day-first or month-first, where dates can be read both ways",
               read = identity),
  decimal = list(takes = "MARK", help = "the decimal mark, . or , where numbers can be read both ways",
                 read = identity),
  price = list(takes = "COLUMN", help = "the column of prices in a long file (adjusted, else close)",
               read = identity),
  every = list(takes = "PERIOD", help = "returns by day, week, month, quarter or year", read = identity),
  kind = list(takes = "KIND", help = "simple or log returns (simple)", read = identity),
  window = list(takes = "N,N", help = "roll over the last N returns; several side by side",
                read = function(x) number(x)),
  `min-obs` = list(takes = "N", help = "returns that will do before the window is full (all)",
                   read = function(x) number(x)),
  `per-year` = list(takes = "N", help = "periods a year (252 days, 52 weeks, 12 months)",
                    read = function(x) number(x)),
  level = list(takes = "P,P", help = "confidence levels (0.99)", read = function(x) number(x)),
  horizon = list(takes = "H", help = "periods (1)", read = function(x) number(x)),
  `horizon-by` = list(takes = "WAY", help = "sqrt, or overlapping runs of returns (sqrt)", read = identity),
  method = list(takes = "METHOD", help = "way of estimation (historical)", read = identity),
  rank = list(takes = "RANK", help = "nearest, up, down, interpolate; several side by side (nearest)",
              read = function(x) comma(x)),
  value = list(takes = "MONEY", help = "value of the position: losses in money too", read = function(x) number(x)),
  actions = list(takes = "FILE", help = "splits and dividends: security, date, split, dividend", read = identity),
  form = list(takes = "FORM", help = "total-return, or price: for splits only (total-return)", read = identity),
  undo = list(help = "the other way: what was traded"),
  repair = list(takes = "FILE", help = "write the prices with all remedies applied", read = identity),
  format = list(takes = "FORM", help = "text, json or csv (text, or as --out ends)", read = identity),
  out = list(takes = "FILE",
             help = "write to a file, whole or not at all (returns and adjust: also .xlsx, .parquet)",
             read = identity),
  figure = list(takes = "FILE", help = "draw too: .png, .svg or .pdf", read = identity),
  files = list(takes = "FOLDER", help = "copy the demo files there", read = identity),
  help = list(help = "show this")
)

comma <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1L]])

number <- function(text) {
  values <- suppressWarnings(as.numeric(comma(text)))
  if (!length(values) || anyNA(values)) fail("argument", sprintf("\"%s\" is not a number.", text))
  values
}

# The files and the options of a command line, by name; options as R arguments
# are called (min_obs for --min-obs).
read_command_line <- function(words, allowed, command) {
  given <- sub("=.*$", "", grep("^-", words, value = TRUE))
  unknown <- setdiff(given, c(paste0("--", allowed), "-h"))
  if (length(unknown)) {
    elsewhere <- sub("^--", "", unknown[1L]) %in% names(options_known)
    near <- did_you_mean(unknown[1L], paste0("--", allowed))
    fail("argument", sprintf("%s has no option %s.", command, unknown[1L]),
         remedy = if (elsewhere || is.null(near)) sprintf("imbroglio %s --help shows what it has.",
                                                          command) else near)
  }
  # optparse reads a negative number or a lone - as an option; none of ours is one.
  options <- lapply(allowed, function(name) {
    takes <- options_known[[name]]$takes
    if (is.null(takes)) optparse::make_option(c(if (name == "help") "-h", paste0("--", name)),
                                              action = "store_true", default = FALSE)
    else optparse::make_option(paste0("--", name), type = "character", metavar = takes)
  })
  parser <- optparse::OptionParser(option_list = options, add_help_option = FALSE)
  parsed <- tryCatch(
    optparse::parse_args(parser, args = words, positional_arguments = TRUE, print_help_and_exit = FALSE),
    error = function(e) fail("argument", sprintf("%s: %s.", command, sub("\\.$", "", conditionMessage(e))))
  )
  values <- parsed$options[intersect(names(parsed$options), allowed)]
  for (name in setdiff(names(values), c("help", "undo"))) values[[name]] <- options_known[[name]]$read(values[[name]])
  names(values) <- gsub("-", "_", names(values), fixed = TRUE)
  list(files = parsed$args, options = values)
}

option_lines <- function(allowed) {
  flags <- vapply(allowed, function(name) trimws(paste0("--", name, " ", options_known[[name]]$takes)), "")
  paste0("  ", formatC(flags, width = -max(nchar(flags))), "  ", vapply(options_known[allowed], `[[`, "", "help"))
}
