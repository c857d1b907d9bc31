# The few words this project is worked with. `make demo` and `make test` install what is missing.
SHELL := /bin/bash
.DEFAULT_GOAL := help
TOOLS := $(CURDIR)/.tools
STATICCHECK := $(TOOLS)/staticcheck-0.8.2
SQLC_VERSION := v1.31.1
OAPI_VERSION := v2.8.2
export GOFLAGS := -buildvcs=false
# What runs with the race detector. core/audio has no goroutine, and its arithmetic takes ten times as long with it.
RACE := /internal/(core|switchboard|live|carrier|journal|media)(/|$$)
SINGLE := /internal/core/audio$$
FRONT := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/package-lock.json web/vite.config.ts

.PHONY: help setup setup-test demo start demo-reset build dev test test-front test-go fmt lint bench generate screenshots tools fuzz simulate drill

help: ## what there is
	@grep -hE '^[a-z-]+:.*##' Makefile | sed -E 's/:.*## /\t/' | expand -t 16

setup:
	@scripts/setup.sh
setup-test:
	@scripts/setup.sh test

web/dist/index.html: $(FRONT)
	@cd web && npx --no-install vite build --logLevel error

build: setup web/dist/index.html ## the binary, with the front end in it
	@go build -o trundo ./cmd/trundo

demo: build ## the made-up firm on http://127.0.0.1:8480
	@exec ./trundo demo
start: build ## a firm of your own on http://127.0.0.1:8480, set up in the browser
	@exec ./trundo start
demo-reset: build ## the same, afresh
	@exec ./trundo demo -reset

dev: build ## the demo, and the front end with reload on http://127.0.0.1:5173
	@trap 'kill 0' EXIT; ./trundo demo & cd web && npx --no-install vite

fmt: ## format everything
	@gofmt -w cmd internal e2e web/embed.go
	@cd web && npx --no-install prettier --log-level warn --write src

$(STATICCHECK):
	@mkdir -p $(TOOLS)
	@GOBIN=$(TOOLS) go install honnef.co/go/tools/cmd/staticcheck@v0.8.2 && mv $(TOOLS)/staticcheck $@

# What has not changed since it was last looked at is not looked at again; a fresh clone looks at everything.
lint: setup $(STATICCHECK)
	@test -z "$$(gofmt -l cmd internal e2e web/embed.go)" || { echo "not formatted (make fmt):"; gofmt -l cmd internal e2e web/embed.go; exit 1; }
	@go vet ./...
	@$(STATICCHECK) ./...
	@cd web && npx --no-install prettier --log-level warn --check --cache src && npx --no-install eslint --max-warnings 0 --cache --cache-strategy content --cache-location node_modules/.cache/eslint/ src && npx --no-install tsc --noEmit --incremental --tsBuildInfoFile node_modules/.cache/tsc.tsbuildinfo

# The set-up and the front end come first; then the lints beside the front end's tests, each with its output in one piece; then Go's, which keep every core busy.
test: setup-test web/dist/index.html ## everything: format, lints, types, unit, database, front end, browser
	@$(MAKE) --no-print-directory -j2 --output-sync=target lint test-front
	@$(MAKE) --no-print-directory test-go

test-front:
	@cd web && npx --no-install vitest run
test-go: export TMPDIR = $(shell scripts/scratch.sh)
test-go:
	@go test -race $$(go list ./internal/... | grep -E '$(RACE)' | grep -vE '$(SINGLE)')
	@go test -count=1 -timeout 30m -ldflags=-w $$(go list ./... | grep -vE '$(RACE)|/drill$$|/e2e$$') $$(go list ./internal/... | grep -E '$(SINGLE)')
	@go test -count=1 -timeout 30m -ldflags=-w ./e2e
	@go test -count=1 -timeout 10m ./drill

bench: setup-test web/dist/index.html ## speed beside a bare reference, written to docs/benchmarks.md
	@go run ./internal/bench -out docs/benchmarks.md

drill: export TMPDIR = $(shell scripts/scratch.sh)
drill: setup-test web/dist/index.html ## a hundred faults in some ten minutes, while reps work and keep a ledger
	@TRUNDO_DRILL=100 go test ./drill -count=1 -v -timeout 40m -run '^TestDrill$$'

simulate: export TMPDIR = $(shell scripts/scratch.sh)
simulate: setup-test ## twenty rounds of five hundred people, with restarts, reps who go away and rounds handed over
	@TRUNDO_ROUNDS=20x500 go test ./internal/desk -count=1 -v -timeout 60m -run '^TestRoundsWithFaults$$'

fuzz: setup-test ## each fuzz test for a minute, then 50,000 requests made from the contract
	@for t in core/phone:FuzzParse core/call:FuzzCall core/call:FuzzParties core/route:FuzzRun core/survey:FuzzSurvey core/routing:FuzzParseSpans core/money:FuzzParse core/fields:FuzzParse core/filter:FuzzResolve core/proposal:FuzzFind core/proposal:FuzzAddresses core/round:FuzzAfter core/card:FuzzMask formats:FuzzCSV formats:FuzzVCards \
		formats:FuzzJSONLines formats:FuzzReadWAV journal:FuzzJournalFile core/erasure:FuzzPattern core/usage:FuzzParseRate core/password:FuzzCheck desk/staff:FuzzRows core/report:FuzzPeriod core/topics:FuzzFind; do go test ./internal/$${t%:*} -run '^$$' -fuzz "^$${t#*:}$$" -fuzztime 60s || exit 1; done
	@TRUNDO_REQUESTS=50000 go test ./internal/httpapi -count=1 -timeout 60m -run '^TestNoRequestIsAnsweredWithOurFault$$'

$(TOOLS)/sqlc-$(SQLC_VERSION):
	@mkdir -p $(TOOLS)
	@cd /tmp && GOBIN=$(TOOLS) go install github.com/sqlc-dev/sqlc/cmd/sqlc@$(SQLC_VERSION) && mv $(TOOLS)/sqlc $@
$(TOOLS)/oapi-codegen-$(OAPI_VERSION):
	@mkdir -p $(TOOLS)
	@cd /tmp && GOBIN=$(TOOLS) go install github.com/oapi-codegen/oapi-codegen/v2/cmd/oapi-codegen@$(OAPI_VERSION) && mv $(TOOLS)/oapi-codegen $@

generate: setup $(TOOLS)/sqlc-$(SQLC_VERSION) $(TOOLS)/oapi-codegen-$(OAPI_VERSION) ## queries from SQL, Go and TypeScript from the contract
	@$(TOOLS)/sqlc-$(SQLC_VERSION) generate
	@$(TOOLS)/oapi-codegen-$(OAPI_VERSION) -config api/models.yaml api/openapi.yaml
	@$(TOOLS)/oapi-codegen-$(OAPI_VERSION) -config api/server.yaml api/openapi.yaml
	@cd web && npx --no-install openapi-typescript ../api/openapi.yaml -o src/api/schema.d.ts >/dev/null
	@go run ./internal/generated -write

screenshots: setup-test web/dist/index.html ## the pictures in docs/screenshots
	@TRUNDO_SCREENSHOTS=$(CURDIR)/docs/screenshots go test ./e2e -count=1 -run TestScreenshots
