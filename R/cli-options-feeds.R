# The options of feeds and stores.

options_of_feeds <- function() list(
  feed = option(
    "URL", "text",
    "the address of the price feed; its token is read from IMBROGLIO_FEED_TOKEN"
  ),
  store = option(
    "STORE", "text",
    "a file, or postgresql://USER@HOST/DATABASE; made if it is not there"
  ),
  update = flag("ask only for what is new or restated since the last time"),
  `at-once` = option("N", "number", "questions at once (6)"),
  tries = option("N", "number", "how often a question is asked before it is given up (8)"),
  `time-limit` = option("S", "number", "seconds for one answer (30)"),
  patience = option(
    "S", "number",
    "seconds the feed may make us wait before anything more comes (120)"
  ),
  allow = option("HOST,HOST", "list", "hosts that the feed may redirect to"),
  verbose = flag("tell of each question and answer"),
  port = option("N", "number", "the port; 0 for any that is free (8017)"),
  faults = option(
    "A=N,B=N", "amounts",
    "be a bad feed: fail=3 (every third answer), limit=20 (a second), slow=0.5
    (seconds), cut=4, lie=5, rubbish=6"
  ),
  json = flag("answer in JSON only"),
  `page-rows` = option("N", "number", "most rows in one answer (25,000)"),
  seconds = option("S", "number", "stop after so many seconds"),
  add = option("FILE", "text", "add the prices of a file"),
  restatements = flag("list what was restated, with both values and both dates"),
  additions = flag("list what was added when"),
  verify = flag("test all checksums of the store")
)
