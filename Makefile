# Able Roster. make alone prints what there is to do.
SHELL := /bin/sh
.DEFAULT_GOAL := help
PORT ?= 7420
BOARD_PORT ?= 7430
export PORT BOARD_PORT FRESH FAULTS

.PHONY: help demo check reference fuzz test build serve bench faults screenshots clean setup lint

help: ## print this
	@awk -F ':.*## ' '/^[a-z]+:.*## / {printf "  make %-12s %s\n", $$1, $$2}' Makefile

demo: build ## set everything up and serve the demo organisation on 127.0.0.1 (FRESH=1 starts over)
	@scripts/demo.sh

check: ## the fast part of the tests, of what has changed: linters, types, quick tests
	@scripts/test.sh check

test: ## set everything up, run the linters and all tests
	@scripts/test.sh

build: ## build the console and the programs into bin/
	@scripts/setup.sh console
	@scripts/build.sh

serve: build ## serve on the PostgreSQL at DATABASE_URL (see bin/rosterd -help)
	@exec bin/rosterd serve

bench: build ## measure, and print ratios as a table
	@scripts/bench.sh

faults: ## a night of faults: kills, crashes, pauses, lost connections and restores, by the hundred (FAULTS=100)
	@scripts/test.sh faults

fuzz: ## minutes of odd inputs, 60 times as many as the tests try (FUZZ=60)
	@scripts/test.sh fuzz

screenshots: ## take the pictures in docs/screenshots anew
	@scripts/test.sh screenshots

reference: ## write docs/reference anew, from the programs
	@scripts/test.sh reference

clean: ## stop what was started here and remove what was built or made
	@for d in var/*/cluster*; do scripts/cluster.sh stop $$d 0; scripts/cluster.sh remove $$d 0; done
	rm -rf var bin console/dist/assets console/dist/index.html console/node_modules
