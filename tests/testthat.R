library(testthat)
library(imbroglio)

test_check("imbroglio")
