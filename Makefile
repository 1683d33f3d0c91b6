# Everything is built and tested from here; each target does its own set-up. It needs Go, Node and, for the browser tests, apt.

# SQLite is built in as Go: nothing here needs a C compiler.
export CGO_ENABLED := 0

SHELL := bash
.SHELLFLAGS := -o pipefail -c

BIN := bin/fachwerk
WEB := web/node_modules/.package-lock.json
OPENAPI := ../../web/src/api/openapi.json
LINTERS := tools/api/node_modules/.package-lock.json
DEMO_DB ?= demo.db
ADDR ?= 127.0.0.1:8080
FUZZTIME ?= 60s
FROM ?= 1
TO ?= 400
WALK ?= .

.PHONY: build demo test check generate fresh screenshots bench operations days large load mutants fuzz torture slapd clean chromium deb package

build: $(WEB)
	cd web && npm run --silent build
	go build -trimpath -ldflags "-s -w" -o $(BIN) ./cmd/fachwerk

$(WEB): web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

# Serves the demo organisation; its database is kept between runs.
demo: build
	$(BIN) serve --db $(DEMO_DB) --demo --addr $(ADDR)

test: build chromium
	@mkdir -p bin
	@go test -vet=off -timeout 20m -parallel 4 ./... 2>&1 | tee bin/test.txt || { \
		echo; echo "What failed, from bin/test.txt:"; \
		grep -E -A 6 '^ *--- FAIL|^panic:|^FAIL[[:space:]]' bin/test.txt; exit 1; } # go vet is part of check

chromium:
	@command -v curl >/dev/null || { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq curl; }
	@command -v chromium-headless-shell >/dev/null || { apt-get update -qq && \
		DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium-headless-shell; } || command -v chromium >/dev/null

# Nothing of theirs runs at install.
$(LINTERS): tools/api/package.json tools/api/package-lock.json
	cd tools/api && npm ci --ignore-scripts --no-audit --no-fund
	@touch $@

# What does not need a browser: formatting, vet, staticcheck, biome, types, whether generated files are fresh, and the
# API's description.
check: build fresh $(LINTERS)
	@out=$$(gofmt -l cmd internal e2e web/*.go); test -z "$$out" || { echo "gofmt: $$out"; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	cd web && npm run --silent check
	cd tools/api && REDOCLY_TELEMETRY=off REDOCLY_SUPPRESS_UPDATE_NOTICE=true npx --no-install redocly lint $(OPENAPI)
	cd tools/api && npx --no-install spectral lint --fail-severity warn $(OPENAPI)

# The front end's types follow from the API's description, which follows from the server's code.
generate: $(WEB)
	go run ./cmd/fachwerk openapi > web/src/api/openapi.json.new && mv web/src/api/openapi.json.new web/src/api/openapi.json
	cd web && npm run --silent api

fresh: generate
	git diff --exit-code --stat -- web/src/api go.mod go.sum

screenshots: build chromium
	go run ./e2e/screenshots docs/screenshots

bench:
	go test -timeout 40m -run "^$$" -bench . -benchmem ./internal/core/... ./internal/desk/... ./internal/door/authzen ./internal/door/scim

# Every operation of the API once and again, in an organisation of 100,000 people.
operations:
	go test -timeout 60m -run '^$$' -bench Operations -benchtime 2x ./internal/door/api

# The walks, on each of the next 400 days: they take hours. FROM, TO and WALK make it less.
days: build chromium
	go run ./e2e/days -from $(FROM) -to $(TO) -run '$(WALK)'

large: build chromium
	go run ./e2e/large

load: build
	go run ./e2e/load $(BIN)

# Small, plausible mistakes, one at a time: do the tests notice? At least 95 of a hundred must be noticed.
mutants:
	go run ./e2e/mutants

# For ten minutes, everybody tries to get more than they were given, by random mixes of all doors. Then the server is
# killed a hundred times while every door writes; what is replicated meanwhile is restored.
torture:
	FACHWERK_ATTACK=10m go test -timeout 30m -count 1 -run TestNoMixOfDoorsGivesWhatNobodyHolds ./internal/desk
	GOBIN=$(CURDIR)/bin go install github.com/benbjohnson/litestream/cmd/litestream@v0.5.18
	FACHWERK_KILLS=100 FACHWERK_LITESTREAM=$(CURDIR)/bin/litestream go test -timeout 60m -count 1 -v ./e2e/torture

# An empty OpenLDAP takes in the LDIF of the demo. Where it is not installed, that comes first: it is a server.
slapd: build
	@PATH=$$PATH:/usr/sbin; command -v slapadd >/dev/null || \
		{ apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq slapd; }
	PATH=$$PATH:/usr/sbin go test -count=1 -tags slapd -run TestAnEmptyDirectoryTakesTheExport ./e2e/client

# A minute each; what they find stays beside the test, in testdata.
fuzz:
	for target in FuzzParse:core/filter FuzzPath:core/filter FuzzChange:core/change FuzzColumns:core/intake \
		FuzzRead:exchange/modelfile FuzzRead:exchange/rows FuzzRead:exchange/catalogue FuzzWrite:exchange/ldif \
		FuzzPatch:exchange/scim FuzzBulk:door/scim FuzzEvaluation:door/authzen FuzzPlainWords:door/authzen FuzzTime:door/authzen \
		FuzzFind:desk; do \
		go test -run '^$$' -fuzz "^$${target%%:*}\$$" -fuzztime $(FUZZTIME) -fuzzminimizetime 2s ./internal/$${target##*:} || exit 1; \
	done

# What a package holds beside the binary: manual pages and completion.
package: build
	rm -rf bin/package && mkdir -p bin/package/completion
	$(BIN) manual bin/package/man
	for shell in bash zsh fish; do $(BIN) completion $$shell > bin/package/completion/fachwerk.$$shell; done

# A Debian package, in bin/.
deb: package
	VERSION=$$($(BIN) --version | awk '{print $$NF}') ARCH=$$(go env GOARCH) \
		go run github.com/goreleaser/nfpm/v2/cmd/nfpm@v2.48.0 package --config deploy/nfpm.yaml --packager deb --target bin/

clean:
	rm -rf bin tools/api/node_modules web/dist/assets web/dist/index.html web/dist/mark.svg web/node_modules $(DEMO_DB) $(DEMO_DB)-shm $(DEMO_DB)-wal
