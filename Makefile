# Two commands do all: make demo, make test. make help lists the rest.
SHELL := /bin/bash
.DEFAULT_GOAL := help
LISTEN ?= 127.0.0.1:8420
DATABASE_PORT ?= 13390
FOLDER ?= .local
# The newest release that the papers name, where the source has no tag
VERSION ?= $(or $(patsubst v%,%,$(shell git describe --tags --match 'v*' 2>/dev/null)),$(shell sed -n 's/^## \([0-9.]*\),.*/\1/p' CHANGELOG.md | head -1))

CONSOLE_SOURCES := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/package.json web/tsconfig.json

.PHONY: help
help: ## Say what can be made
	@awk -F ':.*## ' '/^[a-z-]+:.*## / { printf "  make %-12s %s\n", $$1, $$2 }' $(MAKEFILE_LIST)

.PHONY: demo
demo: build ## Install what is missing, build, start a database of its own, load the demo and serve
	@bin/loyald demo --listen $(LISTEN) --database-port $(DATABASE_PORT) --folder $(FOLDER) --log text --log-file $(FOLDER)/service.log

.PHONY: demo-reset
demo-reset: stop ## Start the demo afresh: its data is thrown away
	@rm -rf $(FOLDER)
	@$(MAKE) --no-print-directory demo

.PHONY: stop
stop: ## End a demo that runs, cleanly
	@scripts/stop $(FOLDER)

.PHONY: build
build: tools web/dist/index.html ## Build the console and the programs into bin/
	@mkdir -p $(FOLDER)
	@go build -ldflags "-X loyallatch.example/latch/internal/command.version=$(VERSION)" -o bin/ ./cmd/...

PREFIX ?= /usr/local

