# Everything stands inside the checkout: .venv for Python, frontend/node_modules for the front end.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
STATIC := src/ylemorph/web/static/index.html
SCHEMA := frontend/src/api/schema.ts
FRONT  := $(shell find frontend/src frontend/public -type f -not -name schema.ts 2>/dev/null) frontend/index.html \
          frontend/vite.config.ts frontend/tsconfig.json
API    := $(shell find src/ylemorph/web src/ylemorph/formats src/ylemorph/core -name '*.py')
# Many tests start the program anew: it is compiled once.
export PYTHONDONTWRITEBYTECODE :=
# Tests write much and wait for it: on memory where there is room, and one more at a time than there are processors.
ROOMY  := $(shell awk '$$1 == "MemAvailable:" && $$2 > 10000000 {print "yes"}' /proc/meminfo 2>/dev/null)
ROOMY  := $(and $(ROOMY),$(shell df --output=avail -k /dev/shm 2>/dev/null | awk 'NR == 2 && $$1 > 10000000 {print "yes"}'))
export PYTEST_DEBUG_TEMPROOT := $(if $(ROOMY),/dev/shm,$(PYTEST_DEBUG_TEMPROOT))
PROCESSORS := $(shell nproc 2>/dev/null || echo 2)
WORKERS := $(shell expr $(PROCESSORS) + 1)
PYTEST  := $(BIN)/pytest --numprocesses $(WORKERS) --dist worksteal
SAY    := @printf '\n== %s\n'

.PHONY: help setup setup-tests tools demo check test test-deep test-elsewhere test-foreign mutants bench lint fmt build wheel lock release browser utilities clean
.PHONY: lint-rules lint-layout lint-linux lint-win32 lint-darwin lint-imports lint-front lint-front-types
help:
	@echo "make demo       set up, then start with demo data at http://127.0.0.1:8642"
	@echo "make check      set up, then lint, types, import contract, unit tests"
	@echo "make test       set up, then lint, types, import contract, all tests"
	@echo "make test-deep  the property tests with many more cases, and real file systems shrunk to their floors"
	@echo "make test-elsewhere  the unit tests, without what other systems lack"
	@echo "make test-foreign  the images of the utilities' own test suites"
	@echo "make mutants    changes the code at random places and says what no test notices (COUNT=200 SEED=1 ONLY=)"
	@echo "make bench      timings as ratios"
	@echo "make lint       lint, types and import contract only"
	@echo "make fmt        lay out the code"
	@echo "make build      the front end only"
	@echo "make wheel      one file to install, with the screens in it, in dist"
	@echo "make release    the same with all that it needs, to install without a network, in dist/release"
	@echo "make lock       chooses the versions of all packages anew"
	@echo "make clean      take away what was set up and built"

# What is fetched waits for the network, so all of it is fetched at once.
TOGETHER := +@$(MAKE) --no-print-directory
PACKAGES := $(VENV)/.ready frontend/node_modules/.ready
setup:
	$(TOGETHER) --jobs 2 $(PACKAGES)
setup-tests:
	$(TOGETHER) --jobs 3 $(PACKAGES) tools
ifeq ($(MAKELEVEL),0)
.NOTPARALLEL:
endif

# Exactly what is locked, file by file; a package of another content is refused. What is never run is never compiled.
$(VENV)/.ready: pyproject.toml requirements-dev.lock
	$(SAY) "Python packages into $(VENV)"
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Python 3.11 or newer is needed")'
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV) || { echo "venv failed; on Debian: apt-get install python3-venv"; exit 1; }
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --require-hashes --requirement requirements-dev.lock
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	@touch $@

