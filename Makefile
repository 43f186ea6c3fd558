# What each target does stands in README.md. Everything is set up by `make setup`, which the others call.
PYTHON ?= python3
BIN := .venv/bin
STAMP := .venv/.ready

.PHONY: setup demo test lint bench soak
setup: $(STAMP)

$(STAMP): requirements.lock pyproject.toml scripts/system-packages
	scripts/system-packages
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps -e .
	touch $(STAMP)

demo: setup
	scripts/with-display $(BIN)/dunefall --demo

test: setup
	scripts/with-display $(BIN)/python -m pytest -q

lint: setup
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/mypy
	$(BIN)/python -m pytest -q tests/test_import_contract.py

bench: setup
	scripts/with-display $(BIN)/python -m bench

soak: setup
	$(BIN)/python -m bench.soak
