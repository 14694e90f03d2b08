# Two commands do everything on a fresh machine: `make demo` and `make test`.
VENV ?= .venv
PYTHON ?= python3
BIN := $(VENV)/bin
PORT ?= 8500
DATABASE ?= var/demo.sqlite
APT := $(if $(shell command -v sudo 2>/dev/null),sudo apt-get,apt-get)

# Whatever hangs, the tests have an end: each by itself, and all of them together.
BOUND := timeout --kill-after=60 4200

# Where the environment forbids it, every process would compile the whole source again: a second and a half of a core each.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test measured quick coverage mutants kept check bench soak assets texts schemas screenshots clean

demo: $(VENV)/.app
	@echo "Opening the demo school: its address follows in some seconds. Ctrl+C stops it; make demo goes on where it was."
	@$(BIN)/lumenstat serve --demo --port $(PORT) --database $(DATABASE)

# Types are checked on one core while the quick tests run on the other. Three at a time in the second part: its browsers
# and servers leave a core idle now and then.
test: $(VENV)/.test chromium
	@$(MAKE) --jobs=2 --output-sync=target check measured
	$(BOUND) $(BIN)/python -m pytest -n 3 --dist worksteal -m "slow or long or unmeasured" --durations=15

# The quick tests, and which lines they reach.
measured: $(VENV)/.test
	$(BOUND) $(BIN)/python -m pytest -n 2 --dist worksteal -m "not slow and not long and not unmeasured" --cov --cov-report=term:skip-covered

# For daily work: about a minute, everything that needs no browser, server or long flight.
quick: $(VENV)/.test
	$(BIN)/ruff check .
	$(BIN)/python -m pytest -q -n 2 --dist worksteal -m "not slow and not long"

# What the quick tests and those that fly long do not reach.
coverage: $(VENV)/.test
	$(BIN)/python -m pytest -q -n 2 --dist worksteal -m "not slow and not unmeasured" --cov --cov-report=term:skip-covered

# Single-point changes of the core, and which of them no test notices; about an hour for a hundred.
mutants: $(VENV)/.test
	$(BIN)/python -m tests.mutants

# Flights, ledgers and proofs as they are now, to be compared with from here on; what differs stands in the diff.
kept: $(VENV)/.test
	$(BIN)/python -m tests.kept

check: $(VENV)/.test
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/djlint src/lumenstat/web/templates --check --quiet
	$(BIN)/djlint src/lumenstat/web/templates --lint --quiet

bench: $(VENV)/.test chromium
	$(BIN)/python -m bench

# Load, kills and fuzz against servers of its own on the loopback address; some 25 minutes.
soak: $(VENV)/.test
	$(BIN)/python -m soak

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV) || { $(APT) update -qq && $(APT) install -y -qq python3-venv && $(PYTHON) -m venv $(VENV); }

# The locks name every package, so nothing is resolved: a release on the index since then changes nothing.
$(VENV)/.app: requirements.lock pyproject.toml | $(VENV)/bin/python
	@echo "Installing into $(VENV): a minute or two the first time, nothing outside of it."
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -r requirements.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -e .
	touch $@

$(VENV)/.test: requirements-test.lock pyproject.toml | $(VENV)/bin/python
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -r requirements-test.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -e .
	touch $@ $(VENV)/.app

# Debian's browser for the interface tests, and the circuit simulator that the model is checked against.
.PHONY: chromium
chromium:
	@command -v chromium-headless-shell >/dev/null && command -v ngspice >/dev/null || { $(APT) update -qq && $(APT) install -y -qq --no-install-recommends chromium-headless-shell ngspice; }

# Rebuilds the committed style sheet and script; needs Node 20 or newer.
assets:
	assets/build.sh
	$(BIN)/python assets/stamp.py

# Gathers the texts of the sources into the catalogues of other languages and compiles them; tells what has no words yet.
texts: $(VENV)/.app
	$(BIN)/python assets/texts.py

schemas: $(VENV)/.app
	for name in airframe checklist exercise socket desk; do $(BIN)/lumenstat schema $$name > docs/schemas/$$name.json; done

screenshots: $(VENV)/.test chromium
	$(BIN)/python -m tests.browser.screenshots

clean:
	rm -rf $(VENV) var build .pytest_cache .mypy_cache .ruff_cache .hypothesis
