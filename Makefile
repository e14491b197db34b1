# Everything that Rovik needs it installs itself: Debian packages where root or
# sudo allows, npm packages, Go modules. `make demo` is all it takes.

SHELL := /bin/bash
SCALE ?= 1
COVER ?= /tmp/rovik-cover.out
DEMO  := .demo
DEBS  := postgresql mariadb-server chromium fonts-dejavu-core gcc
STATICCHECK := honnef.co/go/tools/cmd/staticcheck@v0.7.0
WEB_FILES := $(shell find web/src web/index.html web/package.json web/vite.config.ts web/tsconfig.json -type f 2>/dev/null)

.PHONY: demo up down dev build api test check race bench soak outdated deps debs web-check lint fuzz clean

demo: debs build
	bin/rovik demo --dir $(DEMO) --scale $(SCALE)

# up returns when the server answers; down stops what up started. The log is for its owner: the
# server's token stands in it.
up: debs build
	@mkdir -p $(DEMO)
	@if [ -f $(DEMO)/up.pid ] && kill -0 $$(cat $(DEMO)/up.pid) 2>/dev/null; then echo "already up:"; grep serves $(DEMO)/up.log; exit 0; fi; \
	install -m 600 /dev/null $(DEMO)/up.log; \
	setsid bin/rovik demo --dir $(DEMO) --scale $(SCALE) >>$(DEMO)/up.log 2>&1 </dev/null & echo $$! >$(DEMO)/up.pid; \
	for i in $$(seq 1 1200); do \
	  if grep -q 'Rovik serves' $(DEMO)/up.log; then grep serves $(DEMO)/up.log; exit 0; fi; \
	  if ! kill -0 $$(cat $(DEMO)/up.pid) 2>/dev/null; then cat $(DEMO)/up.log; rm -f $(DEMO)/up.pid; exit 1; fi; \
	  sleep 0.1; \
	done; echo "the demo did not come up:"; cat $(DEMO)/up.log; exit 1

down:
	@if [ -f $(DEMO)/up.pid ] && kill $$(cat $(DEMO)/up.pid) 2>/dev/null; then \
	  while kill -0 $$(cat $(DEMO)/up.pid) 2>/dev/null; do sleep 0.1; done; echo "stopped"; \
	else echo "nothing to stop"; fi; rm -f $(DEMO)/up.pid

# dev is for work on the page and the server: the page reloads at each change, and
# the server is built and started again, without a token, as the page comes from another
# port. Ctrl-C stops both.
dev: debs build
	@mkdir -p $(DEMO); trap 'kill $$page $$server 2>/dev/null; wait' EXIT; trap exit INT TERM; \
	start() { touch $(DEMO)/dev; bin/rovik demo --dir $(DEMO) --scale $(SCALE) --log info --no-token & server=$$!; }; start; \
	(cd web && exec node_modules/.bin/vite --clearScreen false) & page=$$!; \
	while sleep 1; do \
	  if [ -n "$$(find core connect records app serve cmd demo -newer $(DEMO)/dev \( -name '*.go' -o -name '*.sql' -o -name '*.yaml' \) -print -quit)" ]; then \
	    touch $(DEMO)/dev; echo "building"; go build -trimpath -o bin/rovik ./cmd/rovik && { kill $$server; wait $$server; start; }; \
	  fi; \
	done

build: bin/rovik bin/docserver

# The demo's document server is a module of its own. Without it the demo goes on
# with an embedded SQLite file in its place.
bin/docserver: $(shell find demo/docserver -type f)
	@echo "building bin/docserver, the demo's document database"
	cd demo/docserver && go build -trimpath -o ../../bin/docserver . || echo "that failed; the demo goes on without it"

bin/rovik: serve/dist/index.html $(shell find core connect records app serve cmd demo -name '*.go' -o -name '*.sql' -o -name '*.yaml') go.mod go.sum
	@echo "building bin/rovik (the first time compiles the SQL parser, about a minute)"
	go build -trimpath -o bin/rovik ./cmd/rovik

# The API's document, and the page's types of it.
api: web/node_modules/.installed
	go run ./serve/apidoc
	cd web && npm run --silent types

serve/dist/index.html: web/node_modules/.installed $(WEB_FILES) serve/openapi.yaml
	@echo "building the page"
	cd web && npm run --silent types && npm run --silent build

web/node_modules/.installed: web/package-lock.json
	@echo "installing npm packages"
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

# debs installs the Debian packages that are missing, where that is allowed.
debs:
	@missing=""; for p in $(DEBS); do dpkg -s $$p >/dev/null 2>&1 || missing="$$missing $$p"; done; \
	if [ -z "$$missing" ]; then exit 0; fi; \
	if ! command -v apt-get >/dev/null; then echo "not a Debian machine; going on without:$$missing"; exit 0; fi; \
	as=""; if [ "$$(id -u)" != 0 ]; then if sudo -n true 2>/dev/null; then as="sudo -n"; else echo "neither root nor sudo; going on without:$$missing"; exit 0; fi; fi; \
	echo "installing Debian packages:$$missing"; \
	$$as apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$as apt-get install -y -qq --no-install-recommends $$missing >/dev/null || echo "that failed; going on without them"

deps: debs web/node_modules/.installed
	go mod download && cd demo/docserver && go mod download

