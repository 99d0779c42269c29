# Gold Thread. `make help` lists what there is.
SHELL := /bin/bash
.DEFAULT_GOAL := help
PYTHON := .venv/bin/python
GOLDTHREAD := .venv/bin/goldthread
QUICK := core cql2 intake demo
NODE_PATH_FIRST := PATH="$(CURDIR)/.venv/bin:$$PATH"
# else every process compiles the product anew
unexport PYTHONDONTWRITEBYTECODE

.PHONY: help demo start upgrade wheel stop test coverage quick check differential bench bench-large bench-cluster screenshots format types clean

help: ## list the commands
	@awk -F ':.*## ' '/^[a-z-]+:.*## / { printf "make %-12s %s\n", $$1, $$2 }' $(MAKEFILE_LIST)

demo: ## set everything up and start it with the demo book
	@setup/prepare.sh product
	@$(GOLDTHREAD) up --demo

start: ## set everything up and start it with your own books
	@setup/prepare.sh product
	@$(GOLDTHREAD) up

upgrade: ## bring this installation to the newest version, or to REVISION=…; one that fails goes back
	@setup/upgrade.sh $(REVISION)

wheel: ## build a package with the page inside into dist/
	@setup/prepare.sh product
	@setup/wheel.sh

stop: ## stop the server and its database
	@if [ -x $(GOLDTHREAD) ]; then $(GOLDTHREAD) down; else echo "Nothing was set up yet."; fi

test: ## set everything up, check the code and run every test
	@setup/prepare.sh checks
	@$(MAKE) --no-print-directory check-only
	$(PYTHON) -m tests

coverage: ## run every test, and say which lines none of them reaches; half as long again
	@setup/prepare.sh checks
	$(PYTHON) -m coverage erase
	$(PYTHON) -m coverage run --parallel-mode -m tests
	$(PYTHON) -m coverage combine -q
	$(PYTHON) -m coverage report

quick: ## run the tests that need neither database nor browser
	@setup/prepare.sh checks >/dev/null
	@for part in $(QUICK); do $(PYTHON) -W error -m unittest discover -t . -s tests/$$part || exit 1; done

check: ## types, lint, format, generated files
	@setup/prepare.sh checks
	@$(MAKE) --no-print-directory check-only

.PHONY: check-only
check-only:
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	cd web && $(NODE_PATH_FIRST) npm run --silent check
	cd web && $(NODE_PATH_FIRST) npm run --silent lint
	cd web && $(NODE_PATH_FIRST) npm run --silent format:check

format: ## put all code into the house form
	.venv/bin/ruff check --fix -q . || true
	.venv/bin/ruff format -q .
	cd web && $(NODE_PATH_FIRST) npm run --silent format

types: ## make the front end's types anew from the API's own description
	@rm -f .stamps/interface
	@setup/prepare.sh product

differential: ## hold the program against the second implementation for an hour; MINUTES=5 for less
	@setup/prepare.sh checks
	$(PYTHON) -m tests.reference.differential --minutes $(or $(MINUTES),60)

bench: ## measure: build, questions, bulk rates; prints ratios
	@setup/prepare.sh checks
	$(PYTHON) -m bench

bench-large: ## measure the core at a hundred million orders; takes some 16 GB of memory
	@setup/prepare.sh checks
	$(PYTHON) -m bench.large

bench-cluster: ## measure a book in parts: overhead, one and two workers, a hundred million orders; takes some 12 GB
	@setup/prepare.sh checks
	$(PYTHON) -m bench.cluster

screenshots: ## take the pictures in docs/screenshots from the demo book
	@setup/prepare.sh checks
	$(PYTHON) -m docs.take_screenshots

clean: ## remove everything that set-up and running made
	@if [ -x $(GOLDTHREAD) ]; then $(GOLDTHREAD) down; fi
	rm -rf .venv .stamps web/node_modules web/dist web/src/lib/api/{openapi.json,generated.d.ts,fields.ts} var dist .mypy_cache .ruff_cache src/*.egg-info
