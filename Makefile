# Two commands on a fresh machine with Python 3.11 and make: "make demo" and "make test".
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test proof lint types fit benchmark screenshots clean

$(VENV)/.light: pyproject.toml
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable .
	touch $@

$(VENV)/.installed: pyproject.toml
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $(VENV)/.light $@

demo: $(VENV)/.light
	$(BIN)/glossa demo

test: $(VENV)/.installed
	$(BIN)/python -m tests

proof: $(VENV)/.installed
	$(BIN)/python -m tests --proof
	$(BIN)/python -m tests.fuzz --seconds $${SECONDS_OF_FUZZ:-600}

lint: $(VENV)/.installed
	$(BIN)/ruff check src tests benchmarks scripts examples
	$(BIN)/ruff format --check src tests benchmarks scripts examples

types: $(VENV)/.installed
	$(BIN)/mypy

fit: $(VENV)/.installed
	$(BIN)/python benchmarks/fit.py

benchmark: $(VENV)/.installed
	$(BIN)/python benchmarks/fit.py --held-out
	$(BIN)/python benchmarks/beside.py
	$(BIN)/python benchmarks/reworded.py
	$(BIN)/python benchmarks/strangers.py
	$(BIN)/python benchmarks/run.py
	$(BIN)/python benchmarks/live.py

screenshots: $(VENV)/.installed
	$(BIN)/python scripts/screenshots.py

clean:
	rm -rf $(VENV) .mypy_cache .ruff_cache .hypothesis
