# Two commands do all the set-up on a fresh machine: `make demo` and `make test`.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test setup lint check-types attack kills soak mutants screenshots bench lock clean

setup: .venv/.ready

.venv/.ready: pyproject.toml requirements.lock tools/setup.sh
	PYTHON=$(PYTHON) sh tools/setup.sh
	@touch $@

demo: setup
	sh tools/demo.sh

test: setup lint check-types
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n auto

lint: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/lint-imports

check-types: setup
	$(BIN)/mypy

# A hundred thousand spoilt inputs for every reader, a thousand kills, half an hour in the window.
attack: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m tests.attack.long $(ATTACK)

kills: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m tests.attack.kills --count 1000

# Small faults in copies of the tree, one at a time: what the tests do not notice is listed.
mutants: setup
	$(BIN)/python tools/mutants.py --seed 1 --count 60 $(MUTANTS)

soak: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m tests.attack.soak --minutes 30

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screenshots.py

bench: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python benchmarks/run.py

lock:
	$(BIN)/python -m pip install --quiet pip-tools
	$(BIN)/pip-compile --quiet --extra dev --strip-extras --allow-unsafe --no-emit-index-url --no-emit-find-links --no-header --no-annotate --upgrade -o requirements.lock pyproject.toml

clean:
	rm -rf .venv build dist onda-demo-report
