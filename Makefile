# make demo needs Go alone; make check installs what else it needs.
SHELL := /bin/bash
export CHROMIUM ?= /usr/bin/chromium

.PHONY: demo check assets format vet build test fuzz e2e shots bench tools

demo:
	go run ./cmd/velada demo

check: tools format vet build test fuzz assets-current e2e

# What the checks need and a fresh machine may lack: Chromium and the npm packages.
tools:
	@command -v $(CHROMIUM) >/dev/null || (apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium)
	npm ci --no-audit --no-fund --loglevel=error

format:
	@wrong=$$(gofmt -l $$(git ls-files -co --exclude-standard '*.go')); test -z "$$wrong" || { echo "not formatted:"; echo "$$wrong"; exit 1; }

vet:
	go mod verify
	go vet ./...
	go tool staticcheck ./...

build:
	go build -o bin/velada ./cmd/velada

test:
	go test -race ./...
	cd bench && go test ./...

# A short run of each fuzz target, beside the seeds that `make test` runs. Counted, not timed: a timed run can end in the
# middle of an input and be called a failure.
fuzz:
	go test ./core/access -run '^$$' -fuzz FuzzURLPath -fuzztime 60000x -fuzzminimizetime 100x
	go test ./core/access -run '^$$' -fuzz FuzzRead -fuzztime 30000x -fuzzminimizetime 100x
	go test ./core/access -run '^$$' -fuzz FuzzDecide -fuzztime 10000x -fuzzminimizetime 100x

assets:
	npm run -s assets

.PHONY: assets-current
assets-current: assets
	@git diff --exit-code --stat -- look/static || { echo "look/static is not what make assets builds: commit it"; exit 1; }

e2e: build
	node --test --test-concurrency=2 --test-timeout=420000 --test-force-exit e2e/

shots: build
	node e2e/shots.mjs

bench:
	bench/run
