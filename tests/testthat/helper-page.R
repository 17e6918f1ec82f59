# A page in a real browser, without its window.

browser_path <- function() {
  found <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  unname(found[nzchar(found)][1])
}

# The page of a file, what its console said and what it asked the network for.
opened_page <- function(file, width = 1280L, height = 900L, frame = parent.frame()) {
  testthat::skip_if_not_installed("chromote")
  testthat::skip_if(is.na(browser_path()), "there is no Chromium")
  arguments <- c("--headless", "--disable-gpu", "--no-first-run", "--disable-sync",
                 if (Sys.info()[["user"]] == "root") "--no-sandbox")
  chrome <- chromote::Chrome$new(path = browser_path(), args = arguments)
  browser <- chromote::Chromote$new(browser = chrome)
  session <- chromote::ChromoteSession$new(parent = browser, width = width, height = height)
  withr::defer({
    session$close()
    browser$close()
  }, frame)
  seen <- new.env()
  seen$said <- seen$asked <- character()
  session$Network$enable()
  session$Runtime$enable()
  session$Log$enable()
  session$Network$requestWillBeSent(
    callback_ = function(m) seen$asked <- c(seen$asked, m$request$url)
  )
  session$Runtime$exceptionThrown(callback_ = function(m) {
    seen$said <- c(seen$said, m$exceptionDetails$exception$description)
  })
  session$Runtime$consoleAPICalled(callback_ = function(m) seen$said <- c(seen$said, m$type))
  session$Log$entryAdded(callback_ = function(m) seen$said <- c(seen$said, m$entry$text))
  loaded <- session$Page$loadEventFired(wait_ = FALSE)
  session$Page$navigate(paste0("file://", normalizePath(file)), wait_ = FALSE)
  session$wait_for(loaded)
  list(session = session, seen = seen)
}

# What a script gives in the page.
in_page <- function(page, script) {
  answer <- page$session$Runtime$evaluate(
    script, returnByValue = TRUE, awaitPromise = TRUE, timeout = 60000
  )
  if (!is.null(answer$exceptionDetails)) stop(answer$exceptionDetails$exception$description)
  answer$result$value
}

axe_file <- function() source_file("build", "node", "node_modules", "axe-core", "axe.min.js")
