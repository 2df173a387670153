PYTHON_FILES = hyalen tests bench tools
BIN = .venv/bin
DEMO = demo-data
# Modules are compiled once, whatever the machine's own setting: hundreds of processes are started.
export PYTHONDONTWRITEBYTECODE =
# As the workers have it: test processes load numpy before Hyalen.
export OPENBLAS_NUM_THREADS = 1

.PHONY: setup languages demo test test-setup lint bench lock screenshots clean

setup:
	@tools/setup.sh

demo: setup
	@$(BIN)/python -m hyalen.demo $(DEMO)
	@$(BIN)/hyalen scanner --port 8321 & scanner=$$!; trap 'kill $$scanner' EXIT; \
	  $(BIN)/hyalen serve --data $(DEMO)/data --port 8320 --watch $(DEMO)/folders

lint: setup
	$(BIN)/ruff check $(PYTHON_FILES)
	$(BIN)/ruff format --check $(PYTHON_FILES)
	$(BIN)/mypy
	$(BIN)/lint-imports
	cd frontend && npm run --silent check

test-setup: setup
	@tools/setup_tests.sh

test: lint test-setup
	cd frontend && npm run --silent test
	$(BIN)/pytest -n 3 --dist loadfile --no-loadscope-reorder

bench: setup
	$(BIN)/python -m bench

# make languages CODES="swe nor": the OCR engine's data for further languages, by their Debian packages.
languages:
	apt-get install -y --no-install-recommends $(addprefix tesseract-ocr-,$(subst _,-,$(CODES)))
	@tools/setup.sh

# Needs uv (pip install uv); writes no address of a registry.
lock:
	uv pip compile -q --generate-hashes --strip-extras --all-extras --no-emit-index-url --no-header --overrides tools/overrides.txt \
	  --python-version 3.11 -o requirements.lock pyproject.toml

screenshots: setup
	$(BIN)/python -m tools.screenshots

clean:
	rm -rf $(DEMO) hyalen/web/static .mypy_cache .ruff_cache .pytest_cache
