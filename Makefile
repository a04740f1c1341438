# Level Loop. On a fresh Debian machine with Python 3.11 to 3.13: `make demo`, `make test`.
VENV := .venv
PYTHON := $(VENV)/bin/python
# The window's tests and pictures need a screen with OpenGL; Xvfb with software rendering is one. Tests run side by
# side, one worker for each processor and a screen for each worker.
SOFTWARE := QT_QPA_PLATFORM=xcb LIBGL_ALWAYS_SOFTWARE=1
SCREEN := $(SOFTWARE) xvfb-run -a -s "-screen 0 1600x1200x24"
TESTS := $(SOFTWARE) $(PYTHON) -m pytest -n auto --dist worksteal

WINDOW_TESTS := $(shell grep -ls "PySide6\|Hands\|^from levelloop.app" tests/test_*.py)

.PHONY: setup demo test test-fast lint bench screenshots pages install uninstall constraints clean

setup: $(VENV)/ready

$(VENV)/ready: pyproject.toml constraints.txt packages.txt packages-tests.txt tools/setup
	tools/setup $(VENV)
	touch $@

demo: setup
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(VENV)/bin/levelloop --demo; \
	else echo "There is no screen here; make screenshots draws the demo into docs/screenshots."; fi

test: setup
	$(TESTS)

# Without the window and what is thorough, with a few random examples each: what one runs after every change.
test-fast: setup
	EXAMPLES=3 $(TESTS) -m 'not thorough' $(addprefix --ignore=,$(WINDOW_TESTS))

lint: setup
	$(VENV)/bin/ruff check src tests benchmarks tools
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports

bench: setup
	$(PYTHON) benchmarks/run.py

# The pages and stubs that are made from the registry and the command line; a test tells when they are old.
pages: setup
	$(PYTHON) tools/operations_page.py
	$(PYTHON) tools/typed_do.py
	$(PYTHON) tools/operation_keys.py
	$(PYTHON) tools/man_page.py
	$(PYTHON) tools/review_page.py
	$(PYTHON) tools/keys_page.py

# For one person by default: make install PREFIX=/usr/local for all.
PREFIX ?= $(HOME)/.local
install:
	tools/install $(PREFIX)

uninstall:
	tools/install --remove $(PREFIX)

# Pins anew everything that pyproject.toml asks for, from an environment of its own.
constraints:
	tools/constraints

screenshots: setup
	$(SOFTWARE) xvfb-run -a -s "-screen 0 2600x1500x24" $(PYTHON) tools/screenshots.py docs/screenshots

clean:
	rm -rf $(VENV) build dist .mypy_cache .ruff_cache .pytest_cache .hypothesis
