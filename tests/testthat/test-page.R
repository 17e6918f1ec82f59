# The report as its readers have it: in a real browser, from the disk, without a network.

hostile_names <- c("<img src=x onerror=alert(1)>", "=1+1", "A & \"B\"", "O'NEILL")

# A book of securities with such names, with limits, through most sections.
report_page <- function() {
  if (!is.null(kept_page$file)) return(kept_page)
  prices <- as_prices(matrix(
    tail(EuStockMarkets, 700),
    ncol = 4,
    dimnames = list(format(tail(stock_dates(), 700)), hostile_names)
  ))
  kept_page$book <- as_portfolio(prices, weights = setNames(c(0.4, 0.3, 0.3), hostile_names[1:3]))
  kept_page$file <- tempfile(fileext = ".html")
  kept_page$run <- suppressMessages(suppressWarnings(write_report(
    kept_page$book, kept_page$file,
    benchmark = hostile_names[4], limits = written("of,measure,warn,limit", "book,var,1%,2%"),
    level = c(0.95, 0.99), method = c("historical", "normal"),
    only = c("top", "limits", "returns", "falls", "var", "backtest", "split")
  )))
  kept_page
}
kept_page <- new.env()

test_that("the page opens from the disk without a word of the console and without a network", {
  made <- report_page()
  expect_equal(made$run$state == "failed", rep(FALSE, nrow(made$run)))
  page <- opened_page(made$file)
  expect_equal(page$seen$said, character())
  expect_true(all(grepl("^(file|data):", page$seen$asked)))
  expect_false(any(grepl("(src|href)=\"(http|//)", readLines(made$file))))
  # Names are text, wherever they stand.
  expect_equal(in_page(page, "document.images.length"), 0)
  expect_true(in_page(page, "document.body.textContent.includes('<img src=x onerror=alert(1)>')"))
})

test_that("tables sort by full values, and each number leads to its working", {
  page <- opened_page(report_page()$file)
  click <- "document.querySelectorAll('#t-return thead th button')[%d].click();
    [...document.querySelectorAll('#t-return tbody tr')].map(r => Number(r.cells[%d].dataset.v))"
  values <- unlist(in_page(page, sprintf(click, 2, 2)))
  expect_length(values, 4)
  expect_equal(values, sort(values, decreasing = TRUE))
  expect_equal(unlist(in_page(page, sprintf(click, 2, 2))), sort(values))
  # All links of numbers have a place in the page, which unfolds and is seen.
  lost <- in_page(page, "[...document.querySelectorAll('main a[href^=\"#\"]')]
    .filter(a => !document.getElementById(a.getAttribute('href').slice(1))).length")
  expect_equal(lost, 0)
  expect_gt(in_page(page, "document.querySelectorAll('td a[href^=\"#w-\"]').length"), 100)
  # So do dates, weights and counts; but for what was chosen, and what no working has.
  bare <- unlist(in_page(page, "[...document.querySelectorAll('main section table')].flatMap(t =>
    [...t.querySelectorAll('tbody td.day, tbody td.r')].filter(d => !d.querySelector('a') &&
      d.textContent != '-' && !d.closest('article') && !t.closest('#limits')).map(d =>
        t.tHead.rows[0].cells[d.cellIndex].textContent.trim()))"))
  chosen <- c("level", "rank", "window", "horizon", "over")
  expect_equal(setdiff(bare, c(chosen, "place", "ES p")), character())
  seen <- in_page(page, "(async () => {
    const a = document.querySelectorAll('#t-var td a')[1];
    a.click(); await new Promise(r => setTimeout(r, 300));
    const at = document.querySelector(a.getAttribute('href')).getBoundingClientRect();
    return at.height > 0 && at.top > -5 && at.top < innerHeight; })()")
  expect_true(seen)
})

test_that("what a number links to has that number, in its own row or in the steps of all", {
  page <- opened_page(report_page()$file)
  # `off`: as if each were another number.
  walk <- "((off) => {
    const known = new Map();
    const numbers = e => {
      if (!known.has(e)) known.set(e, (e.innerHTML.replace(/<[^>]+>/g, ' ')
        .match(/-?[0-9][0-9,]*([.][0-9]+)?(e[-+]?[0-9]+)?/g) || [])
        .map(x => Number(x.replace(/,/g, ''))));
      return known.get(e);
    };
    const cells = [...document.querySelectorAll('main td[data-v]')].filter(cell =>
      cell.querySelector('a[href^=\"#w-\"]') && cell.dataset.v !== '' && !isNaN(cell.dataset.v));
    const lost = cells.filter(cell => {
      const at = document.getElementById(cell.querySelector('a').getAttribute('href').slice(1));
      const v = Number(cell.dataset.v) * off;
      const near = x => Math.abs(x - v) <= 6e-6 * Math.abs(v) + 1e-12;
      return ![at, at.closest('article')].some(e => numbers(e).some(near));
    });
    return [cells.length, lost.length, ...lost.slice(0, 5).map(cell =>
      cell.closest('table').id + ' ' + cell.dataset.v)];
  })(%s)"
  found <- unlist(in_page(page, sprintf(walk, "1")))
  expect_gt(as.numeric(found[1]), 100)
  expect_equal(found[-1], if (is.character(found)) "0" else 0)
  other <- as.numeric(unlist(in_page(page, sprintf(walk, "1.003")))[1:2])
  expect_gt(other[2], other[1] / 2)
  # Rows that differ in whose they are only share one article, top and parts.
  articles <- in_page(page, "['#w-top-var-1', '#w-change-var-2-1', '#w-split-1', '#w-split-2',
    '#w-split-3'].map(id => [...document.querySelectorAll('article')].indexOf(
      document.querySelector(id).closest('article')))")
  expect_equal(articles[[1]], articles[[2]])
  expect_equal(length(unique(unlist(articles[3:5]))), 1L)
})

