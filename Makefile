# Two doors: `make demo` and `make test`. Everything they need is set up by `make setup`.
PY = .venv/bin/python
STAMP = .venv/.set-up
WEB = src/ductus/web/static/index.html
WEB_SOURCES = $(shell find web/src web/public web/index.html web/vite.config.ts docs/guide -type f 2>/dev/null)
WIRE_SOURCES = src/ductus/web/schemas.py src/ductus/web/routes.py src/ductus/web/shelf_routes.py src/ductus/web/page_routes.py src/ductus/web/wire.py $(wildcard src/ductus/app/wire/*.py) \
  $(wildcard src/ductus/core/entry/commands/*.py src/ductus/core/score/note_edits/*.py) src/ductus/core/reading/review/note_options.py src/ductus/core/reading/review/beat_options.py \
  src/ductus/core/recording/settings.py $(wildcard src/ductus/core/score/structure_edits/*.py) src/ductus/core/score/mark_edits/commands.py src/ductus/core/playback/click.py src/ductus/core/playback/performance.py \
  src/ductus/app/session/sound_strip.py src/ductus/app/takes/reading_views.py src/ductus/app/document/sheet.py src/ductus/core/reading/trace.py \
  src/ductus/core/reading/beat_tracking/tempo_curve.py src/ductus/core/score/mark_language/parser.py src/ductus/core/score/note_edits/select.py
PORT ?= 8765

.PHONY: api setup demo test test-all coverage check check-python check-types check-web bench bench-reading pictures fuzz chromium converter types wheel clean

COMPILED = .venv/.compiled

setup: $(STAMP) $(COMPILED) $(WEB)

# Compiled once here: where Python is told to write no bytecode, each start would compile everything again.
$(COMPILED): $(STAMP) $(shell find src/ductus -name '*.py')
	$(PY) -m compileall -q src/ductus
	touch $@

$(STAMP): pyproject.toml requirements.lock
	python3 -m venv .venv
	$(PY) -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(PY) -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $(STAMP)

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error
	touch $@

web/src/session/api-types.gen.ts: $(STAMP) web/node_modules/.package-lock.json $(WIRE_SOURCES)
	mkdir -p build
	$(PY) tools/write_openapi.py build/openapi.json
	cd web && npm run --silent types
	touch $@

$(WEB): web/src/session/api-types.gen.ts $(WEB_SOURCES)
	cd web && npm run --silent build
	touch $@

demo: setup converter
	.venv/bin/ductus demo --port $(PORT)

# PDF files are made by librsvg's converter, audio files by fluidsynth; everything else works without them.
converter:
	@command -v fluidsynth >/dev/null || \
	  { apt-get update -qq && apt-get install -y -qq --no-install-recommends fluidsynth; } || \
	  echo "fluidsynth (Debian package fluidsynth) could not be installed: only the piano can become audio."
	@command -v rsvg-convert >/dev/null || \
	  { apt-get update -qq && apt-get install -y -qq --no-install-recommends librsvg2-bin; } || \
	  echo "rsvg-convert (Debian package librsvg2-bin) could not be installed: PDF files cannot be made."

chromium:
	@command -v chromium >/dev/null || test -x /usr/bin/chromium || \
	  { apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium fonts-dejavu-core; }
	@command -v pdftoppm >/dev/null || \
	  { apt-get update -qq && apt-get install -y -qq --no-install-recommends poppler-utils; } || \
	  echo "poppler-utils could not be installed: PDF files are not looked at."

check: setup
	@$(MAKE) --no-print-directory -j2 --output-sync=target check-types check-python check-web

check-python: setup
	.venv/bin/ruff check src tests bench tools
	.venv/bin/ruff format --check src tests bench tools
	.venv/bin/mypy src tests tools

check-types: setup
	cd web && npx --no-install tsc -p .

check-web: setup
	cd web && npm run --silent check

# Tests are compiled once, too (pytest's own checks of asserts with them), wherever Python is told to write no bytecode.
test: setup chromium converter check
	PYTHONDONTWRITEBYTECODE= $(PY) -m pytest -n auto --maxprocesses 4 --dist worksteal

# Lines and branches that the tests without a browser reach; less than 95 % of the core fails.
coverage: setup converter
	$(PY) -m pytest -n auto --maxprocesses 4 --dist worksteal --ignore tests/ui --cov --cov-report=term
	$(PY) -m coverage report --include='src/ductus/core/*' --fail-under=95

# The same tests under every Python from 3.11 on that this machine has.
test-all:
	@for python in 3.11 3.12 3.13 3.14; do \
	  if command -v python$$python >/dev/null; then \
	    echo "Python $$python"; \
	    test -d .venv-$$python || python$$python -m venv .venv-$$python; \
	    .venv-$$python/bin/pip install --quiet --disable-pip-version-check -r requirements.lock && \
	    .venv-$$python/bin/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e . && \
	    .venv-$$python/bin/python -m pytest -n auto --maxprocesses 4 --dist worksteal --ignore tests/ui || exit 1; \
	  fi; \
	done

bench: setup chromium converter
	$(PY) bench/speed.py

fuzz: setup chromium
	DUCTUS_FUZZ=20 $(PY) -m pytest -n auto --maxprocesses 4 tests/fuzz tests/ui/test_anything_pressed.py tests/formats/test_agreement.py tests/core/score/test_bars_and_parts.py \
	  $$(grep -rl hypothesis tests --include='test_*.py')

# The API reference, from the docstrings of the public names.
api: setup
	$(PY) tools/write_api.py

bench-reading: setup
	$(PY) bench/reading.py

pictures: setup chromium converter
	$(PY) tools/take_pictures.py

wheel: setup
	$(PY) -m build

clean:
	rm -rf .venv web/node_modules src/ductus/web/static build dist
