# Two commands: `make demo` opens the demo show, `make test` runs every check. Both set up .venv by themselves.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test check bench soak house screenshots clean

demo: $(READY)
	@tools/demo.sh

test: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	QT_QPA_PLATFORM=offscreen $(BIN)/pytest

bench: $(READY)
	$(BIN)/python bench/run.py

soak: $(READY)
	QT_QPA_PLATFORM=offscreen KYMAPHON_TEST_BUDGET=10 $(BIN)/pytest
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/soak.py

house: $(READY)
	$(BIN)/python tools/house.py

screenshots: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/make_screenshots.py

$(READY): pyproject.toml constraints.txt tools/setup.sh
	@PYTHON="$(PYTHON)" tools/setup.sh

clean:
	rm -rf $(VENV) build dist
