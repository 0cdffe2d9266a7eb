# Two commands matter: `make demo` shows the product, `make test` proves it. Both install what they need.

GO      ?= go
NPM     := npm --no-fund --no-audit
LINT    := $(GO) tool -modfile=tools/lint/go.mod
# Race detection slows the WebAssembly of the PDF reader down a hundredfold, and documents are read in a process of its own.
RACE     = $$($(GO) list ./internal/... ./cmd/... | grep -v -e internal/pdf -e internal/extractor -e internal/app)
# In the wired rooms it slows everything down eightfold, SQLite above all: there it looks at what happens at the same time.
RACED    = Outage|SecondVisit|GatheringTheDemo|Encoder|Events|PeopleAreTold|Programs|Snag|Release|Restored|UpdatesEqual|TwoPeople|AtOnce
export CGO_ENABLED ?= 0

.PHONY: demo build test format lint types unit go-test race browser-test bench evaluate calibrate torture fuzz api shots clean

demo: build
	./bin/jolvex demo --data $(or $(DATA),.cache/demo)

build: bin/jolvex

# --- what is needed -------------------------------------------------------------------------------------------------

# The lock file says which packages; the stamp is newer than it once they are there.
web/node_modules/.package-lock.json: web/package-lock.json
	cd web && $(NPM) ci
	touch $@

.PHONY: packages
packages:
	@sh tools/packages.sh chromium debian-faq debian-reference-en debian-reference-de debian-reference-fr debian-reference-es gcc libc6-dev

# --- the program ----------------------------------------------------------------------------------------------------

WEB_SOURCES := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/vite.visit.config.ts web/tsconfig.json web/tsconfig.app.json
GO_SOURCES  := $(shell find cmd core internal demo web/embed.go -type f -not -name '*_test.go') go.mod go.sum

web/dist/index.html: $(WEB_SOURCES) web/node_modules/.package-lock.json
	cd web && $(NPM) run --silent build

bin/jolvex: $(GO_SOURCES) web/dist/index.html
	$(GO) build -buildvcs=auto -ldflags '-s -w' -o $@ ./cmd/jolvex

# --- the proof ------------------------------------------------------------------------------------------------------

test: packages format lint types unit go-test race browser-test

format: web/node_modules/.package-lock.json
	@bad=$$($(LINT) gofumpt -l cmd core demo internal tests tools web/embed.go); [ -z "$$bad" ] || { echo "not formatted:"; echo "$$bad"; exit 1; }
	cd web && $(NPM) run --silent format-check

lint: web/dist/index.html
	$(GO) mod tidy -diff
	$(GO) vet ./...
	$(LINT) staticcheck ./...
	cd web && $(NPM) run --silent lint

# The API's description and the types made of it are kept in the repository; this fails when they are behind the code.
types: build
	./bin/jolvex openapi > .cache-openapi.json && cmp .cache-openapi.json docs/openapi.json; s=$$?; rm -f .cache-openapi.json; [ $$s = 0 ] || { echo "docs/openapi.json is behind the code: run make api"; exit 1; }
	./bin/jolvex vocabulary > .cache-vocabulary.json && cmp .cache-vocabulary.json web/src/api/vocabulary.json; s=$$?; rm -f .cache-vocabulary.json; [ $$s = 0 ] || { echo "web/src/api/vocabulary.json is behind the code: run make api"; exit 1; }
	cd web && npx --no-install openapi-typescript ../docs/openapi.json --default-non-nullable=false -o node_modules/.schema.ts > /dev/null && cmp node_modules/.schema.ts src/api/schema.ts
	cd web && $(NPM) run --silent types

unit: web/node_modules/.package-lock.json
	cd web && $(NPM) run --silent test

go-test: web/dist/index.html
	$(GO) test -timeout 20m ./core/... ./demo/... ./internal/pdf ./internal/extractor/... ./internal/app ./tests ./tools/...

race: web/dist/index.html
	CGO_ENABLED=1 $(GO) test -race -timeout 20m $(RACE)
	CGO_ENABLED=1 $(GO) test -race -timeout 20m -run '$(RACED)' ./internal/app

browser-test: build
	JOLVEX=$(CURDIR)/bin/jolvex $(GO) test -count=1 ./tests/walk

# --- measurements ---------------------------------------------------------------------------------------------------

bench: web/dist/index.html
	$(GO) test -run '^$$' -bench . -benchtime 1x -timeout 30m ./core/... ./tests ./internal/...

# Beside what the tests need: the manuals that numbers are fitted on, and one that they are not.
evaluate: packages web/dist/index.html
	@sh tools/packages.sh debian-reference-en debian-reference-de debian-reference-fr debian-reference-es maint-guide perl-doc developers-reference
	$(GO) run ./tools/evaluate

# What is made to exhaust the program, all of it; make test reads a choice.
torture:
	TORTURE=1 $(GO) test -count=1 -timeout 30m -v -run Hostile ./internal/extractor

# Each fuzz test for so long; how many inputs there were in all is kept in docs/fuzz.tsv.
FUZZTIME ?= 30s
fuzz:
	$(GO) run ./tools/fuzz -time $(FUZZTIME)

# --- upkeep ---------------------------------------------------------------------------------------------------------

api: bin/jolvex
	./bin/jolvex openapi > docs/openapi.json
	./bin/jolvex vocabulary > web/src/api/vocabulary.json
	cd web && $(NPM) run --silent api

# Pictures for the README, from a demo that is running.
shots:
	$(GO) run ./tests/shots -address $(or $(ADDRESS),http://127.0.0.1:8642) -out docs/screenshots

clean:
	rm -rf bin .cache web/node_modules web/dist/assets web/dist/index.html
