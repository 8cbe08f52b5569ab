# Needs only Python 3.11 or newer and make.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
N ?= 2000
SEED ?= 1

.PHONY: demo test test-lowest check docs bench fuzz fuzz-parts fuzz-rounds fuzz-bevels fuzz-prisms fuzz-sweeps fuzz-reading fuzz-trims fuzz-inputs fuzz-kills fuzz-slow screenshots clean

demo: $(VENV)/.ready
	$(BIN)/lathwick demo

test: $(VENV)/.ready
	$(BIN)/python -m pytest -n auto --dist loadgroup

# With the lowest versions that pyproject.toml allows, which are as old as Python 3.11.
test-lowest:
	$(PYTHON) -m venv .venv-lowest
	$(PYTHON) tests/lowest.py > .venv-lowest/lowest.txt
	.venv-lowest/bin/python -m pip install --quiet --disable-pip-version-check --constraint .venv-lowest/lowest.txt --editable ".[test]"
	.venv-lowest/bin/python -W ignore::DeprecationWarning -m pytest -n auto --dist loadgroup -o filterwarnings=

check: $(VENV)/.ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(VENV)/.ready
	$(BIN)/python -m benchmarks

fuzz: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz_trees $(N) $(SEED)

fuzz-parts: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz $(N) $(SEED)

fuzz-rounds: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz_rounds $(N) $(SEED) fillet

fuzz-bevels: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz_rounds $(N) $(SEED) chamfer

fuzz-sweeps: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz_sweeps $(N) $(SEED)

fuzz-reading: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz_reading $(N) $(SEED)

fuzz-trims: $(VENV)/.ready
	$(BIN)/python -m tests.trims $(N) $(SEED)

fuzz-slow: $(VENV)/.ready
	$(BIN)/python -m pytest -n auto --dist loadgroup --slow

fuzz-inputs: $(VENV)/.ready
	$(BIN)/python -m tests.hostile $(N) $(SEED)

fuzz-kills: $(VENV)/.ready
	$(BIN)/python -m tests.kills $(N) $(SEED)

fuzz-prisms: $(VENV)/.ready
	$(BIN)/python -m tests.fuzz_prisms $(N) $(SEED)

docs: $(VENV)/.ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check ".[docs]"
	$(BIN)/python -m sphinx -W --keep-going -b html docs docs/_build

screenshots: $(VENV)/.ready
	$(BIN)/python docs/make_screenshots.py

$(VENV)/.ready: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable ".[test]"
	touch $@

clean:
	rm -rf docs/_build docs/examples $(VENV) .venv-lowest .pytest_cache .mypy_cache .ruff_cache lathwick-demo