lint: web/node_modules/.installed
	@test -z "$$(gofmt -l . | grep -v node_modules)" || { echo "gofmt:"; gofmt -l . | grep -v node_modules; exit 1; }
	go vet ./... && cd demo/docserver && go vet .
	go run $(STATICCHECK) ./...
	go mod tidy -diff
	cd web && npm run --silent lint

web-check: web/node_modules/.installed
	cd web && npm run --silent types && git diff --exit-code -- src/api/schema.gen.ts && npm run --silent check

# check is for the time between two edits: seconds, no servers, no browser.
check: serve/dist/index.html
	@test -z "$$(gofmt -l . | grep -v node_modules)" || { echo "gofmt:"; gofmt -l . | grep -v node_modules; exit 1; }
	go vet ./...
	go test $$(go list ./core/... ./connect/... ./records ./app/... ./serve | grep -v 'core/tests\|connect/files')

# race runs everything that needs no browser under the race detector.
race: deps build
	go test -race -count=1 -timeout 60m ./core/... ./connect/... ./records ./app ./serve
	go test -race -count=1 -timeout 60m -skip Browser ./tests

test: deps build lint web-check
	go test -count=1 -timeout 20m -coverpkg=./core/... -coverprofile=$(COVER) ./core/...
	@go tool cover -func=$(COVER) | tail -1 | sed 's/^total:[^0-9]*/of core its own tests cover /'
	go test -count=1 -timeout 20m $$(go list ./... | grep -v /core/)

# fuzz goes on where make test stops: many more seeds for the differential
# tests (SEEDS for queries of the whole language, a quarter of that over the
# demo's views, SEEDS for each function, for regular expressions and for
# patterns, SEEDS for core alone: lineage by its meaning, renaming and the form
# too), and Go's own fuzzing of the parser, the form, the planner, and the
# readers of numbers and files. ROVIK_FROM says from which seed on.
SEEDS ?= 20000
fuzz: debs
	ROVIK_SEEDS=$(SEEDS) go test -count=1 -timeout 120m -run TestWideQueriesHoldTheLaw ./tests
	ROVIK_SEEDS=$$(( $(SEEDS) / 4 )) go test -count=1 -timeout 80m -run TestGeneratedQueriesHoldTheLaw ./tests
	ROVIK_SEEDS=$(SEEDS) go test -count=1 -timeout 80m -run 'TestGeneratedCallsHoldTheLaw|TestGeneratedRegexesHoldTheLaw|TestGeneratedSimilarPatternsHoldTheLaw|TestGeneratedPatternsHoldTheLaw' ./tests
	ROVIK_SEEDS=$(SEEDS) go test -count=1 -timeout 80m -run 'TestRefusals|TestEachRule|TestLineageByItsMeaning|TestRenamesKeep|TestFormEdits' ./core/tests
	go test -run '^$$' -fuzz FuzzParse -fuzztime 60s ./core/syntax
	go test -run '^$$' -fuzz FuzzDepth -fuzztime 60s ./core/syntax
	go test -run '^$$' -fuzz FuzzForm -fuzztime 60s ./core/form
	go test -run '^$$' -fuzz FuzzCompile -fuzztime 60s ./core/regex
	go test -run '^$$' -fuzz FuzzParse -fuzztime 60s ./core/jsonpath
	go test -run '^$$' -fuzz FuzzDecimal -fuzztime 60s ./core/value
	go test -run '^$$' -fuzz FuzzPlanning -fuzztime 60s ./connect/verdicts
	go test -run '^$$' -fuzz FuzzScanner -fuzztime 60s ./connect/files
	go test -run '^$$' -fuzz FuzzJSONFile -fuzztime 60s ./connect/files
	go test -run '^$$' -fuzz FuzzXMLFile -fuzztime 60s -fuzzminimizetime 1x ./connect/files
	go test -run '^$$' -fuzz FuzzPaths -fuzztime 60s ./core/shape

# soak uses a server for SOAK, with clients and sources that fail, and looks at it from outside.
SOAK ?= 10m
soak: debs build
	ROVIK_SOAK=$(SOAK) go test -count=1 -timeout 0 -run TestSoak -v ./tests

# outdated asks for known faults of dependencies where that can be reached, lists newer ones, and
# fails where the newest patch of a Go module or what package.json allows is not taken.
outdated: web/node_modules/.installed
	-go run golang.org/x/vuln/cmd/govulncheck@latest ./...
	-cd web && npm audit
	@old=0; go list -u -m -f '{{if and (not .Indirect) .Update}}{{.Path}} {{.Version}} {{.Update.Version}}{{end}}' all | sed '/^$$/d' | { \
	  while read -r path have new; do echo "$$path $$have, there is $$new"; [ "$${have%.*}" != "$${new%.*}" ] || old=1; done; exit $$old; } \
	  || { echo "take these patches: go get -u=patch, then go mod tidy"; exit 1; }
	@cd web && npm outdated --json | node -e 'const all = JSON.parse(require("fs").readFileSync(0, "utf8") || "{}"); let old = 0; for (const [name, p] of Object.entries(all)) { console.log(name, p.current + ", there is", p.latest); if (p.current !== p.wanted) old = 1 } process.exit(old)' \
	  || { echo "take what package.json allows: npm update"; exit 1; }

bench: debs build
	go test -run '^$$' -bench . -benchtime 1x -timeout 30m ./tests
	go test -run '^$$' -bench . -benchtime 5x -cpu 1 ./connect/files

clean:
	rm -rf bin serve/dist/assets serve/dist/index.html web/node_modules
