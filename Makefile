# Two calls do all: `make tour` shows the whole example, `make test` checks everything.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.installed
# Tests wait for processes of their own a good deal: one worker more than there are processors.
HANDS := $(shell $(PYTHON) -c "import os; print((os.cpu_count() or 1) + 1)")
export PIP_DISABLE_PIP_VERSION_CHECK := 1
# The versions of all that is installed, and of what builds the package (which a newer pip asks for apart).
PINS ?= $(CURDIR)/constraints.txt
export PIP_CONSTRAINT = $(PINS)
export PIP_BUILD_CONSTRAINT = $(PINS)

.PHONY: tour test quick long coverage bench format pins newest clean

tour: $(VENV)/.ready
	@$(BIN)/vetrina tour tour

# The package is built and installed while the code is checked.
test: $(STAMP)
	@$(BIN)/python -m compileall -q src tests
	@(tools/package.sh $(BIN)/python > .package.log 2>&1; echo $$? > .package.code) & \
	set -e; set -x; \
	$(BIN)/ruff format --check .; $(BIN)/ruff check .; $(BIN)/mypy; $(BIN)/lint-imports; \
	$(BIN)/oxlint --deny-warnings -D correctness -D no-shadow src/vetrina/views/page/page.mjs tests/page.test.mjs; \
	{ set +x; } 2> /dev/null; wait; tail -1 .package.log; \
	test "$$(cat .package.code)" = 0 || { cat .package.log; exit 1; }
	$(BIN)/pytest -n $(HANDS)

# How much of the code the tests go through, every command's process included; at least 90 % of lines and branches.
coverage: $(STAMP)
	rm -f .coverage .coverage.*
	$(BIN)/python -m compileall -q src tests
	COVERAGE_FILE=$(CURDIR)/.coverage $(BIN)/coverage run -m pytest -n auto --few --cold
	$(BIN)/coverage combine --quiet
	$(BIN)/coverage report

# The tests of the core alone, in under a minute: for the time between two looks.
quick: $(STAMP)
	$(BIN)/pytest -n auto tests/core --few

# All that the tests can try: more seeds, more examples; before a release.
long: $(STAMP)
	$(BIN)/pytest -n auto --long --cold

bench: $(STAMP)
	@$(BIN)/python -m compileall -q src
	$(BIN)/python benchmarks/run.py

format: $(STAMP)
	$(BIN)/ruff format .
	$(BIN)/ruff check --fix .

# Pin the newest versions of everything; the lines that changed are printed.
pins:
	@tools/pins.sh $(PYTHON)

# All checks with the newest of everything, in a place of its own: before a release. What is newer than pinned is told first.
newest:
	rm -rf .venv-newest
	$(MAKE) VENV=.venv-newest PINS= .venv-newest/.installed
	@.venv-newest/bin/pip freeze --exclude-editable | sort --ignore-case | grep -v -x -i -F -f constraints.txt || echo "all as pinned"
	$(MAKE) VENV=.venv-newest PINS= test

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/.ready: $(VENV)/bin/python pyproject.toml $(PINS)
	$(BIN)/pip install --quiet -e '.[live,learn,survey,plot]'
	@touch $@

$(STAMP): $(VENV)/bin/python pyproject.toml $(PINS)
	$(BIN)/pip install --quiet -e '.[test,plot,live,cluster,survey]'
	@touch $@ $(VENV)/.ready

clean:
	rm -rf $(VENV) .venv-newest build dist tour .mypy_cache .ruff_cache .pytest_cache .hypothesis
