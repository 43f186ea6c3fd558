# What each target does stands in README.md. Everything is set up by `make setup`, which the others call.
PYTHON ?= python3
BIN := .venv/bin
STAMP := .venv/.ready

.PHONY: setup demo test lint bench soak fresh-check deb
setup: $(STAMP)

$(STAMP): requirements.lock pyproject.toml scripts/system-packages
	scripts/system-packages
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps -e .
	touch $(STAMP)

demo: setup
	scripts/with-display $(BIN)/dunefall --demo $(ARGS)

# What needs neither the window nor the engine's process runs on two workers, the rest alone.
SHARED := tests/base tests/patch tests/catalogue tests/compiler tests/dsp tests/deliver tests/render tests/analysis tests/vary tests/survey \
  tests/test_cli.py tests/test_clockin.py tests/test_doctor.py tests/test_desktop.py tests/test_corpus.py tests/test_crashpoints.py tests/test_docs.py tests/test_docstrings.py \
  tests/test_import_contract.py

# Tests that need one of these are skipped without it. STAND_INS: a real sound server that is stopped and killed, and what
# makes files and devices that fail; CHECKERS: what looks at the files for the desktop; READER: what a screen reader hears
# and presses, a Wayland desktop, and a font for Japanese.
STAND_INS := jackd2 gcc libc6-dev e2fsprogs
CHECKERS := desktop-file-utils appstream shared-mime-info man-db
READER := at-spi2-core dbus xdotool python3-pyatspi weston fonts-vlgothic
# PACKAGERS: what builds the package for Debian and judges it, from Debian 13 on.
PACKAGERS := lintian build-essential debhelper dh-python python3-cffi python3-pip python3-setuptools \
  python3-setuptools-scm python3-wheel
test: setup
	-scripts/system-packages $(STAND_INS) $(CHECKERS)
	-scripts/system-packages $(READER)
	-if grep -qE '^(1[3-9]|[2-9][0-9])' /etc/debian_version; then scripts/system-packages $(PACKAGERS); fi
	$(BIN)/python -m dunefall.compiler.makecode --all
	$(BIN)/python -m pytest -q -rs -n 2 $(SHARED)
	scripts/with-display $(BIN)/python -m pytest -q -rs tests/app tests/engine tests/test_session.py

lint: setup
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/mypy
	$(BIN)/python -m pytest -q tests/test_import_contract.py

bench: setup
	scripts/with-display $(BIN)/python -m bench
	$(BIN)/python -m bench.board
	scripts/with-display $(BIN)/python -m bench.keeping

soak: setup
	$(BIN)/python -m bench.soak
	$(BIN)/python -m bench.mutations
	$(BIN)/python -m bench.fuzz --seconds 600
	scripts/with-display $(BIN)/python -m bench.kills --count 100
	$(BIN)/python -m bench.enginekills --count 50
	scripts/with-display $(BIN)/python -m bench.flood
	scripts/with-display $(BIN)/python -m bench.edited --simulated 1 --real 10
	$(BIN)/python -m bench.blends --count 60
	$(BIN)/python -m bench.steering --starter pump-engine
	$(BIN)/python -m bench.faults
	$(BIN)/python -m bench.rounds
	scripts/with-display $(BIN)/python -m bench.gestures
	scripts/with-display $(BIN)/python -m bench.monkey

# As root: both commands in minimal Debian roots.
fresh-check:
	scripts/fresh-check

deb:
	scripts/make-deb
