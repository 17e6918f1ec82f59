# Hosts over SSH and a batch scheduler, both real: the same bits as one process, whatever dies.
for (package in c("future", "yaml", "nanoparquet", "processx")) skip_if_not_installed(package)
skip_on_os("windows")
kinds <- c("hosts", if (requireNamespace("future.batchtools", quietly = TRUE)) "slurm")
plans <- Filter(length, lapply(
  stats::setNames(nm = kinds), machine_plan, where = teardown_env()
))
on_plan <- function(plan, code) {
  before <- future::plan()
  withr::defer(future::plan(before))
  quietly(imbroglio:::set_plan_of_file(plan_file(plan)))
  code
}

universe <- function(n = 12L) {
  m <- as.matrix(demo_prices()[1:200, rep("TARROW", n)])
  colnames(m) <- sprintf("S%02d", seq_len(n))
  write_prices(as_prices(m * exp(sin(row(m) * col(m)) / 20)), folder <- tempfile("universe-"))
  folder
}

test_that("what other machines measure is what this one does, by the command too", {
  folder <- universe()
  study <- small_study()
  line <- c("summary", folder, "--benchmark", "S01", "--memory", "1MB")
  one <- imbroglio(line)
  page <- function(...) {
    out <- file.path(dirname(tempfile()), paste0("report", sample(1e6, 1)))
    done <- imbroglio("study", "run", study, "--out", out, "--today", "2017-06-01", ...)
    expect_equal(done$status, 0L, info = done$err)
    digests_of(out)
  }
  before <- page("--workers", "1")
  for (kind in names(plans)) {
    file <- plan_file(plans[[kind]])
    several <- imbroglio(line, "--plan", file)
    expect_equal(several$status, 0L, info = several$err)
    expect_identical(several$out, one$out, info = kind)
    # A note of several securities may be one for each block.
    expect_identical(nchar(several$err) > 0L, nchar(one$err) > 0L, info = several$err)
    expect_no_match(several$err, "package|worker", info = kind)
    expect_equal(page("--plan", file), before, info = kind)
    if (kind == "slurm") expect_length(list.files(sub("folder: ", "", plans$slurm[3])), 0L)
  }
})

test_that("a worker elsewhere that dies has its block done again; three deaths are named", {
  forget_registered()
  x <- quietly(open_prices(universe()))
  place <- tempfile("died-")
  dir.create(place)
  here <- Sys.getpid()
  # The first of each machine's dies at its first security, and "S07" always.
  register_var_method("mortal", local(function(r, level) {
    first <- file.path(place, "once")
    if (Sys.getpid() != here && !file.exists(first)) {
      file.create(first)
      tools::pskill(Sys.getpid(), tools::SIGKILL)
    }
    c(abs(sum(r)), NA)
  }))
  one <- quietly(measure_var(x, method = c("historical", "mortal")))
  for (kind in names(plans)) {
    unlink(file.path(place, "once"))
    found <- on_plan(plans[[kind]], quietly(measure_var(x, method = c("historical", "mortal"))))
    expect_true(file.exists(file.path(place, "once")))
    expect_identical(as.data.frame(found), as.data.frame(one), info = kind)
  }
  never <- sum(as.matrix(as_returns(as_prices(x)))[, "S07"])
  register_var_method("deadly", local(function(r, level) {
    if (Sys.getpid() != here && abs(sum(r) - never) < 1e-9) {
      tools::pskill(Sys.getpid(), tools::SIGKILL)
    }
    c(abs(sum(r)), NA)
  }))
  if (!is.null(plans$hosts)) {
    expect_warning(
      found <- on_plan(plans$hosts, measure_var(x, method = "deadly")), "S07",
      class = "imbroglio_warning_lost"
    )
    expect_false("S07" %in% found$security)
  }
})

test_that("a run that was killed goes on from the blocks that are done", {
  folder <- universe(24L)
  kept <- tempfile("kept-")
  whole <- imbroglio("fit", folder, "--memory", "100KB")
  command <- c("fit", folder, "--memory", "100KB", "--resume", kept)
  running <- processx::process$new(
    system.file("exec", "imbroglio", package = "imbroglio"), command,
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"))
  )
  while (length(list.files(kept, "rds$")) < 3L && running$is_alive()) Sys.sleep(0.01)
  running$kill()
  done <- list.files(kept, "rds$", full.names = TRUE)
  expect_gte(length(done), 3L)
  expect_lt(length(done), 12L)
  stamps <- file.mtime(done)
  again <- imbroglio(command)
  expect_identical(again$out, whole$out)
  expect_identical(again$err, whole$err)
  expect_identical(file.mtime(done), stamps)
  all <- length(list.files(kept, "rds$"))
  # Another question, and other prices, find nothing there.
  other <- imbroglio(command, "--last", "150 days")
  expect_false(identical(other$out, whole$out))
  expect_gt(length(list.files(kept, "rds$")), all)
  # What was damaged there is measured again.
  for (file in done) writeBin(as.raw(1:9), file)
  expect_identical(imbroglio(command)$out, whole$out)
  # Nor by another plan.
  if (!is.null(plans$hosts)) {
    there <- imbroglio(command, "--plan", plan_file(plans$hosts))
    expect_identical(there$out, whole$out)
  }
})

test_that("a plan is data, and what it says is what can be", {
  cases <- list(
    c("hosts: [a, '-oProxyCommand=touch x']", "hosts"), c("hosts: ['a;b']", "hosts"),
    c("hosts: []", "hosts"), c("processes: 0", "processes"), c("processes: !expr q()", "plan"),
    c("workers: 3", "three"), c("hosts: [a]\nprocesses: 2", "three"), c("- a", "word: value"),
    c("scheduler: other\nworkers: 1\nfolder: /tmp", "scheduler"), c("scheduler: slurm", "workers"),
    c("scheduler: slurm\nworkers: 2\nfolder: /no/such", "folder"),
    c("hosts: [a]\nspeed: 3", "speed"), c("processes: [2, 3]", "more than one"),
    c("hosts: [a]\nssh: '/tmp/a -oProxyCommand=x'", "ssh"),
    c("scheduler: slurm\nworkers: 2\nfolder: /tmp\noptions: ['--x; touch y']", "options"),
    c("scheduler: slurm\nworkers: 2\nfolder: '/tmp/`x`'", "folder"), c("hosts: [", "plan")
  )
  for (case in cases) {
    error <- expect_error(
      imbroglio:::set_plan_of_file(plan_file(case[1])), class = "imbroglio_error_plan",
      info = case[1]
    )
    expect_match(conditionMessage(error), case[2], info = case[1])
  }
  expect_error(imbroglio:::set_plan_of_file("/no/plan.yml"), class = "imbroglio_error_file")
  bay <- demo_file("bay.csv")
  two <- imbroglio("summary", bay, "--memory", "1MB", "--plan", plan_file("processes: 2"))
  expect_identical(two$out, imbroglio("summary", bay, "--memory", "1MB")$out)
  expect_equal(imbroglio("summary", bay, "--plan", plan_file("processes: 2"))$status, 2L)
  if (is.null(plans$hosts)) skip("there is no server of SSH")
  # A host that is not there, and one without the package.
  gone <- sub("desk2", "desk9", plans$hosts)
  expect_error(on_plan(gone, NULL), "cannot be had", class = "imbroglio_error_plan")
  expect_error(
    on_plan(plans$hosts[-3], NULL), "no package|cannot be had",
    class = "imbroglio_error_plan"
  )
})
