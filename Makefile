# make demo needs Go alone; make check installs what else it needs.
SHELL := /bin/bash
# Without what Gin can do with msgpack, which nothing here uses and which takes a third of a first build; and pictures
# are written by what ships with the program, never by a library that a machine happens to have.
export GOFLAGS := -tags=nomsgpack,nodynamic
export CHROMIUM ?= /usr/bin/chromium

TEMPLATES = $$(git ls-files -co --exclude-standard '*.html')

.PHONY: demo check assets format vet build test fuzz e2e shots bench tools neighbours

# Compiling shows how far it is: the first time everything that Velada stands on is fetched and compiled too.
demo:
	@echo "Building Velada. The first time this takes a few minutes, since all that it stands on is fetched and compiled too."
	@set -o pipefail; go build -v -o bin/velada ./cmd/velada 2>&1 | awk ' \
		/^go: downloading/ { if (++d % 20 == 1) print "  fetching: " $$3 " …"; fflush(); next } \
		/^[A-Za-z0-9._\/-]+$$/ { if (++n % 40 == 0) print "  compiled " n " of about 480 parts …"; fflush(); next } \
		{ print }'
	@bin/velada demo

check: tools format vet build test fuzz assets-current e2e

# What the checks need and a fresh machine may lack: Chromium, a crawler and the npm packages.
tools:
	@{ command -v $(CHROMIUM) && command -v wget; } >/dev/null || (apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium wget)
	npm ci --no-audit --no-fund --loglevel=error

format:
	@wrong=$$(gofmt -l $$(git ls-files -co --exclude-standard '*.go')); test -z "$$wrong" || { echo "not formatted:"; echo "$$wrong"; exit 1; }
	@npx prettier --check --log-level warn $(TEMPLATES)
	@long=$$(awk 'length > 120 { print FILENAME ": " FNR }' $(TEMPLATES)); test -z "$$long" || { echo "over 120 columns:"; echo "$$long"; exit 1; }

vet:
	go mod verify
	go vet ./...
	go tool staticcheck ./...

build:
	go build -o bin/velada ./cmd/velada

# What the race detector would make very slow runs whole without it.
test:
	go test -race ./...
	go test ./core/content ./store ./house ./gate ./console ./cmd/velada -run 'TestMigrationsKeepTheLedger|TestEveryReleasedHouseComesUpWhole|TestTheWorstOfASmallTextIsBounded|TestNothingTakesForEver|TestWhatIsKeptIsWhatIsWorkedOut|TestEveryRouteWithEveryRole|TestFiguresOfTheViewsAreThoseOfTheCore|TestTheDemoSaysWhatVisitorsGet|TestNobodyIsSentAWordThatIsNotForThem'
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
	go build -o bin/pebble github.com/letsencrypt/pebble/v2/cmd/pebble
	node --test --test-concurrency=$$(nproc) --test-timeout=420000 --test-force-exit e2e/

# What others made, beside Velada: slow, and fetches what Debian ships.
neighbours:
	.ci/neighbours

# Half a gigabyte up and down through Velada, over a line of 900 kB a second: nine minutes.
.PHONY: slow-line
slow-line:
	SLOW_LINE=yes go test ./cmd/velada -count=1 -run TestLargeBodiesOverASlowLine -v -timeout 20m

# How fast and how steady the demo's public site comes, as Lighthouse judges it: slow, and fetches Lighthouse.
.PHONY: lighthouse
lighthouse: build
	npm ci --prefix bench/lighthouse --no-audit --no-fund --loglevel=error
	node bench/lighthouse/run.mjs

shots: build
	node e2e/shots.mjs

bench:
	bench/run

# Every view and change of the console on made-up houses of 1,000, 20,000 and 200,000 people: ten minutes the first time.
.PHONY: bench-house
bench-house:
	cd bench && go run ./house && go run ./house -size L -changing
