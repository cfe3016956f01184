PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.runtime
DEV_STAMP := $(VENV)/.dev

.PHONY: env dev demo serve test quick prove lint bench screenshots styles types lock chromium wheel

env: $(STAMP) ## only the environment, with the mirvo command in .venv/bin

$(BIN)/python:
	$(PYTHON) -c 'import sys; sys.exit("Mirvo needs Python 3.11 or newer") if sys.version_info < (3, 11) else None'
	$(PYTHON) -m venv $(VENV)

$(STAMP): requirements/build.txt requirements/runtime.txt pyproject.toml | $(BIN)/python
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/build.txt -r requirements/runtime.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-build-isolation --no-deps -e .
	touch $@

dev: $(DEV_STAMP)

$(DEV_STAMP): requirements/dev.txt $(STAMP)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/dev.txt
	touch $@

demo: $(STAMP) ## the made-up yard on 127.0.0.1:8000
	$(BIN)/mirvo demo

serve: $(STAMP) ## your own data in ./data (or MIRVO_DATA)
	$(BIN)/mirvo serve

chromium:
	@if [ ! -x /usr/bin/chromium ]; then \
	  if [ "$$(id -u)" = 0 ]; then apt-get update -qq && apt-get install -y -qq chromium >/dev/null; \
	  else echo "The browser tests need Chromium: as root, run 'apt-get install chromium'." >&2; exit 1; fi; \
	fi

test: $(DEV_STAMP) chromium lint ## everything: lint, then all tests
	$(BIN)/python -m tests

quick: $(DEV_STAMP) ## the core's tests, in under a minute
	$(BIN)/python -m tests --quick

prove: $(DEV_STAMP) chromium ## the long proofs, and which lines no test runs; takes hours
	MIRVO_PROVE=1 MIRVO_WRITES=500 MIRVO_FUZZ=30000 $(BIN)/python -m tests --coverage

lint: $(DEV_STAMP)
	$(BIN)/ruff check --no-cache mirvo tests tools
	$(BIN)/ruff format --no-cache --check --quiet mirvo tests tools
	$(BIN)/mypy --no-error-summary
	$(BIN)/lint-imports --no-cache
	$(BIN)/djlint --quiet --lint mirvo/web/templates
	$(BIN)/python -m tools.styles --check
	$(BIN)/python -m tools.types --check
	$(BIN)/python -m tools.exchange_docs --check
	@if command -v node >/dev/null; then node --test tests/js/*.test.js >/dev/null \
	  || { node --test tests/js/*.test.js; exit 1; }; fi
	@if [ -x node_modules/.bin/tsc ]; then node_modules/.bin/tsc && node_modules/.bin/eslint mirvo/web/static/js tests/js; fi

bench: $(DEV_STAMP) ## how true and how fast it is, as figures and ratios
	$(BIN)/python -m tools.accuracy
	$(BIN)/python -m tools.bench
	$(BIN)/python -m tools.bench_large
	MIRVO_FUZZ=30000 $(BIN)/python -m tests tests.web.test_fuzz
	$(BIN)/python -m tools.endurance kills

screenshots: $(DEV_STAMP) chromium ## docs/screenshots from the demo yard
	$(BIN)/python -m tools.screenshots

wheel: $(DEV_STAMP) ## a package to install elsewhere, in dist
	$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps --no-build-isolation --wheel-dir dist .

styles: ## rebuild the stylesheet; needs Node
	npm install --no-save --no-audit --no-fund --silent
	$(PYTHON) -m tools.styles --build

types: $(DEV_STAMP) ## rebuild the browser's types of the marks
	$(BIN)/python -m tools.types --build

lock: $(DEV_STAMP) ## renew the locked requirements
	$(BIN)/pip-compile -q --generate-hashes --no-emit-index-url --no-emit-options --strip-extras --allow-unsafe --all-build-deps --only-build-deps -o requirements/build.txt pyproject.toml
	$(BIN)/pip-compile -q --generate-hashes --no-emit-index-url --no-emit-options --strip-extras --allow-unsafe -o requirements/runtime.txt pyproject.toml
	$(BIN)/pip-compile -q --generate-hashes --no-emit-index-url --no-emit-options --strip-extras --allow-unsafe --extra dev -o requirements/dev.txt pyproject.toml
