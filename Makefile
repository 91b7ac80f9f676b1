# `make demo` and `make test` do all the set-up they need; both want only Python 3.11, git and make.
PYTHON ?= python3
BIN = .venv/bin

.PHONY: demo test bench lock clean

demo: .venv/ready-demo
	@$(BIN)/fuselatch demo

test: .venv/ready-test
	$(BIN)/ruff check src examples tests benchmarks
	$(BIN)/ruff format --check -q src examples tests benchmarks
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache --no-logo
	$(BIN)/coverage run -m pytest
	$(BIN)/coverage report

bench: .venv/ready-test
	@for each in benchmarks/bench_*.py; do $(BIN)/python $$each || exit 1; done

.venv/bin/python:
	$(PYTHON) -m venv .venv

.venv/ready-demo: .venv/bin/python requirements/demo.txt pyproject.toml
	@echo "setting up, once …"
	@$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements/demo.txt
	@$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

.venv/ready-test: .venv/bin/python requirements/test.txt pyproject.toml
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements/test.txt
	$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	PYRIGHT_PYTHON_IGNORE_WARNINGS=1 $(BIN)/pyright --version
	@touch $@ .venv/ready-demo

# Versions and hashes of all packages, without any host; needs uv.
lock:
	uv pip compile -q --universal --generate-hashes --no-header --no-annotate --no-emit-index-url \
		-o requirements/demo.txt --extra pictures --extra watch pyproject.toml requirements/build.in
	uv pip compile -q --universal --generate-hashes --no-header --no-annotate --no-emit-index-url \
		-o requirements/test.txt --extra test pyproject.toml requirements/build.in

clean:
	rm -rf .venv demo-out