test_that("the CSV inside the page is the table, bit for bit", {
  made <- report_page()
  page <- opened_page(made$file)
  links <- in_page(
    page,
    "[...document.querySelectorAll('a[download$=\".csv\"]')].map(a => [a.download, a.href])"
  )
  names(links) <- vapply(links, `[[`, "", 1)
  csv <- rawToChar(jsonlite::base64_dec(sub("^[^,]*,", "", links[["var.csv"]][[2]])))
  table <- read.csv(text = csv)
  expected <- suppressMessages(measure_var(
    made$book, level = c(0.95, 0.99), method = c("historical", "normal")
  ))
  expect_equal(names(table), names(expected))
  numeric <- vapply(expected, is.numeric, NA)
  expect_identical(
    lapply(table[numeric], as.numeric),
    lapply(as.list(as.data.frame(expected))[numeric], as.numeric)
  )
  # A name that a spreadsheet would run is not run.
  held <- rawToChar(jsonlite::base64_dec(sub("^[^,]*,", "", links[["split.csv"]][[2]])))
  expect_match(held, "\n'=1+1,", fixed = TRUE)
})

test_that("figures zoom together, tell a point, and pick a security out", {
  page <- opened_page(report_page()$file)
  moved <- in_page(page, "(() => {
    const lines = () => [...document.querySelectorAll('figure[data-panels]')].map(f => {
      const long = [...f.querySelectorAll('polyline')].find(
        p => p.getAttribute('points').split(' ').length > 50
      );
      return [f.id, long ? long.getAttribute('transform') : null]; });
    const before = lines();
    document.querySelector('[data-last=\"1\"]').click();
    const after = lines();
    document.querySelector('[data-last=\"0\"]').click();
    return [before, after, lines()]; })()")
  of <- function(k) vapply(moved[[k]], function(x) if (is.null(x[[2]])) "none" else x[[2]], "")
  expect_gte(length(of(1)), 3)
  expect_equal(of(1), rep("none", length(of(1))))
  expect_match(of(2), "^matrix")
  expect_equal(of(3), of(1))
  # What the pointer stands on: a date of the prices and the value there.
  told <- in_page(page, "(() => {
    const f = document.getElementById('f-drawdown'), svg = f.querySelector('svg');
    f.scrollIntoView();
    const panel = JSON.parse(f.dataset.panels)[1], box = svg.getBoundingClientRect();
    const k = box.width / svg.viewBox.baseVal.width;
    f.dispatchEvent(new PointerEvent('pointermove', {bubbles: true,
      clientX: box.left + k * (panel.at[0] + panel.at[2] * 0.6),
      clientY: box.top + k * (panel.at[1] + 20)}));
    return document.getElementById('tip').innerText; })()")
  parts <- strsplit(told, "\n")[[1]]
  path <- suppressMessages(drawdown_series(report_page()$book))
  at <- path[path$date == as.Date(parts[1]), ]
  expect_equal(nrow(at), 1L)
  value <- as.numeric(sub("%", "", gsub("[^-0-9.]", "", sub("\u2212", "-", parts[2]))))
  expect_equal(value, 100 * at$drawdown, tolerance = 0.005)
  picked <- in_page(page, "(() => { const s = document.getElementById('pick');
    s.value = s.options[2].value; s.dispatchEvent(new Event('change'));
    return [...document.querySelectorAll('tr.picked')].every(r => r.dataset.s === s.value) &&
      document.querySelectorAll('tr.picked').length; })()")
  expect_gte(picked, 3)
})

