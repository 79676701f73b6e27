# Two commands do everything on a fresh machine: make demo, make test.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test lint types screenshots bench bench-data clean

demo: $(VENV)/ready
	$(BIN)/milepost demo --force

test: lint types
	$(BIN)/python -m pytest

lint: $(VENV)/ready
	$(BIN)/ruff check src tests scripts benchmarks

types: $(VENV)/ready
	$(BIN)/mypy

$(VENV)/ready: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

clean:
	rm -rf $(VENV) build dist wickwater

screenshots: $(VENV)/ready
	$(BIN)/python scripts/make_screenshots.py

# Speed beside parsing alone and beside SQL and Polars, in one run: make bench PLAYERS="7300 73000" (137 records a player).
PLAYERS ?= 730 7300
bench: $(VENV)/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check polars
	$(BIN)/python benchmarks/speed.py --players $(PLAYERS)

# A log of about N records, sessions mixed in time as a collector writes them.
N ?= 1000000
bench-data: $(VENV)/ready
	$(BIN)/milepost simulate --players $$(( $(N) / 137 + 1 )) --output bench-data.jsonl
