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
	$(BIN)/python -m dunefall.compiler.makecode --all
	$(BIN)/python -m pytest -q -n 2 tests/base tests/patch tests/catalogue tests/compiler tests/dsp \
	  tests/deliver
	scripts/with-display $(BIN)/python -m pytest -q --ignore-glob='tests/base/*' --ignore-glob='tests/patch/*' \
	  --ignore-glob='tests/catalogue/*' --ignore-glob='tests/compiler/*' --ignore-glob='tests/dsp/*' \
	  --ignore-glob='tests/deliver/*'

lint: setup
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/mypy
	$(BIN)/python -m pytest -q tests/test_import_contract.py

bench: setup
	scripts/with-display $(BIN)/python -m bench

soak: setup
	$(BIN)/python -m bench.soak
	$(BIN)/python -m bench.mutations
	scripts/with-display $(BIN)/python -m bench.gestures
	scripts/with-display $(BIN)/python -m bench.monkey
