# Two commands do everything: `make demo` and `make test`. Both make their own virtual environment first.
PYTHON ?= python3
PORT ?= 8470
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test test-slow setup test-tools lock screenshots bench css docs

demo: setup
	$(BIN)/zero-easel demo --port $(PORT)

setup: $(VENV)/.application

$(VENV)/.application: requirements.lock pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
		{ echo "Zero Easel needs Python 3.11 or newer; name one with: make $(MAKECMDGOALS) PYTHON=python3.12"; exit 1; }
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $@

$(VENV)/.tests: $(VENV)/.application requirements-dev.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements-dev.lock
	touch $@

# What training needs, for its own test. Large, and for nothing else.
$(VENV)/.training: $(VENV)/.tests training/things/requirements.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r training/things/requirements.txt
	touch $@

frontend/node_modules/.package-lock.json: frontend/package-lock.json
	cd frontend && npm ci --no-audit --no-fund --loglevel=error

# Debian's Chromium, Node.js, and other programs that read what is made here, only where they are missing.
test-tools:
	@command -v chromium-headless-shell >/dev/null || ./scripts/install-debian chromium-headless-shell
	@command -v exiftool >/dev/null || ./scripts/install-debian libimage-exiftool-perl
	@command -v pdftotext >/dev/null || ./scripts/install-debian poppler-utils
	@command -v tiffinfo >/dev/null || ./scripts/install-debian libtiff-tools
	@command -v curl >/dev/null || ./scripts/install-debian curl
	@test -x /usr/sbin/sshd || ./scripts/install-debian openssh-server
	@command -v npm >/dev/null || ./scripts/install-debian nodejs npm

test: $(VENV)/.tests test-tools
	$(MAKE) frontend/node_modules/.package-lock.json
	$(BIN)/ruff check .
	$(BIN)/ruff format --check --quiet .
	$(BIN)/lint-imports --no-logo
	$(BIN)/mypy
	cd frontend && npm run --silent check
	$(BIN)/pytest -m "not slow"

# Accuracy over all photos with known truth, large inputs, waiting by design, and training on next to nothing.
test-slow: $(VENV)/.training test-tools
	$(BIN)/pytest -m slow

css: frontend/node_modules/.package-lock.json
	cd frontend && npm run --silent build

lock:
	uv pip compile --universal --python-version 3.11 --generate-hashes --no-header --no-emit-index-url \
		pyproject.toml requirements.in -o requirements.lock
	uv pip compile --universal --python-version 3.11 --generate-hashes --no-header --no-emit-index-url \
		--extra dev -c requirements.lock pyproject.toml requirements.in -o requirements-dev.lock

# Pages of docs that follow from the code.
docs: $(VENV)/.application
	$(BIN)/python scripts/rule_tables.py
	$(BIN)/python scripts/api_table.py
	$(BIN)/python scripts/rights_table.py
	$(BIN)/python scripts/third_party.py
	$(BIN)/python scripts/sbom.py
	$(BIN)/zero-easel standard --schema > docs/standard.schema.json

screenshots: $(VENV)/.tests test-tools
	$(BIN)/python scripts/screenshots.py

bench: $(VENV)/.tests
	$(BIN)/python bench/references.py
	$(BIN)/python bench/accuracy.py --variations --write
	$(BIN)/python bench/halo.py
	$(BIN)/python bench/empty_frames.py
	$(BIN)/python bench/speed.py
