# What a file that is asked for is written as, by how its name ends. It is known, and refused where
# it cannot be, before anything is read.

table_forms <- c(
  txt = "text", text = "text", json = "json", csv = "csv", md = "markdown", parquet = "parquet",
  xlsx = "xlsx"
)
verified_forms <- c(txt = "text", text = "text", csv = "csv", json = "json")
working_forms <- c(txt = "text", text = "text", json = "json", html = "html")

ending_of <- function(path) {
  lower_case(tools::file_ext(sub("/+$", "", path)))
}

# `writes` of a command: "table" where it says nothing, "prices", "verified", or "itself" where it
# has files of its own.
check_forms <- function(options, writes) {
  if (!is.null(options$out)) {
    switch(
      writes,
      table = check_table_form(options),
      prices = if (nzchar(ending_of(options$out))) {
        refuse_form("--out", options$out, names(export_forms), "Prices are")
      },
      verified = refuse_form("--out", options$out, names(verified_forms), "What is verified is"),
      itself = NULL
    )
  }
  if (!is.null(options$figure)) {
    refuse_form("--figure", options$figure, names(figure_devices), "A figure is")
  }
  if (!is.null(options$record)) {
    refuse_form("--record", options$record, "json", "A record is")
  }
  if (!is.null(options$workbook)) {
    refuse_form("--workbook", options$workbook, "xlsx", "A workbook is")
  }
  if (!is.null(options$repair)) {
    refuse_form("--repair", options$repair, names(export_forms), "Prices are")
  }
}

check_table_form <- function(options) {
  forms <- if (isTRUE(options$working)) working_forms else table_forms
  ending <- ending_of(options$out)
  if (!nzchar(ending)) return(invisible())
  # A form that was named goes before the name of the file, but for files of programs.
  if (!is.null(options$format) && !ending %in% c("xlsx", "parquet", foreign_endings)) {
    return(invisible())
  }
  what <- if (isTRUE(options$working)) "A working is" else "A table is"
  refuse_form("--out", options$out, names(forms), what)
  told <- options$format
  if (!is.null(told) && !identical(told, forms[[ending]])) {
    fail(
      "argument",
      sprintf("--format %s is not what a file .%s holds.", told, ending),
      where = sprintf("--out is %s.", options$out),
      remedy = "Leave --format out, or name another file."
    )
  }
}

# Endings of programs that would find something else than their own in the file.
foreign_endings <- c(
  "html", "htm", "pdf", "docx", "doc", "odt", "ods", "xls", "pptx", "rtf", "png", "svg", "jpg",
  "zip", "gz", "rds", "feather", "yml", "yaml", "sqlite", "db"
)

refuse_form <- function(option, path, endings, what) {
  ending <- ending_of(path)
  if (ending %in% endings) return(invisible())
  fail(
    "argument",
    sprintf(
      "%s written as %s; %s is not one of them.", what, some(paste0(".", endings), 10L),
      if (nzchar(ending)) paste0(".", ending) else "a name without an ending"
    ),
    where = sprintf("%s is %s.", option, path),
    remedy = if (option == "--out" && ending %in% c("html", "htm", "pdf")) {
      "imbroglio report makes pages, and imbroglio working the page of a working."
    }
  )
}
