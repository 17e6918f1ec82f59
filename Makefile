# `make demo` and `make test` are the two to know; each sets up what it needs.
.DELETE_ON_ERROR:
LIBRARY := $(CURDIR)/build/library
PREFIX ?= $(if $(filter 0,$(shell id -u)),/usr/local,$(HOME)/.local)
SOURCES := DESCRIPTION NAMESPACE $(wildcard R/*.R src/*.cpp src/*.h src/Makevars src/core/*.h exec/* man/*.Rd) \
	$(shell find inst -type f)
export R_LIBS := $(LIBRARY):$(R_LIBS)

.PHONY: demo test check lint sanitize newest bench opened results workers far year mornings readers counts study bridge-study change-study attack shots install uninstall docs workings site demo-data setup-run setup-test setup-lint setup-newest setup-bench setup-shots setup-docs clean

demo: setup-run build/installed
	@exec/imbroglio demo --figure build/demo.png

test: setup-test build/installed
	@FILE="$(FILE)" Rscript tools/test.R

check: setup-test build/installed
	@tools/check $(CHECK)

lint: setup-lint
	@tools/lint

sanitize: setup-test build/installed
	@FILE="$(FILE)" tools/sanitize

newest: setup-newest
	@tools/newest

# In a process that keeps freed memory: see bench/timing.R. calls.R and linear.R see to it themselves.
KEPT := MALLOC_MMAP_THRESHOLD_=4294967296 MALLOC_TRIM_THRESHOLD_=80000000000
bench: setup-bench build/installed
	@Rscript bench/calls.R
	@Rscript bench/linear.R
	@$(KEPT) Rscript bench/rolling.R
	@$(KEPT) Rscript bench/measures.R
	@$(KEPT) Rscript bench/reading.R
	@$(KEPT) Rscript bench/fit.R
	@$(KEPT) Rscript bench/var.R
	@$(KEPT) Rscript bench/store.R
	@$(KEPT) Rscript bench/slowest.R
	@Rscript bench/page.R

# Prices that are read in blocks, in processes of their own (a quarter of an hour, 1.3 GB of disk).
opened: setup-bench build/installed
	@Rscript bench/opened.R

# Time and memory against size, in processes of their own (a quarter of an hour).
results: setup-bench build/installed
	@Rscript bench/results.R
	@Rscript bench/start.R

# Workers of five kinds, on this machine (ten minutes; the servers: tools/setup machines).
workers: setup-bench build/installed
	@Rscript bench/workers.R

# What follows for a million securities (ten minutes, 1 GB of disk).
far: setup-bench build/installed
	@Rscript bench/far.R

# A year of a store: a day a morning, what went wrong put right (ten minutes).
year: setup-bench build/installed
	@Rscript bench/year.R

# A month of mornings with all that happens, as a table (three minutes).
mornings: setup-bench build/installed
	@Rscript bench/mornings.R

readers: setup-bench build/installed
	@Rscript bench/readers.R

# Instructions counted, not time: what `bench/counts.csv` keeps, and more than a tenth above it fails.
counts: setup-bench build/installed
	@UPDATE=$(UPDATE) Rscript bench/counts.R

study: setup-run build/installed
	@Rscript bench/fit-study.R
	@Rscript bench/var-study.R
	@Rscript bench/chance-study.R

# What lies between the prices of a fund, against books whose every day is known (half an hour).
bridge-study: setup-run build/installed
	@Rscript bench/bridge-study.R

# Each day's change of the demo's book of unlike things, in parts (a quarter of an hour).
change-study: setup-run build/installed
	@Rscript bench/change-study.R

attack: setup-test build/installed
	@ATTACK_SHARE=$(or $(SHARE),1) ATTACK_KINDS=$(KINDS) Rscript tests/attack/attack.R

shots: setup-shots build/installed
	@tools/shots

install: setup-run
	@tools/install "$(PREFIX)"

# All versions below PREFIX, or one of them: VERSION=0.1.0.
uninstall:
	@tools/uninstall "$(PREFIX)" $(VERSION)

docs: setup-docs build/installed
	Rscript -e 'Rcpp::compileAttributes(); roxygen2::roxygenise(load_code = "installed")'
	Rscript -e 'writeLines(imbroglio:::schema_text(), "inst/study/study.schema.json")'
	Rscript tools/schemas.R

workings: setup-test build/installed
	Rscript tools/workings.R

site: setup-test build/installed
	@tools/site

demo-data: setup-run
	Rscript data-raw/make-demo.R

setup-run setup-test setup-lint setup-newest setup-bench setup-shots setup-docs: setup-%:
	@tools/setup $*

build/installed: $(SOURCES) | setup-run
	@mkdir -p $(LIBRARY)
	@echo "Building the package (a minute, the first time)" >&2
	@_R_SHLIB_BUILD_OBJECTS_SYMBOL_TABLES_=TRUE MAKEFLAGS=-j$$(getconf _NPROCESSORS_ONLN) R CMD INSTALL --library=$(LIBRARY) --no-test-load . >build/install.log 2>&1 || { cat build/install.log >&2; exit 1; }
	@touch $@

clean:
	rm -rf build src/*.o src/*.so src/symbols.rds
