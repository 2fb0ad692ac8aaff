PYTHON ?= python3
BIN := .venv/bin
STAMP := .venv/.ready

PREFIX ?= $(HOME)/.local

.PHONY: demo test check bench shots clean format install uninstall

$(STAMP): requirements-dev.lock pyproject.toml tools/setup.sh
	PYTHON=$(PYTHON) tools/setup.sh
	touch $(STAMP)

demo: $(STAMP)
	$(BIN)/wattigram demo $(if $(filter-out 0,$(HEADLESS)),--headless) --out demo-out

# Boards and commands are started by the thousand: with bytecode each is there in half the time.
test: $(STAMP)
	env -u PYTHONDONTWRITEBYTECODE QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q

check: $(STAMP)
	$(BIN)/ruff format --check src tests bench tools
	$(BIN)/ruff check src tests bench tools
	$(BIN)/mypy
	$(BIN)/mypy bench tools
	$(BIN)/lint-imports
	$(BIN)/python tools/docstrings.py

format: $(STAMP)
	$(BIN)/ruff format src tests bench tools
	$(BIN)/ruff check --fix src tests bench tools

bench: $(STAMP)
	env -u PYTHONDONTWRITEBYTECODE QT_QPA_PLATFORM=offscreen $(BIN)/python -m bench

shots: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/shots.py docs/screenshots

install:
	PYTHON=$(PYTHON) tools/install.sh "$(PREFIX)"

uninstall:
	tools/uninstall.sh "$(PREFIX)"

clean:
	rm -rf .venv demo-out .pytest_cache .mypy_cache .ruff_cache