frontend/node_modules/.ready: frontend/package.json frontend/package-lock.json
	$(SAY) "Front-end packages into frontend/node_modules"
	@command -v npm >/dev/null || { echo "npm is missing; Node 20 is needed"; exit 1; }
	@cd frontend && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(SCHEMA): $(VENV)/.ready frontend/node_modules/.ready $(API)
	$(SAY) "Types from the OpenAPI document"
	@mkdir -p .build
	@$(BIN)/python -m ylemorph.web.document > .build/openapi.json
	@cd frontend && npx --no-install openapi-typescript ../.build/openapi.json --default-non-nullable false -o src/api/schema.ts >/dev/null

$(STATIC): $(SCHEMA) frontend/node_modules/.ready $(FRONT)
	$(SAY) "Front end"
	@cd frontend && npx --no-install vite build --logLevel warn

build: $(STATIC)

wheel: $(VENV)/.ready $(STATIC)
	$(SAY) "Wheel"
	@rm -rf dist build
	@$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps --no-build-isolation --wheel-dir dist .
	@rm -rf build; ls dist

# What is installed is chosen anew, for every system; look at what changes before it is committed.
LOCK := --universal --python-version 3.11 --generate-hashes --no-annotate --no-header --no-emit-index-url --quiet --upgrade
lock:
	$(SAY) "Versions chosen anew into requirements.lock and requirements-dev.lock"
	@$(PYTHON) -m venv .build/lock && .build/lock/bin/python -m pip install --quiet --disable-pip-version-check uv
	@.build/lock/bin/uv pip compile $(LOCK) --output-file requirements.lock pyproject.toml
	@.build/lock/bin/uv pip compile $(LOCK) --extra dev --constraints requirements.lock --output-file requirements-dev.lock pyproject.toml

