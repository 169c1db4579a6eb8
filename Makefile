# Short targets in front of CMake and Ninja.
BUILD     ?= build
CMAKE     := cmake -G Ninja
CODE      := $(shell git ls-files -co --exclude-standard '*.c' '*.h' 2>/dev/null)
PREFIX    ?= /usr/local
DESTDIR   ?=

.PHONY: all build setup test demo bench fuzz mutants prove format check-form install clean

all: setup build
	@echo "built: $(BUILD)/tanchor; try: $(BUILD)/tanchor demo"

build:
	@[ -f $(BUILD)/build.ninja ] || $(CMAKE) -S . -B $(BUILD) >/dev/null
	@ninja -C $(BUILD) --quiet

# Installs the Debian packages of packages.txt that are missing, and says so.
setup:
	@tools/setup.sh packages.txt

test: setup check-form
	@tools/test.sh

demo: setup build
	@$(BUILD)/tanchor demo

bench: setup build
	@$(BUILD)/benchmarks/benchmarks

# A fixed number of executions of each fuzz target; streams of random instructions through both engines, and random numbers through both
# arithmetics, by the ten million.
fuzz: setup build
	@tools/fuzz.sh 200000
	@TANCHOR_TEST_STREAMS=8000 $(BUILD)/tests/test_hart
	@TANCHOR_TEST_FLOATS=20000000 $(BUILD)/tests/test_floating

# All of that, and large random programs on whole boards, both engines compared: hours. PROVE_SECONDS for the latter.
PROVE_SECONDS ?= 600
prove: setup build
	@tools/prove.sh $(PROVE_SECONDS)

# Faults of one line in machine and trials, each of which some suite must find.
mutants: setup
	@tools/mutants.sh

format:
	@clang-format -i $(CODE)

check-form:
	@clang-format --dry-run --Werror $(CODE)
	@tools/check-layers.sh

install: build
	@DESTDIR=$(DESTDIR) cmake --install $(BUILD) --prefix $(PREFIX) >/dev/null
	@echo "installed below $(DESTDIR)$(PREFIX)"

clean:
	@rm -rf $(BUILD) build-*
