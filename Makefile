# `make demo` and `make test` do all the set-up that they need; the second time they find it done.
.DEFAULT_GOAL := help
.DELETE_ON_ERROR:
# Most of the set-up waits for packages: Python's, Node.js's and Debian's come side by side.
MAKEFLAGS += --jobs=3
SHELL := /bin/sh

PORT ?= $(or $(PADDOCK_PORT),8200)
DEMO := $(or $(PADDOCK_DATA),.data/demo)
BIN := .venv/bin
# Most tests wait for machines more than they work.
TEST_PROCESSES ?= 3
WEB_SOURCES := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts web/tsconfig.json

.PHONY: help demo demo-clean test lint fuzz troubles mutants bench screenshots web wheels dist release types new-database lock clean

help: ## show this
	@awk -F ':.*## ' '/^[a-z-]+:.*## / { printf "  make %-12s %s\n", $$1, $$2 }' $(MAKEFILE_LIST)

demo: .make/python .make/web .make/wheels ## start the demo: server, stand-in hosts, a real agent (PORT=8200, SIGN_ON=1 for a sign-on provider); Ctrl-C stops it
	@exec $(BIN)/paddock-demo --data $(DEMO) --port $(PORT) $(if $(SIGN_ON),--sign-on)

demo-clean: ## remove what the demo keeps
	@test ! -e $(DEMO) || test -e $(DEMO)/login.json || { echo "$(DEMO) does not look like a demo's; remove it by hand." >&2; exit 1; }
	rm -rf $(DEMO) $(DEMO)-backups

test: .make/python .make/web .make/wheels .make/test-tools ## run all tests
	cd web && npm run --silent test
	$(BIN)/pytest --numprocesses $(TEST_PROCESSES) --dist loadfile --no-loadscope-reorder

lint: .make/python .make/node ## check style, types and prose
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	PADDOCK_DATA=.make/mypy $(BIN)/mypy
	PADDOCK_DATA=.make/mypy $(BIN)/mypy --platform win32 agent/paddock_agent/services/windows_real.py agent/paddock_agent/services/windows_run.py
	$(BIN)/python tools/prose.py
	cd web && npx eslint src && npx vue-tsc --noEmit

fuzz: .make/python .make/test-tools ## make 100,000 strange calls of the API (CALLS=…, SEED=…)
	PADDOCK_FUZZ_CALLS=$(or $(CALLS),100000) PADDOCK_FUZZ_SEED=$(or $(SEED),14) $(BIN)/pytest -s server/tests/test_fuzz.py

troubles: .make/python .make/web .make/wheels .make/test-tools ## make every trouble of tests/hosts/troubles on a real host, and mend it
	PADDOCK_TROUBLES=all $(BIN)/pytest -v --tb=short tests/hosts/test_troubles.py

mutants: .make/python .make/mutation ## make small faults in the core's decisions, and count which its tests find (SAMPLE=200, SEED=17)
	.make/mutation/bin/python bench/mutants.py --sample $(or $(SAMPLE),200) --seed $(or $(SEED),17)

bench: .make/python .make/web .make/wheels .make/test-tools ## run the benchmarks; docs/measurements.md has the figures
	$(BIN)/python bench/routing.py
	cd bench && ../$(BIN)/python submit_to_start.py
	cd bench && ../$(BIN)/python jobs_a_second.py
	cd bench && ../$(BIN)/python answers.py
	cd bench && ../$(BIN)/python start.py
	cd bench && ../$(BIN)/python browsers.py
	$(BIN)/python bench/bring_up.py
	cd bench && ../$(BIN)/python upgrade.py
	$(BIN)/python bench/heartbeats.py
	$(BIN)/python bench/log_flow.py
	$(BIN)/python bench/packed_logs.py
	$(BIN)/python bench/survey.py
	$(BIN)/python bench/trial_of_work.py
	$(BIN)/python bench/toolchains.py
	cd bench && ../$(BIN)/python planning.py
	$(BIN)/python bench/standby.py
	$(BIN)/python bench/standby_month.py
	$(BIN)/python bench/calibration.py 300
	cd web && npx vitest bench --run

screenshots: .make/python .make/web .make/wheels .make/test-tools ## take the pictures in docs/screenshots
	$(BIN)/python tests/browser/screenshots.py
	PADDOCK_PICTURES=docs/screenshots $(BIN)/pytest -q tests/browser/test_examination.py

web: .make/web ## build the web part

wheels: .make/wheels ## gather what hosts install from the server

dist: .make/web .make/wheels ## build what an administrator installs into dist/
	sh setup/dist.sh

release: .make/python ## stamp a version, head its changes, and build its wheels (VERSION=0.2.0)
	$(BIN)/python tools/release.py $(VERSION)
	$(MAKE) dist

types: .make/python .make/node ## write web/openapi.json and the web's types from the server's API
	PADDOCK_DATA=.data/types $(BIN)/python -m django spectacular --settings paddock_server.settings \
	    --validate --fail-on-warn --format openapi-json --file web/openapi.json
	cd web && npm run --silent types

new-database: .make/python ## write what a new server's database is made from; after each new migration
	$(BIN)/python tools/new_database.py

lock: ## resolve what is in requirements into its lock files
	python3 -m venv .make/lock && .make/lock/bin/pip install --quiet pip-tools
	for one in all:lock server:server mutants:mutants; do \
	    .make/lock/bin/pip-compile --quiet --generate-hashes --allow-unsafe --strip-extras --no-header \
	        --no-emit-index-url --no-emit-trusted-host --output-file requirements/$${one#*:}.txt requirements/$${one%:*}.in; \
	done

clean: demo-clean ## remove everything that was made
	rm -rf .venv .make .data web/node_modules web/dist

# The mutation tool brings a pytest of its own, so it has an environment beside ours, which it reads the rest from.
.make/mutation: requirements/mutants.txt | .make/python
	$(BIN)/python -m venv --clear $@
	$@/bin/python -m pip install -qq --disable-pip-version-check --require-hashes -r requirements/mutants.txt
	echo "$(CURDIR)/.venv/lib/$$(basename $$(dirname $$(ls -d $@/lib/python3*/site-packages)))/site-packages" > $$(ls -d $@/lib/python3*/site-packages)/ours.pth

.make/python: requirements/lock.txt core/pyproject.toml agent/pyproject.toml server/pyproject.toml standins/pyproject.toml setup/python.sh
	sh setup/python.sh
	@mkdir -p .make && touch $@

# The folder itself says when it was made: setup/wheels.sh puts it in place as a whole.
.make/wheels: .make/python setup/wheels.sh requirements/windows-hosts.txt $(shell find agent/paddock_agent -name '*.py' -o -name '*.yaml')
	sh setup/wheels.sh
	@touch $@

.make/node: web/package-lock.json setup/node.sh
	sh setup/node.sh
	@mkdir -p .make && touch $@

# A compressed copy beside each file: the server hands out whichever the browser takes.
.make/web: .make/python .make/node $(WEB_SOURCES)
	cd web && npm run --silent build
	$(BIN)/python -m whitenoise.compress --quiet --no-brotli web/dist
	@mkdir -p .make && touch $@

.make/test-tools: setup/test-tools.sh
	sh setup/test-tools.sh
	@mkdir -p .make && touch $@
