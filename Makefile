# make demo   runs the made-up studio; make test proves everything.
# Both install what they need on a fresh Debian machine with Go, Node and npm.

SHELL := /bin/bash

# The program stands alone: it needs no library of the system.
export CGO_ENABLED := 0
SUDO := $(shell [ $$(id -u) = 0 ] || echo sudo)
need = command -v $(1) >/dev/null 2>&1 || missing="$$missing $(2)"
NPM := npm_config_update_notifier=false npm --prefix web

.PHONY: generate-api generate-sql demo clean-demo test test-go test-web bench lint generate check-generated screenshots build web system system-test

demo: system build
	./bin/fanfold demo

clean-demo:
	@[ -x bin/fanfold ] && ./bin/fanfold demo --forget || rm -rf .local

test: system-test check-generated test-web test-go

# What several people and machines use at once is tested with the race detector.
SHARED := ./internal/document ./internal/store ./internal/rig ./internal/app ./internal/api

test-go: web
	go vet ./...
	go test -timeout 10m $$(go list ./... | grep -v internal/e2e | grep -vxF "$$(go list $(SHARED))")
	CGO_ENABLED=1 go test -timeout 20m -race $(SHARED)
	internal/e2e/run.sh

test-web: web/node_modules/.ready
	$(NPM) run --silent test

bench:
	go test -run '^$$' -bench . -benchmem ./internal/...

lint: web/node_modules/.ready
	go run github.com/golangci/golangci-lint/v2/cmd/golangci-lint@v2.5.0 run
	$(NPM) run --silent lint

build: web
	go build -o bin/fanfold ./cmd/fanfold

# The browser application, built into the binary.
web: web/dist/index.html

web/dist/index.html: web/node_modules/.ready $(shell find web/src -type f) web/index.html web/vite.config.ts
	$(NPM) run --silent build
	@touch web/dist/.keep $@

# Not 'npm ci': it refuses a lock made where a registry holds the builds of one
# platform only. This installs what the lock says and leaves the lock alone.
web/node_modules/.ready: web/package-lock.json web/package.json
	$(NPM) install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

# Debian's packages.
system:
	@missing=; ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 || missing="postgresql"; \
	if [ -n "$$missing" ]; then $(SUDO) apt-get update -q && $(SUDO) env DEBIAN_FRONTEND=noninteractive apt-get install -yq --no-install-recommends $$missing; fi

system-test: system
	@missing=; $(call need,chromium,chromium); $(call need,midicsv,midicsv); $(call need,sox,sox); $(call need,ffmpeg,ffmpeg); $(call need,ly,python3-ly); $(call need,polyphone,polyphone); $(call need,pdftotext,poppler-utils); $(call need,cbc,coinor-cbc); $(call need,fluidsynth,fluidsynth); $(call need,bs1770gain,bs1770gain); $(call need,xmllint,libxml2-utils); $(call need,openssl,openssl); $(call need,systemd-analyze,systemd); \
	[ -e /usr/share/sounds/sf2/TimGM6mb.sf2 ] || missing="$$missing timgm6mb-soundfont"; \
	[ -e /usr/share/sounds/sf2/sf_GMbank.sf2 ] || missing="$$missing csound-soundfont"; \
	[ -e /usr/share/sounds/sf2/FluidR3_GM.sf2 ] || missing="$$missing fluid-soundfont-gm"; \
	[ -e /usr/share/sounds/sf2/FluidR3_GS.sf2 ] || missing="$$missing fluid-soundfont-gs"; \
	if [ -n "$$missing" ]; then $(SUDO) apt-get update -q && $(SUDO) env DEBIAN_FRONTEND=noninteractive apt-get install -yq --no-install-recommends $$missing; fi

# Generated code is committed; a hash of what it is made of tells if it is old.
GENERATED_FROM := internal/api/openapi.yaml internal/api/codegen.yaml sqlc.yaml $(wildcard internal/store/queries/*.sql) $(wildcard internal/store/migrations/*.sql)

generate: generate-api generate-sql
	@cat $(GENERATED_FROM) | sha256sum > .generated

generate-api: web/node_modules/.ready
	go run github.com/oapi-codegen/oapi-codegen/v2/cmd/oapi-codegen@v2.8.2 -config internal/api/codegen.yaml internal/api/openapi.yaml
	cd web && npx openapi-typescript ../internal/api/openapi.yaml -o src/model/schema.d.ts

# Building sqlc takes minutes.
generate-sql:
	go run github.com/sqlc-dev/sqlc/cmd/sqlc@v1.30.0 generate

check-generated:
	@[ "$$(cat $(GENERATED_FROM) | sha256sum)" = "$$(cat .generated)" ] || { echo "generated code is old: run make generate"; exit 1; }

screenshots: system-test web
	FANFOLD_SHOTS=$(CURDIR)/docs/screenshots go test -count=1 -run "TestScreenshots|TestACueIsPrinted|TestASessionIsReadBack|TestSomebodyIsInvited" -timeout 8m ./internal/e2e