# One folder to carry to a machine without a network, for this system and this version of Python.
release: wheel
	$(SAY) "Everything to install without a network, in dist/release"
	@rm -rf dist/release && mkdir -p dist/release && cp dist/*.whl dist/release
	@$(BIN)/python -m pip download --quiet --disable-pip-version-check --only-binary :all: --require-hashes --requirement requirements.lock --dest dist/release
	@$(BIN)/python scripts/contents.py dist/release > dist/release/CONTENTS.txt
	@echo "pip install --no-index --find-links dist/release ylemorph"

demo: $(VENV)/.ready $(STATIC)
	$(SAY) "Starting with demo data in .demo (make demo FRESH=--fresh begins again)"
	@exec $(BIN)/ylemorph demo --data .demo $(FRESH)

LINT := lint-linux lint-win32 lint-darwin lint-front-types lint-front lint-rules lint-layout lint-imports
lint: setup $(SCHEMA)
	$(SAY) "Lint, types and import contract"
	$(TOGETHER) --output-sync=target --jobs $(PROCESSORS) $(LINT)

lint-rules:
	@$(BIN)/ruff check --quiet src tests benchmarks scripts
lint-layout:
	@$(BIN)/ruff format --check --quiet src tests benchmarks scripts
lint-linux lint-win32 lint-darwin:
	@$(BIN)/mypy --platform $(@:lint-%=%) --cache-dir .mypy_cache/$(@:lint-%=%)
lint-imports:
	@$(BIN)/lint-imports --no-logo
lint-front:
	@cd frontend && npm run --silent lint
lint-front-types:
	@cd frontend && npm run --silent types

# What the tests call, and the packages it comes in; what is missing is installed with apt where that is possible.
UTILITIES := sfdisk:fdisk parted:parted resize2fs:e2fsprogs ntfsresize:ntfs-3g btrfs:btrfs-progs fsck.fat:dosfstools \
  dump.exfat:exfatprogs mcopy:mtools pdftoppm:poppler-utils strace:strace busybox:busybox shellcheck:shellcheck \
  hivexsh:libhivex-bin qemu-nbd:qemu-utils \
  qemu-system-x86_64:qemu-system-x86,ovmf,grub-common,grub-pc-bin,grub-efi-amd64-bin,syslinux,syslinux-common
BROWSER := $(if $(shell command -v chromium),chromium:chromium,chromium-headless-shell:chromium-headless-shell,fonts-liberation)

# $(call bring,UTILITY:PACKAGE[,PACKAGE] ...)
define bring
	@PATH="$$PATH:/usr/sbin:/sbin"; missing=; \
	for pair in $(1); do command -v "$${pair%%:*}" >/dev/null || missing="$$missing $${pair#*:}"; done; \
	missing=$$(echo $$missing | tr , ' '); test -z "$$missing" && exit 0; \
	printf '\n== For the tests: %s\n' "$$missing"; \
	if [ "$$(id -u)" = 0 ]; then root=; elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then root=sudo; \
	else echo "missing and not to be installed here: apt-get install $$missing"; exit 1; fi; \
	$$root apt-get update -qq && $$root apt-get install -y -qq --no-install-recommends $$missing >/dev/null
endef

browser:
	$(call bring,$(BROWSER))
# The file systems' own utilities check what is said of them: tables are read back, volumes shrunk for real.
utilities:
	$(call bring,$(UTILITIES))
tools:
	$(call bring,$(BROWSER) $(UTILITIES))

check: lint
	$(SAY) "Unit tests"
	@$(PYTEST) tests/test_registries.py tests/test_docs.py tests/test_house.py tests/core tests/formats tests/probe tests/store tests/stand_ins tests/cli

test: setup-tests lint $(STATIC)
	$(SAY) "Tests"
	@$(PYTEST)

test-deep: $(VENV)/.ready utilities
	$(SAY) "Property tests, many cases; every real file system shrunk; many requests made from the OpenAPI document; killed a hundred times"
	@HYPOTHESIS_PROFILE=deep $(BIN)/pytest tests/test_recipes.py tests/core tests/formats tests/probe tests/real tests/web/test_document.py tests/web/test_killed.py

FOREIGN ?= $(HOME)/.cache/ylemorph-foreign
# What the program does where a system has less than this one.
test-elsewhere: $(VENV)/.ready
	$(SAY) "Unit tests, without what Windows and macOS lack"
	@TESTS_LACK=1 $(BIN)/pytest --numprocesses auto tests/core tests/formats tests/probe tests/store tests/stand_ins tests/attached tests/web tests/cli

test-foreign: $(VENV)/.ready utilities
	$(SAY) "Images of the utilities' own test suites, kept in $(FOREIGN)"
	@$(BIN)/python scripts/fetch_foreign.py $(FOREIGN)
	@YLEMORPH_FOREIGN=$(FOREIGN) $(BIN)/pytest tests/foreign

COUNT ?= 200
SEED  ?= 1
mutants: $(VENV)/.ready utilities
	$(SAY) "Changes that a slip of the hand could make, one at a time"
	@$(BIN)/python scripts/mutants.py --count $(COUNT) --seed $(SEED) --only '$(ONLY)'

bench: browser $(STATIC)
	$(SAY) "Timings"
	@$(BIN)/python -m benchmarks.plans
	@$(BIN)/python -m benchmarks.jobs
	@$(BIN)/python -m benchmarks.script
	@$(BIN)/python -m benchmarks.times
	@$(BIN)/python -m benchmarks.http
	@$(BIN)/python -m benchmarks.clients
	@$(BIN)/python -m benchmarks.people
	@$(BIN)/python -m benchmarks.deleting
	@$(BIN)/python -m benchmarks.drag
	@$(BIN)/python -m benchmarks.survey
	@$(BIN)/python -m benchmarks.carry
	@$(BIN)/python -m benchmarks.fleet

fmt: $(VENV)/.ready frontend/node_modules/.ready
	@$(BIN)/ruff check --fix --quiet src tests benchmarks scripts; $(BIN)/ruff format --quiet src tests benchmarks scripts
	@cd frontend && npm run --silent fmt

clean:
	rm -rf $(VENV) .build dist frontend/node_modules src/ylemorph/web/static $(SCHEMA) src/*.egg-info
