# Everything runs in .venv; `make setup` builds it from the lock file and is repeated only when that changes.
VENV := .venv
PY := $(VENV)/bin/python
STAMP := $(VENV)/.ready

.PHONY: setup demo test lint bench quality screenshots lock clean

setup: $(STAMP)

$(STAMP): requirements.lock pyproject.toml tools/setup.sh
	@tools/setup.sh $(VENV)
	@touch $@

demo: setup
	@tools/start-demo.sh $(VENV)

test: setup lint
	@QT_QPA_PLATFORM=offscreen $(PY) -m pytest -n auto --dist loadfile --no-loadscope-reorder

lint: setup
	@$(VENV)/bin/ruff check .
	@$(VENV)/bin/ruff format --check .
	@$(VENV)/bin/mypy
	@$(VENV)/bin/lint-imports --no-cache

bench: setup
	@QT_QPA_PLATFORM=offscreen $(PY) -m bench

quality: setup
	@$(PY) -m bench.quality_shapes
	@$(PY) -m bench.quality_pictures
	@$(PY) -m bench.quality_gallery
	@$(PY) -m bench.quality_svg
	@$(PY) -m bench.quality_models
	@$(PY) -m bench.quality_strangers
	@$(PY) -m bench.quality_thickness
	@$(PY) -m bench.quality_jobs
	@$(PY) -m bench.quality_beds
	@$(PY) -m bench.quality_pairs 0

screenshots: setup
	@QT_QPA_PLATFORM=offscreen $(PY) tools/screenshots.py docs/screenshots

lock: setup
	@$(VENV)/bin/pip install -q pip-tools
	@$(VENV)/bin/pip-compile -q --strip-extras --extra dev --no-emit-index-url --no-emit-find-links --no-emit-trusted-host -o requirements.lock pyproject.toml

clean:
	rm -rf $(VENV) build .mypy_cache .ruff_cache .pytest_cache
