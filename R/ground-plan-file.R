# A file that says who works: processes of this machine, hosts over SSH, or a scheduler; set as a
# plan of the package future. The file is data: what would be more than a name or a path to a
# shell is refused.

plan_keys <- list(
  processes = "processes", hosts = c("hosts", "ssh", "rscript", "libraries"),
  scheduler = c("scheduler", "workers", "folder", "cores", "minutes", "options", "libraries")
)

# What is set may be one of these; a name or path begins with no dash, which is an option to SSH.
plan_forms <- c(
  processes = "[1-9][0-9]{0,3}", workers = "[1-9][0-9]{0,3}", cores = "[1-9][0-9]{0,2}",
  minutes = "[1-9][0-9]{0,5}", hosts = "[A-Za-z0-9_][A-Za-z0-9_.@:-]*",
  ssh = "[A-Za-z0-9_./+~][A-Za-z0-9_./+~-]*", rscript = "[A-Za-z0-9_./+~][A-Za-z0-9_./+~-]*",
  libraries = "[A-Za-z0-9_./+~][A-Za-z0-9_./+~-]*", folder = "[^\"'`$\\\\-][^\"'`$\\\\]*",
  scheduler = "slurm", options = "--[a-z-]+(=[A-Za-z0-9_.,:/@+-]+)?"
)

# The plan of a file is set, and each kind of worker asked whether it has this package.
set_plan_of_file <- function(file) {
  need_package("future", "A plan")
  says <- read_plan(file)
  wrong <- function(e) {
    if (inherits(e, "imbroglio_error")) stop(e)
    fail(
      "plan", sprintf("The workers of %s cannot be had.", basename(file)),
      where = conditionMessage(e),
      remedy = paste0(
        "Is each of them reached by hand, without a question (ssh HOST, sbatch), and is ",
        "imbroglio installed there (\"libraries: [PATH]\")?"
      )
    )
  }
  tryCatch(
    {
      if (!is.null(says$processes)) plan_of_processes(as.integer(says$processes))
      if (!is.null(says$hosts)) plan_of_hosts(says)
      if (!is.null(says$scheduler)) plan_of_scheduler(says)
      ask_workers(says)
    },
    error = wrong
  )
}

read_plan <- function(file) {
  need_package("yaml", "A plan file")
  if (!file.exists(file)) fail("file", sprintf("There is no plan %s.", file))
  says <- tryCatch(
    yaml::yaml.load(paste(readLines(file, warn = FALSE), collapse = "\n"), eval.expr = FALSE),
    error = function(e) refuse_plan(file, conditionMessage(e))
  )
  if (!is.list(says) || is.null(names(says))) {
    refuse_plan(file, "It has no lines of \"word: value\".")
  }
  kind <- intersect(names(plan_keys), names(says))
  if (length(kind) != 1L) refuse_plan(file, "It has none or several of the three.")
  for (key in names(says)) {
    if (!key %in% plan_keys[[kind]]) {
      refuse_plan(file, sprintf(
        "It says \"%s\"; beside \"%s\" there may be %s.", key, kind,
        some(setdiff(plan_keys[[kind]], kind), 9L)
      ))
    }
    values <- as.character(unlist(says[[key]]))
    bad <- !grepl(sprintf("^%s$", plan_forms[[key]]), values)
    several <- key %in% c("hosts", "libraries", "options")
    if (!several && length(values) > 1L) {
      refuse_plan(file, sprintf("It says more than one \"%s\".", key))
    }
    if (!length(values) || any(bad)) {
      refuse_plan(file, sprintf("\"%s\" cannot be %s.", key, shown(c(values[bad], "")[1L])))
    }
    says[[key]] <- values
  }
  for (key in c("workers", "folder")[kind == "scheduler"]) {
    if (is.null(says[[key]])) refuse_plan(file, sprintf("It does not say \"%s\".", key))
  }
  says
}

refuse_plan <- function(file, why) {
  fail(
    "plan", sprintf("%s is no plan that can be worked by.", file), where = why,
    remedy = paste0(
      "Write \"processes: 4\", or \"hosts: [a, a, b]\", or \"scheduler: slurm\" with ",
      "\"workers:\" and a \"folder:\" that all nodes see."
    )
  )
}

# As ssh knows them; a host that is named twice has two workers. Each is asked once by hand first:
# what ssh says of one that cannot be reached is the answer, and nothing waits for it.
plan_of_hosts <- function(says) {
  with <- c(
    "-o", "BatchMode=yes", "-o", "ConnectTimeout=15", if (!is.null(says$ssh)) c("-F", says$ssh)
  )
  rscript <- says$rscript %||% "Rscript"
  for (host in unique(says$hosts)) {
    said <- suppressWarnings(system2(
      "ssh", c(with, host, rscript, "--version"),
      stdout = TRUE, stderr = TRUE, stdin = nullfile()
    ))
    if (!is.null(attr(said, "status"))) stop(paste0(host, ": ", paste(said, collapse = " ")))
  }
  future::plan(
    future::cluster, workers = says$hosts, homogeneous = FALSE, rscript = rscript,
    rscript_libs = says$libraries, rshcmd = "ssh", rshopts = with, connectTimeout = 60,
    tries = 2L, setup_strategy = "sequential"
  )
}

plan_of_scheduler <- function(says) {
  need_package("future.batchtools", "A scheduler")
  if (!dir.exists(says$folder)) fail("plan", sprintf("There is no folder %s.", says$folder))
  # What is made there for the jobs goes when this process does.
  own <- tempfile("imbroglio-", normalizePath(says$folder))
  dir.create(own, mode = "0700")
  reg.finalizer(.GlobalEnv, function(e) unlink(own, recursive = TRUE), onexit = TRUE)
  options(future.cache.path = own)
  future::plan(
    future.batchtools::batchtools_slurm, workers = as.integer(says$workers),
    template = system.file("plan", "slurm.tmpl", package = "imbroglio"),
    resources = list(
      cores = says$cores %||% "1", minutes = says$minutes %||% "60", options = says$options,
      libraries = paste(says$libraries, collapse = ":")
    )
  )
}

# Each host, or a job, says which version of this package it has.
ask_workers <- function(says) {
  if (!is.null(says$processes)) return(invisible())
  asked <- if (is.null(says$hosts)) "job" else says$hosts
  found <- done_side_by_side(
    stats::setNames(asked, make.unique(asked)),
    function(worker) {
      # So that no host is asked twice while another is not.
      Sys.sleep(0.2)
      c(Sys.info()[["nodename"]], own_version())
    },
    lost = function(worker, why) stop(paste0(worker, ": ", why %||% "it ended, three times"))
  )
  own <- own_version()
  other <- Filter(function(one) one[2L] != own, found)
  if (length(other)) {
    fail(
      "plan", sprintf("Of imbroglio there is %s here, %s.", own, paste(
        unique(vapply(other, function(one) sprintf("%s on %s", one[2L], one[1L]), "")),
        collapse = ", "
      )),
      remedy = "Install the same version on all."
    )
  }
}
