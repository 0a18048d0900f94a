# `make demo` and `make test` do all the set-up there is. Needs Python 3.11 or newer.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test test-full attack check bench clean

demo: .venv/ready
	$(BIN)/yurt demo yurt-demo --force

test: .venv/ready-to-test
	$(BIN)/python -m compileall -q src
	$(BIN)/python -m pytest

test-full: .venv/ready-to-test
	YURT_TESTS=full $(BIN)/python -m pytest

attack: .venv/ready-to-test
	$(BIN)/python tools/attack.py --count 10000
	$(BIN)/python tools/mutate_validator.py

check: .venv/ready-to-test
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python tools/catalogue.py --check

bench: .venv/ready-to-test
	$(BIN)/python bench/heads.py --limit 40
	$(BIN)/python bench/throughput.py
	$(BIN)/python bench/people.py --limit 3
	$(BIN)/python bench/existing.py
	$(BIN)/python bench/python.py
	$(BIN)/python bench/service.py
	$(BIN)/pip install --quiet --editable '.[bench]'
	$(BIN)/python bench/drafting.py
	$(BIN)/python bench/start.py

.venv/ready: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --editable .
	touch $@

.venv/ready-to-test: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --editable '.[test]'
	touch .venv/ready $@

clean:
	rm -rf .venv yurt-demo build src/yurt.egg-info
