# Two commands do everything on a fresh machine: make demo, make test.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test lint types screenshots clean

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