test_that("it reads at 390 pixels, in the dark, without eyes, a pointer or a script", {
  made <- report_page()
  skip_if_not(file.exists(axe_file()), "axe-core is not installed")
  page <- opened_page(made$file, 390L, 844L)
  expect_lte(in_page(page, "document.documentElement.scrollWidth"), 390)
  invisible(in_page(page, paste(readLines(axe_file(), warn = FALSE), collapse = "\n")))
  check <- "axe.run(document).then(r => [r.passes.length,
    r.violations.map(v => v.id + ': ' + v.nodes[0].html.slice(0, 150)).join('; ')])"
  # Text of figures on the page's ground: 4.5 to 1. Dark cells have white text, and are left out.
  contrast <- "(() => {
    const canvas = document.createElement('canvas').getContext('2d', {willReadFrequently: true});
    const rgb = colour => {
      canvas.fillStyle = colour; canvas.fillRect(0, 0, 1, 1);
      return [...canvas.getImageData(0, 0, 1, 1).data].slice(0, 3); };
    const light = c => {
      const l = c.map(v => (v /= 255) <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
      return 0.2126 * l[0] + 0.7152 * l[1] + 0.0722 * l[2]; };
    const ground = light(rgb(getComputedStyle(document.body).backgroundColor));
    return [...document.querySelectorAll('figure text')].filter(t => t.style.fill !== 'white')
      .map(t => [t.textContent, light(rgb(getComputedStyle(t).fill))])
      .map(([text, l]) => [text, (Math.max(l, ground) + 0.05) / (Math.min(l, ground) + 0.05)])
      .filter(([text, c]) => c < 4.5).map(([text, c]) => text + ' ' + c.toFixed(2)); })()"
  for (scheme in c("light", "dark")) {
    page$session$Emulation$setEmulatedMedia(
      features = list(list(name = "prefers-color-scheme", value = scheme))
    )
    if (scheme == "light") {
      found <- in_page(page, check)
      expect_gt(found[[1]], 30)
      expect_equal(found[[2]], "")
    }
    expect_equal(unlist(in_page(page, contrast)), NULL, info = scheme)
  }
  page$session$Emulation$setScriptExecutionDisabled(TRUE)
  page$session$Page$reload()
  Sys.sleep(1)
  page$session$Emulation$setScriptExecutionDisabled(FALSE)
  expect_true(in_page(page, "[...document.querySelectorAll(
    '#t-drawdown td, #top .numbers li, #f-drawdown svg text')]
    .every(e => e.getBoundingClientRect().height > 0)"))
})

test_that("bad arguments leave no file, and a PDF is one", {
  gone <- tempfile(fileext = ".html")
  book <- report_page()$book
  for (
    bad in list(list(level = 2), list(window = 0), list(benchmark = "NOBODY"), list(only = "rsik"))
  ) {
    expect_error(do.call(write_report, c(list(book, gone), bad)), class = "imbroglio_error")
    expect_false(file.exists(gone))
  }
  expect_error(write_report(book, tempfile(fileext = ".docx")), class = "imbroglio_error_argument")
  skip_if(is.na(browser_path()), "there is no Chromium")
  pdf <- tempfile(fileext = ".pdf")
  suppressMessages(write_report(book, pdf, only = "var"))
  expect_equal(readBin(pdf, "raw", 5), charToRaw("%PDF-"))
})
