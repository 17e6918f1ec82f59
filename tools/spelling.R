# Spelling of what people read: the help, the vignettes, the pages. Words of the trade, names and
# parts of programs stand in a file beside this one.
known <- readLines("tools/words.txt", encoding = "UTF-8")
pages <- c(
  list.files("vignettes", "[.]Rmd$", full.names = TRUE),
  list.files("man", "[.]Rd$", full.names = TRUE),
  "README.md", "NEWS.md", "CONTRIBUTING.md", "docs/guide.md", "docs/house.md"
)
# Words of nine languages.
pages <- setdiff(pages, "man/headings.Rd")
found <- spelling::spell_check_files(pages, ignore = known, lang = "en_GB")
if (nrow(found)) {
  print(found)
  stop(
    "Words that are not known: write them right, or add them to tools/words.txt.", call. = FALSE
  )
}
cat("spelling: nothing unknown in", length(pages), "pages\n")
