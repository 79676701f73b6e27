# Two commands do everything on a fresh machine: make demo, make test.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test test-all versions lint format types screenshots bench bench-data fuzz mutants dist clean

demo: $(VENV)/program
	$(BIN)/milepost demo --force

test: lint types
	$(BIN)/python -m pytest

# With those that take long and seldom tell more than their neighbours; before a release.
test-all: lint types
	$(BIN)/python -m pytest -m ""

# The tests in every supported version of Python that this machine has.
VERSIONS ?= 3.11 3.12 3.13
versions:
	@for version in $(VERSIONS); do \
	  python$$version -c pass 2>/dev/null || { echo "Python $$version is not on this machine."; continue; }; \
	  python$$version -m venv .venv-$$version && \
	  .venv-$$version/bin/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]' && \
	  .venv-$$version/bin/python -m pytest || exit 1; \
	done

lint: $(VENV)/ready
	$(BIN)/ruff check src tests scripts benchmarks
	$(BIN)/ruff format --check --quiet src tests scripts benchmarks

format: $(VENV)/ready
	$(BIN)/ruff format src tests scripts benchmarks

types: $(VENV)/ready
	$(BIN)/mypy

# What the demo needs, and no more.
$(VENV)/program: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable .
	touch $@

$(VENV)/ready: $(VENV)/program
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

# Broken logs by the thousand: no traceback, no hang, every record accounted for, both readers agree.
fuzz: $(VENV)/ready
	$(BIN)/python benchmarks/fuzz.py

# Small changes to the code that decides, of which the tests should notice 85 in 100 or more.
EACH ?= 30
SEED ?= 1
PACKAGES ?= cleaning playback measures numerics difficulty comparison planning folder partitions logs/mapping
mutants: $(VENV)/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check mutmut
	$(BIN)/python benchmarks/mutants.py --each $(EACH) --seed $(SEED) --packages $(PACKAGES)

# A wheel and a source distribution, checked; the wheel runs the demo in an environment of its own.
dist: $(VENV)/ready
	rm -rf dist
	$(BIN)/python -m pip install --quiet --disable-pip-version-check build twine
	$(BIN)/python -m build --outdir dist .
	$(BIN)/python -m twine check --strict dist/*
	$(PYTHON) -m venv --clear dist/.bare
	dist/.bare/bin/python -m pip install --quiet --disable-pip-version-check dist/*.whl
	cd dist/.bare && bin/milepost demo --force > demo.txt
	rm -rf dist/.bare

clean:
	rm -rf $(VENV) build dist wickwater

screenshots: $(VENV)/ready
	$(BIN)/python scripts/make_screenshots.py

# Speed beside parsing alone and beside SQL and Polars, in one run, with what it should be: make bench PLAYERS="730 7300"
# (137 records a player; the largest takes a quarter of an hour); then of logs as people have them, with builds and findings.
PLAYERS ?= 73 730 7300 73000
bench: $(VENV)/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check polars
	$(BIN)/python benchmarks/speed.py --players $(PLAYERS)
	$(BIN)/python benchmarks/as_logged.py

# A log of about N records, sessions mixed in time as a collector writes them.
N ?= 1000000
bench-data: $(VENV)/ready
	$(BIN)/milepost simulate --players $$(( $(N) / 137 + 1 )) --output bench-data.jsonl
