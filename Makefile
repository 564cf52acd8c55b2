# make demo and make test are all a newcomer needs; both install what is missing.
SHELL := /bin/bash
GO    ?= go

.PHONY: demo test lint torture build console setup bench fmt clean

demo: build            ## start Fenwatch on http://127.0.0.1:7480
	@exec bin/yalvo up --demo

# Tests run with the race detector. Pointers that are unsafe, which nothing here has, are not checked besides, and
# nothing is written for debuggers. All that tests run is compiled like this, so that it is compiled once.
RACE = -race '-gcflags=all=-d=checkptr=0 -dwarf=false' '-ldflags=-s -w'

test: export SETUP_BROWSER = yes
test:                  ## everything: the console's types and all tests; make lint looks at the code besides
	@$(GO) build $(RACE) ./tests/harness & \
	$(MAKE) --no-print-directory console && wait
	@# Tests wait a lot, for upkeep and for locks: six at a time keep two cores busy. Garbage may stay for longer:
	@# collecting it takes a race detector long. A program that ends does not wait a second for late findings.
	(cd console && npm run --silent check) & looked=$$!; \
	GOGC=400 GORACE=atexit_sleep_ms=20 $(GO) test $(RACE) -vet=off -parallel 6 -timeout 25m ./... && wait $$looked

lint: bin/staticcheck console  ## vet and staticcheck of all, tests too, and the console; takes minutes
	$(GO) vet ./...
	bin/staticcheck ./...
	cd console && npx eslint . && npx prettier --check --log-level warn 'src/**/*.{ts,vue,css}'

bin/staticcheck: go.mod
	$(GO) build -o $@ honnef.co/go/tools/cmd/staticcheck

build: console         ## bin/yalvo, with the console inside
	$(GO) build -buildvcs=auto -o bin/yalvo ./cmd/yalvo

console: setup
	@cd console && if [ ! -f node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then npm ci --no-audit --no-fund; fi
	@cd console && npm run --silent build >/dev/null

setup:                 ## install what the machine lacks
	@scripts/setup $(if $(SETUP_BROWSER),browser)

FUZZ = design/language/FuzzRead design/expr/FuzzCondition engine/facts/FuzzPatch engine/bulk/FuzzLine \
  doors/tokens/FuzzToken engine/pictures/FuzzPicture doors/api/FuzzBody doors/api/FuzzQuery

torture: build         ## made-up input, then random operations, for long: make torture OPERATIONS=20000 DESIGNS=20 SEEDS="1 2 3"
	for fuzz in $(FUZZ); do \
	  $(GO) test ./internal/$${fuzz%/*} -run xxx -fuzz $${fuzz##*/} -fuzztime $(or $(FUZZTIME),60s) -fuzzminimizetime 1s || exit 1; done
	$(GO) test ./tests -run FuzzRule -fuzz FuzzRule -fuzztime $(or $(FUZZTIME),60s) -fuzzminimizetime 1s
	for seed in $(or $(SEEDS),0); do \
	  $(GO) test ./tests -count 1 -timeout 24h -v -run 'AsTheModelSays|Killing|Random|AnAuditFinds|EveryOperation|FollowOneAnother|ThatAreCut|TwoWorlds|Calibrated|BeginningsAre' -every-nth 1 -looks 2500 -worlds 20 -calls 2000 -cuts 500 -breakings 600 -deadlocks -operations $(or $(OPERATIONS),20000) -designs $(or $(DESIGNS),20) -seed $$seed || exit 1; done

bench: build           ## measure, each side in one run; see docs/benchmarks.md
	$(GO) run ./bench

fmt:
	gofmt -w $$(git ls-files '*.go')
	cd console && npx prettier --write --log-level warn 'src/**/*.{ts,vue,css}'

clean:
	rm -rf bin console/dist/app console/node_modules
