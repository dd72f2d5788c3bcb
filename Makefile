# Two calls do all: `make tour` shows the whole example, `make test` checks everything.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.installed
export PIP_DISABLE_PIP_VERSION_CHECK := 1

.PHONY: tour test quick bench format screenshots clean

tour: $(VENV)/.ready
	@$(BIN)/vetrina tour tour

test: $(STAMP)
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/pytest -n auto

# The tests of the core alone, in under a minute: for the time between two looks.
quick: $(STAMP)
	$(BIN)/pytest -n auto tests/core

bench: $(STAMP)
	$(BIN)/python benchmarks/run.py

format: $(STAMP)
	$(BIN)/ruff format .
	$(BIN)/ruff check --fix .

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/.ready: $(VENV)/bin/python pyproject.toml
	$(BIN)/pip install --quiet -e .
	@touch $@

$(STAMP): $(VENV)/bin/python pyproject.toml
	$(BIN)/pip install --quiet -e '.[test,plot,send]'
	@touch $@ $(VENV)/.ready

clean:
	rm -rf $(VENV) build dist tour .mypy_cache .ruff_cache .pytest_cache .hypothesis
