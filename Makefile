# Emblar. The two commands you need: make demo, make test.
PORT_ARG = $(if $(EMBLAR_PORT),EMBLAR_PORT=$(EMBLAR_PORT),)
BIN = .venv/bin

.PHONY: setup demo serve test test-all lint bench faults load more fuzz supply train screenshots schemas clean

setup:
	@sh scripts/setup.sh

demo: setup
	@$(PORT_ARG) $(BIN)/emblar serve --demo

serve: setup
	@$(PORT_ARG) $(BIN)/emblar serve

test: setup lint
	@$(BIN)/python -m pytest -m "not slow"

test-all: setup lint
	@$(BIN)/python -m pytest

lint: setup
	@$(BIN)/ruff check emblar tests bench scripts training
	@$(BIN)/ruff format --check -q emblar tests bench scripts training
	@$(BIN)/mypy
	@$(BIN)/python -m scripts.names > /dev/null
	@$(BIN)/lint-imports > .venv/imports.log 2>&1 || (cat .venv/imports.log; exit 1)

load: setup
	@$(BIN)/python -m bench.load

faults: setup
	@$(BIN)/python -m bench.faults

more: setup
	@$(BIN)/python -m pip install --disable-pip-version-check -q --require-hashes -r requirements-more.lock

fuzz: more
	@$(BIN)/python -m bench.fuzz
	@for target in sound sung analysis picture; do \
	  $(BIN)/python -m bench.fuzz_files $$target -runs=20000 -max_total_time=180 -verbosity=0 || exit 1; \
	done

supply: more
	@$(BIN)/python -m scripts.supply
	@$(BIN)/python -m pip_audit --disable-pip --require-hashes -r requirements.lock

bench: setup
	@$(BIN)/python -m bench

screenshots: setup
	@$(BIN)/python -m scripts.screenshots

train: setup
	@$(BIN)/pip install -q -e '.[train]'
	@$(BIN)/python -m training.train

schemas: setup
	@$(BIN)/python -m scripts.schemas

clean:
	rm -rf .venv var .pytest_cache .mypy_cache .ruff_cache .hypothesis emblar.egg-info
