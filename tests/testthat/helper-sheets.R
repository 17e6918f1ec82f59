# What a real spreadsheet program makes of the workbooks, which hold no values of their formulas.

recalculated <- function(files) {
  folder <- tempfile("sheets-")
  dir.create(folder)
  home <- tempfile("office-")
  status <- system2(
    "soffice",
    shQuote(c(
      paste0("-env:UserInstallation=file://", home),
      "--headless",
      "--convert-to",
      "xlsx:Calc MS Excel 2007 XML",
      "--outdir",
      folder,
      files
    )),
    stdout = FALSE,
    stderr = FALSE,
    # R's own libraries are not the program's.
    env = "LD_LIBRARY_PATH="
  )
  expect_equal(status, 0L)
  file.path(folder, basename(files))
}

# What a reader says that refuses relations to what is not there, and names that are none.
refused_strictly <- function(files) {
  code <- "import sys, openpyxl\nfor file in sys.argv[1:]: openpyxl.load_workbook(file)"
  read <- processx::run("/usr/bin/python3", c("-W", "error", "-c", code, files), FALSE)
  if (read$status) read$stderr else character()
}

sheet <- function(file, name) {
  suppressMessages(readxl::read_excel(
    file,
    name,
    col_names = FALSE,
    col_types = "text",
    .name_repair = "minimal"
  ))
}

# What a reader that knows only a schema that ships says of files.
refused_by_schema <- function(files, schema = c("working", "working.schema.json")) {
  code <- paste(
    "import sys, json, jsonschema",
    "schema = json.load(open(sys.argv[1]))",
    "reader = jsonschema.Draft202012Validator(schema)",
    "for file in open(sys.argv[2]).read().split():",
    "    for e in reader.iter_errors(json.load(open(file))): print(file, e.json_path, e.message)",
    sep = "\n"
  )
  list <- written(files)
  schema <- system.file(schema[1], schema[2], package = "imbroglio")
  processx::run("/usr/bin/python3", c("-c", code, schema, list))$stdout
}
