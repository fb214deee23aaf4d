# Open Gauge: build, try, test. Needs Go and make, and nothing else.

export CGO_ENABLED = 0

# What the tests run on: a whole package list, so that a new one is never left out.
PACKAGES = ./...

.PHONY: demo help build quick test times pages documents race fuzz bench accuracy reviews lab lint cross docs examples \
	screenshots weight tools browser-check wine arm mutants night torture scale release release-check

demo: build ## build the program and run the full example
	bin/opengauge demo --out bin/demo

help: ## list these targets
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:[^#]*## /\t/' | expand -t 16

build: ## build bin/opengauge
	go build -trimpath -ldflags='-s -w' -o bin/opengauge ./cmd/opengauge

# The packages that compute, whose tests take moments; what measures, keeps or draws is left to
# make test.
QUICK = . ./core/unit ./core/stat ./core/document ./core/clock ./core/load ./core/plan ./core/bench/book \
	./core/bench/kernel ./core/bench/link ./core/bench/network ./core/bench/windows \
	./core/judge/beside ./core/judge/blame ./core/judge/compare ./core/judge/cooling ./core/judge/crowd \
	./core/judge/energy ./core/judge/factor ./core/judge/predict ./core/judge/stream ./core/judge/value \
	./core/record/series ./core/review ./core/review/design ./core/review/reading ./core/review/answer \
	./present/table ./present/text
quick: ## the tests of what computes, in half a minute; what has not changed is not run again
	go test -short -vet=off -timeout 2m $(QUICK)

# ALLOW is a list of reasons for which tests may be skipped; others fail the run. CI gives
# it one.
ALLOW =
test: ## run the tests; says at the end which were skipped and why, which were slow, and what all cost
	go run ./lab/suite -slowest 20 $(if $(ALLOW),-allow $(ALLOW)) -- -p 2 -parallel 8 -timeout 10m $(PACKAGES)

times: ## the tests that judge times, one beside another where nothing else runs
	OPENGAUGE_TIMES=1 go run ./lab/suite -slowest 5 $(if $(ALLOW),-allow $(ALLOW)) -- -parallel 4 -timeout 10m \
		-run "$$(lab/calling 'witness.OnQuietMachine|witness.JudgesTimes')" ./cli

pages: ## the tests that open pages in a browser (make tools)
	OPENGAUGE_PAGES=1 go run ./lab/suite -slowest 5 $(if $(ALLOW),-allow $(ALLOW)) -- -timeout 10m \
		-run "$$(lab/calling openBrowser)" ./cli

documents: ## every command of the README, and the recipes of CONTRIBUTING, as they are written
	OPENGAUGE_DOCUMENTS=1 go test -count=1 -timeout 10m -run '^(TestRecipes|TestTheCommandsOfTheReadme)$$' . ./cli

# What runs with the race detector; CI takes fewer.
RACED = ./core/... ./present/...
race: ## the tests of the core and the drawings with the race detector, which needs a C compiler
	CGO_ENABLED=1 go test -short -race -p 1 -timeout 20m $(RACED)

# What runs on an emulated processor of another kind; emulators have no io_uring.
ARM = ./core/unit ./core/document ./core/clock ./core/load ./core/plan ./core/bench/... ./core/storage/fault \
	./core/storage/direct ./core/storage/payload ./core/storage/claim ./core/storage/sim ./core/storage/nbd \
	./core/storage/target ./core/record/series ./core/record/session ./core/record/spool ./core/judge/factor \
	./core/judge/stream ./core/review
arm: ## tests of the core for ARM boards, on an emulated processor (make tools)
	GOARCH=arm64 go test -short -p 2 -timeout 15m -skip 'TestEveryCarrierOnADevice' -exec qemu-aarch64-static $(ARM)

TRIES = 2000
torture: ## kill it, fill its disks, tear its logbook, swap its devices, lie to it (TRIES=2000; as root)
	go run ./lab/torture -tries $(TRIES)

bench: ## speed and cost, as ratios to a bare loop of the same system calls where that is what counts
	go test -run '^$$' -bench . ./core/measure/engine ./core/storage/payload ./core/storage/sim ./core/measure/transfer ./cli

EACH = 300
accuracy: ## how often causes are right: on 1140 simulated benches, and on EACH=300 of every class from outside
	OPENGAUGE_ACCURACY=1140 go test -count=1 -timeout 60m -v -run TestAccuracy ./core/judge/finding
	OPENGAUGE_OUTSIDE=$(EACH) OPENGAUGE_SEED=$$(git rev-parse HEAD) go test -count=1 -timeout 120m -v \
		-run TestRecordingsFromOutside ./core/judge/finding

REVIEWS = 1000
reviews: ## how often reviews are right that say they are sure: on REVIEWS=1000 simulated ones of this commit
	OPENGAUGE_REVIEWS=$(REVIEWS) OPENGAUGE_SEED=$$(git rev-parse HEAD) go test -count=1 -timeout 60m -v \
		-run 'ReviewsAreRight|Needed' ./core/review/conduct

lab: ## virtual hardware: needs QEMU (make tools) and Debian's kernel package, which it fetches
	@ls .lab/linux-image-*.deb >/dev/null 2>&1 || lab/fetch-kernel
	OPENGAUGE_LAB=1 go test -count=1 -timeout 15m -v ./lab

wine: ## the Windows program under Wine (make tools), against a file that counts what is under way
	OPENGAUGE_WINE=1 go test -count=1 -timeout 10m -v ./lab/wine

lint: ## formatting, vet and staticcheck
	@unformatted=$$(gofmt -l $$(git ls-files '*.go')); if [ -n "$$unformatted" ]; then echo "gofmt needed: $$unformatted"; exit 1; fi
	go vet $(PACKAGES)
	go tool staticcheck $(PACKAGES)

# Those that lab/release builds for.
SYSTEMS = $(shell go run ./lab/release -list)
cross: ## build and vet for every system
	@for each in $(SYSTEMS); do echo "$$each"; export GOOS=$${each%/*} GOARCH=$${each#*/}; \
		go vet $(PACKAGES) && go build -o /dev/null ./cmd/opengauge || exit 1; done

release: ## archives, packages and checksums of this commit for every system, in bin/release
	go run ./lab/release

release-check: ## the package of this commit in a clean Debian, and whether it is the same twice (as root)
	OPENGAUGE_RELEASE=1 go test -count=1 -timeout 20m -v ./lab/release

docs: ## write docs/reference.md, docs/schemas and NOTICE anew, from the code and from what is linked
	go test -count=1 -run 'Reference|Notice' . -update
	go test -count=1 -run 'SchemasAreCurrent' ./cli -update
	go test -count=1 -run 'TestPrivileges' ./core/record/logbook -update

weight: ## write docs/dependencies.md anew: each module's purpose, its share of the program and of a cold build
	go run ./lab/weight

screenshots: demo ## draw docs/screenshots anew, from the demo's and the recorded sessions (make tools installs what it needs)
	docs/screenshots/draw

examples: build ## record the bench's sessions anew
	examples/record

tools: ## install what some tests and the screenshots need (Debian; as root), and list what is here and what is missing
	-dpkg --configure -a # what an interrupted run left half done
	apt-get update -qq
	DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends qemu-system-x86 qemu-utils e2fsprogs \
		mount nbdkit libnbd-bin chromium chromium-driver git xvfb xterm imagemagick fonts-dejavu-core fonts-liberation \
		wine wine64 fdisk dosfstools gcc libc6-dev gcc-mingw-w64-x86-64 python3-minimal qemu-user-static debootstrap \
		iproute2 xdotool postgresql pgbouncer $(if $(shell command -v npm),,npm) >/dev/null
	$(MAKE) --no-print-directory browser-check
	@lab/tools

# A package of npm is an archive whose one folder is package. It is unpacked beside its place, so
# that what is in its place is whole.
FETCH = f() { test -e .lab/$$2 || { rm -rf .lab/unpacked && mkdir -p .lab/unpacked && cd .lab/unpacked && \
	npm pack --silent $$1 >/dev/null && tar -xzf *.tgz && mv package/$$3 ../$$2 && cd ../.. && rm -rf .lab/unpacked; }; }; f
browser-check: ## fetch the accessibility checker that the report's tests use, and a second reader of Parquet (npm)
	@$(FETCH) axe-core@4.10.3 axe.min.js axe.min.js
	@$(FETCH) hyparquet@1.17.0 hyparquet ""
	@$(FETCH) fzstd@0.1.1 fzstd ""

FUZZED = core/document:FuzzParse core/plan:FuzzParse core/load:FuzzParse core/unit:FuzzParseBytes \
	core/bench/book:FuzzParse core/bench/book:FuzzParseQuote core/bench/survey:FuzzReadCapture core/bench/survey:FuzzDeviceMegabits \
	core/bench/survey:FuzzWindowsCapture core/bench/survey:FuzzMacosRegistry core/bench/network:FuzzWhatProtocolsCount \
	core/bench/sensor:FuzzParseProbe core/bench/sensor:FuzzMetricValue \
	core/storage/nbd:FuzzReplies core/standin:FuzzParseScript core/judge/stream:FuzzParse core/record/series:FuzzRead \
	core/storage/sim:FuzzParseBench core/review:FuzzParse core/record/exchange:FuzzRead core/record/spool:FuzzRead core/record/logbook:FuzzDigest core/record/codec:FuzzDecode present/page:FuzzTextStaysText

# A list of packages and their fuzz tests; a test says when one is missing. Of PARTS, each
# commit has its turn with one.
FUZZTIME = 30s
PARTS = 1
fuzz: ## look for inputs that break the parsers, for a while (FUZZTIME=30s each)
	@turn=$$(git rev-list --count HEAD); for each in $(FUZZED); do turn=$$((turn + 1)); \
		[ $$((turn % $(PARTS))) = 0 ] || continue; echo "$$each"; \
		$(FUZZ_ONE) || { $(FUZZ_LATE) && $(FUZZ_ONE); } || exit 1; done; rm -f .fuzzed

# One fuzz test. Go's own deadline sometimes comes while its workers end, which says
# nothing of the parser: then it is tried once more.
FUZZ_ONE = { go test ./$${each%%:*} -run '^$$' -fuzz "^$${each\#\#*:}$$" -fuzztime $(FUZZTIME) -fuzzminimizetime 20x > .fuzzed; \
	ended=$$?; cat .fuzzed; [ $$ended = 0 ]; }
FUZZ_LATE = { grep -q 'context deadline exceeded' .fuzzed && ! grep -q 'Failing input' .fuzzed; }

# The packages in which breaks have to be found, with the tests that are to find them.
PACKAGE = core/stat core/storage/target core/measure/run core/measure/transfer core/judge/finding core/judge/explain core/judge/move core/judge/compare present/figure
mutants: ## break lines of PACKAGE, 60 drawn by the commit, and list those that no test notices
	go run ./lab/mutants -equivalent docs/equivalent-mutants.txt $(addprefix ./,$(PACKAGE))

SESSIONS = 1000000
IMPORTED = 100000
SCALE_LIMIT = 0
scale: ## a logbook of SESSIONS=1000000 on a server (make tools), and how long questions take; the table is docs/scale.md
	go run ./lab/scale -sessions $(SESSIONS) -imported $(IMPORTED) -limit $(SCALE_LIMIT) $(SCALE_FLAGS)

night: ## what takes long: all tests in full, the race detector, a thousand runs of everything, fuzzing
	$(MAKE) cross
	OPENGAUGE_NIGHT=1 $(MAKE) test documents
	$(MAKE) race accuracy reviews mutants torture scale release-check
	go run ./lab/torture -guards
	OPENGAUGE_NIGHT=1 $(MAKE) lab
	$(MAKE) fuzz FUZZTIME=5m