.PHONY: install
install: ## Install what make build built: under PREFIX, and under DESTDIR where a package is made
	@test -x bin/loyald || { echo "run make build first"; exit 1; }
	install -D -m 0755 -t $(DESTDIR)$(PREFIX)/bin bin/loyal bin/loyald bin/loyalsim
	install -D -m 0644 packaging/loyal-latch.service $(DESTDIR)$(PREFIX)/lib/systemd/system/loyal-latch.service
	install -D -m 0644 packaging/sysusers.conf $(DESTDIR)$(PREFIX)/lib/sysusers.d/loyal-latch.conf
	install -D -m 0644 packaging/tmpfiles.conf $(DESTDIR)$(PREFIX)/lib/tmpfiles.d/loyal-latch.conf
	install -D -m 0644 -t $(DESTDIR)$(PREFIX)/share/doc/loyal-latch docs/*.md README.md CHANGELOG.md SECURITY.md LICENSE
	install -D -m 0644 -t $(DESTDIR)$(PREFIX)/share/loyal-latch packaging/alerts.yaml packaging/dashboard.json
	install -d $(DESTDIR)$(PREFIX)/share/bash-completion/completions $(DESTDIR)$(PREFIX)/share/zsh/vendor-completions $(DESTDIR)$(PREFIX)/share/fish/vendor_completions.d
	bin/loyal completion bash > $(DESTDIR)$(PREFIX)/share/bash-completion/completions/loyal
	bin/loyal completion zsh > $(DESTDIR)$(PREFIX)/share/zsh/vendor-completions/_loyal
	bin/loyal completion fish > $(DESTDIR)$(PREFIX)/share/fish/vendor_completions.d/loyal.fish
	@# The unit names the programs where a package puts them
	sed -i 's#/usr/bin/#$(PREFIX)/bin/#; s#/usr/share/#$(PREFIX)/share/#' $(DESTDIR)$(PREFIX)/lib/systemd/system/loyal-latch.service

.PHONY: package
package: build ## Build a Debian package into dist/
	@scripts/package $(or $(VERSION),0.0.0) dist

.PHONY: tools
tools:
	@scripts/tools mariadb

web/node_modules/.package-lock.json: web/package-lock.json web/package.json
	@cd web && npm ci --loglevel=error
	@scripts/fonts
	@touch $@

web/dist/index.html: web/node_modules/.package-lock.json $(CONSOLE_SOURCES)
	@cd web && npx --no-install vite build --logLevel warn
	@gzip -9knf web/dist/assets/*.js web/dist/assets/*.css # what the service hands out compressed

# What is tested with the race detector on: what holds the live state. The core starts nothing at once.
RACED := ./internal/app

# What is drawn is drawn from here, so that the tests say the same everywhere; make test-long draws afresh.
test: export RAPID_SEED ?= 20261129

.PHONY: test
test: tools web/dist/index.html lint ## Check style, and test everything: core, store, API, client, programs, and the console in headless Chromium
	@scripts/tools chromium poppler shells cluster promtool
	cd web && npx --no-install vitest run --dir src
	go test -race -timeout 40m $(RACED)
	go test -timeout 40m $$(go list ./... | grep -vxF "$$(go list $(RACED))")

.PHONY: test-long
test-long: export LATCH_LONG = 1
test-long: tools ## Draw afresh, try whole what make test tries in samples, and for long; then stress and the cluster
	LATCH_WORLDS=20000 LATCH_WORLDS_FROM=$$(date +%s)000000 go test -timeout 60m -count=1 -v \
	  -run 'Oracle|AnEffectNames' ./internal/core/access
	LATCH_LOCKS=2000 go test -timeout 60m -count=1 -v -run 'AnAcknowledgedLock' ./internal/app
	go test -timeout 120m -count=1 ./internal/core/change -run 'MoreThanAnOwnerGave' -rapid.checks=20000
	go test -timeout 60m -count=1 ./internal/core/... ./internal/calendar
	go test -timeout 60m -count=1 -v -run 'EachPageSays|EachActIs|NothingOutsideTheirReach' ./e2e ./internal/httpapi
	$(MAKE) --no-print-directory stress cluster-test fuzz

FUZZ ?= 10m
.PHONY: fuzz
fuzz: ## Feed each decoder of what people send with drawn input, for ten minutes each
	for at in picture:FuzzWeight sheet:FuzzRead calendar:FuzzRead core/card:FuzzRead; do \
	  go test -run NONE -fuzz "$${at#*:}" -fuzztime $(FUZZ) "./internal/$${at%%:*}" || exit 1; done

.PHONY: bench
bench: tools web/dist/index.html ## Measure, on a generated estate, and print a table with ratios
	LATCH_BENCH=1 go test -timeout 30m -count=1 -v -run 'Figures$$' ./bench

.PHONY: stress
stress: tools ## Break, cancel, kill and change at once, for long: laws 7 to 9 and 15
	LATCH_STRESS=30 go test -timeout 30m -count=1 -v -run 'WhateverBreaks' ./internal/app
	LATCH_STRESS=100 go test -timeout 60m -count=1 -v -run 'WhateverIsKilled' ./e2e
	LATCH_STRESS=20 go test -timeout 30m -count=1 -v -run "AnImportIsWhole" ./e2e

.PHONY: drill
drill: tools ## Have each fault happen to a service under load, for long, then load it for half an hour
	LATCH_DRILL=20 LATCH_LOAD=30 go test -timeout 90m -count=1 -v -run 'TestDrill$$|MixedLoad' ./e2e

.PHONY: cluster-test
cluster-test: tools ## Start three nodes with an instance each, drive them, kill, step a clock, fill a disk
	@scripts/tools cluster
	LATCH_CLUSTER=1 go test -timeout 20m -count=1 -v -run 'TestCluster$$' ./cluster

.PHONY: screenshots
screenshots: tools web/dist/index.html ## Take the pictures in docs/screenshots again
	@scripts/tools chromium
	@mkdir -p docs/screenshots
	LATCH_SCREENSHOTS=$(CURDIR)/docs/screenshots go test -count=1 -run '^TestScreenshots$$' ./e2e

.PHONY: lint
lint: generate ## Check format and style of all code
	@test -z "$$(gofmt -l cmd internal demo e2e bench cluster starters web/embed.go)" || { echo "run gofmt -w on:"; gofmt -l cmd internal demo e2e bench cluster starters web/embed.go; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	go test -run 'Style$$|OneWay$$' ./e2e
	cd web && npx --no-install tsc --noEmit && npx --no-install biome check src vite.config.ts
	node scripts/component-lines.mjs
	cd web && REDOCLY_TELEMETRY=off REDOCLY_SUPPRESS_UPDATE_NOTICE=true npx --no-install redocly lint openapi.json --extends recommended --max-problems 20

.PHONY: generate
generate: web/node_modules/.package-lock.json ## Make the console's API types from the service's own description; they are not kept
	go run ./cmd/loyald openapi > web/openapi.json
	cd web && npx --no-install openapi-typescript openapi.json -o src/api/schema.d.ts

.PHONY: clean
clean: ## Remove what was built; the demo's data stays
	rm -rf bin web/node_modules && find web/dist -mindepth 1 ! -name .gitkeep -delete
