# A picture of a page in a real browser: FILE PICTURE WIDTH HEIGHT [SECTION].
words <- commandArgs(trailingOnly = TRUE)
browser <- chromote::Chromote$new(browser = chromote::Chrome$new(
  path = Sys.which("chromium"), args = c(
    "--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars"
  )
))
session <- chromote::ChromoteSession$new(
  parent = browser, width = as.integer(words[3]), height = as.integer(words[4])
)
loaded <- session$Page$loadEventFired(wait_ = FALSE)
session$Page$navigate(paste0("file://", normalizePath(words[1])), wait_ = FALSE)
invisible(session$wait_for(loaded))
if (length(words) > 4L) {
  session$Runtime$evaluate(sprintf("document.getElementById('%s').scrollIntoView()", words[5]))
}
Sys.sleep(1)
writeBin(jsonlite::base64_dec(session$Page$captureScreenshot()$data), words[2])
invisible(suppressWarnings(browser$close()))
