# The options of feeds and stores.

options_of_feeds <- list(
  feed = list(
    takes = "URL",
    help = "the address of the price feed; its token is read from IMBROGLIO_FEED_TOKEN",
    read = identity
  ),
  store = list(
    takes = "STORE",
    help = "a file, or postgresql://USER@HOST/DATABASE; made if it is not there",
    read = identity
  ),
  update = list(help = "ask only for what is new or restated since the last time"),
  `at-once` = list(takes = "N", help = "questions at once (6)", read = function(x) number(x)),
  tries = list(
    takes = "N",
    help = "how often a question is asked before it is given up (8)",
    read = function(x) number(x)
  ),
  `time-limit` = list(takes = "S", help = "seconds for one answer (30)", read = function(x) {
    number(x)
  }),
  patience = list(
    takes = "S",
    help = "seconds the feed may make us wait before anything more comes (120)",
    read = function(x) number(x)
  ),
  allow = list(
    takes = "HOST,HOST",
    help = "hosts that the feed may redirect to",
    read = function(x) comma(x)
  ),
  verbose = list(help = "tell of each question and answer"),
  port = list(takes = "N", help = "the port; 0 for any that is free (8017)", read = function(x) {
    number(x)
  }),
  faults = list(
    takes = "A=N,B=N",
    help = "be a bad feed: fail=3 (every third answer), limit=20 (a second), slow=0.5
                (seconds), cut=4, lie=5, rubbish=6",
    read = function(x) amounts(x)
  ),
  json = list(help = "answer in JSON only"),
  `page-rows` = list(takes = "N", help = "most rows in one answer (25,000)", read = function(x) {
    number(x)
  }),
  seconds = list(takes = "S", help = "stop after so many seconds", read = function(x) number(x)),
  add = list(takes = "FILE", help = "add the prices of a file", read = identity),
  restatements = list(help = "list what was restated, with both values and both dates"),
  additions = list(help = "list what was added when"),
  verify = list(help = "test all checksums of the store")
)
