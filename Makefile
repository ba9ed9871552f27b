# Two commands do everything: `make demo` and `make test`. Each installs what it needs.
PYTHON ?= python3
PORT ?= 8321
VENV := .venv
BIN := $(VENV)/bin
# Files side by side, in the order that tests/conftest.py gives.
PYTEST := $(BIN)/python -m pytest -n 2 --dist loadfile --no-loadscope-reorder --durations 15
SUDO := $(shell [ "$$(id -u)" = 0 ] || echo sudo)
# Chromium without windows of its own: a page takes half the time.
DEBIAN := chromium-headless-shell python3-openvdb
SOURCES := $(shell find hotgravel/core -name '*.py')

# Bytecode is kept as modules are first imported, also where the environment keeps Python from writing any: without it
# each start compiles all that it imports anew, three times as long.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: demo serve test check bench format clean

demo: $(VENV)/app.done $(VENV)/kernels.done
	$(BIN)/hotgravel demo --port $(PORT)

serve: $(VENV)/app.done $(VENV)/kernels.done
	$(BIN)/hotgravel serve --port $(PORT)

test: $(VENV)/dev.done $(VENV)/kernels.done
	$(PYTEST)

check: $(VENV)/dev.done
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy --num-workers 2
	$(BIN)/lint-imports
	$(MAKE) test

bench: $(VENV)/dev.done $(VENV)/kernels.done
	$(BIN)/hotgravel bench

format: $(VENV)/dev.done
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .

$(VENV)/app.done: pyproject.toml
	@echo "Installing Hot Gravel and what it needs (a few minutes the first time)"
	[ -x $(BIN)/python ] || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --editable .
	@touch $@

$(VENV)/dev.done: pyproject.toml
	@echo "Installing Hot Gravel with its checks and tests (a few minutes the first time)"
	[ -x $(BIN)/python ] || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --editable '.[dev]'
	dpkg -s $(DEBIAN) >/dev/null 2>&1 || { $(SUDO) apt-get update -qq && $(SUDO) apt-get install -y -qq --no-install-recommends $(DEBIAN); }
	@touch $@ $(VENV)/app.done

$(VENV)/kernels.done: $(SOURCES) | $(VENV)/app.done
	$(BIN)/hotgravel warm
	@touch $@

clean:
	rm -rf $(VENV) .kernels data
