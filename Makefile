# The two commands that a stranger needs are `make demo` and `make test`; each does its own set-up.
VENV ?= .venv
PY := $(VENV)/bin/python
STAMP := $(VENV)/.ready
JOBS ?= 2

# FUZZ is how many spoilt inputs are tried.
FUZZ ?= 20000

.PHONY: demo demo-moved test check bench fuzz matrix truth lock demo-scene screenshots format clean

demo: $(STAMP)
	@$(PY) demo/run.py

test: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest -n $(JOBS) --durations 20

check: $(STAMP)
	$(VENV)/bin/ruff check .
	$(VENV)/bin/ruff format --check .
	$(VENV)/bin/mypy

format: $(STAMP)
	$(VENV)/bin/ruff check --fix .
	$(VENV)/bin/ruff format .

bench: $(STAMP)
	$(PY) bench/run.py

fuzz: $(STAMP)
	$(PY) fuzz/run.py $(FUZZ)

matrix: $(STAMP)
	$(PY) bench/matrix.py

truth: $(STAMP)
	$(PY) bench/truth.py

demo-scene: $(STAMP)
	$(PY) demo/build_lamproom.py
	$(PY) demo/build_boathouse.py
	$(PY) demo/build_oilstore.py
	$(PY) demo/build_foghouse.py

demo-moved: $(STAMP)
	$(PY) demo/build_moved.py out/moved

screenshots: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(PY) docs/screenshots/take.py

lock: $(STAMP)
	$(VENV)/bin/pip install -q pip-tools
	$(VENV)/bin/pip-compile --extra dev --no-header --no-emit-index-url --no-emit-find-links --no-annotate --strip-extras -q -o requirements.lock pyproject.toml

$(STAMP): requirements.lock pyproject.toml setup.sh
	@./setup.sh $(VENV)
	@touch $(STAMP)

clean:
	rm -rf $(VENV) out
