# Open Gauge: build, try, test. Needs Go and make, and nothing else.

export CGO_ENABLED = 0

# What the tests run on: a whole package list, so that a new one is never left out.
PACKAGES = ./...

.PHONY: demo build test browser-check bench accuracy lab lint examples cross fuzz docs help quick

demo: build ## build the program and run the full example
	bin/opengauge demo --out bin/demo

build:
	go build -trimpath -o bin/opengauge ./cmd/opengauge

# One package after the other: some tests measure times.
test: ## run the tests
	go test -p 1 $(PACKAGES)

browser-check: ## fetch the accessibility checker that the report's tests use (npm); they need Debian's chromium-driver too
	@mkdir -p .lab && test -f .lab/axe.min.js || (cd .lab && npm pack --silent axe-core@4.10.3 >/dev/null && tar -xzf axe-core-*.tgz package/axe.min.js --strip-components=1 && rm axe-core-*.tgz)

bench: ## speed and cost, as ratios to a bare loop of the same system calls where that is what counts
	go test -run '^$$' -bench . ./core/storage/target ./core/storage/sim ./core/measure/transfer ./core/storage/nbd ./cli

accuracy: ## how often findings are right, over many simulated runs
	OPENGAUGE_ACCURACY=1008 go test -count=1 -timeout 60m -v -run TestAccuracy ./core/judge/finding

lab: ## virtual hardware: needs QEMU (Debian: qemu-system-x86) and fetches Debian's kernel package
	@ls .lab/linux-image-*.deb >/dev/null 2>&1 || lab/fetch-kernel || true
	OPENGAUGE_LAB=1 go test -count=1 -v ./lab

lint: ## formatting, vet and staticcheck
	@unformatted=$$(gofmt -l $$(git ls-files '*.go')); if [ -n "$$unformatted" ]; then echo "gofmt needed: $$unformatted"; exit 1; fi
	go vet $(PACKAGES)
	go tool staticcheck $(PACKAGES)

docs: ## write docs/reference.md anew, from the registries in the code
	go test -count=1 -run Reference . -update

examples: demo ## record the demo's sessions anew
	bin/opengauge logbook export --all --logbook bin/demo/demo-logbook.db --out examples/sessions.json.gz

cross: ## build for the other systems
	GOOS=darwin GOARCH=arm64 go build -trimpath -o bin/opengauge-darwin-arm64 ./cmd/opengauge
	GOOS=windows GOARCH=amd64 go build -trimpath -o bin/opengauge-windows-amd64.exe ./cmd/opengauge

fuzz: ## look for inputs that break the parsers, for a while
	go test ./core/document -run '^$$' -fuzz FuzzParse -fuzztime 30s
	go test ./core/plan -run '^$$' -fuzz FuzzParse -fuzztime 30s
	go test ./core/unit -run '^$$' -fuzz FuzzParseBytes -fuzztime 30s
	go test ./core/bench/book -run '^$$' -fuzz FuzzParse -fuzztime 30s
	go test ./core/bench/survey -run '^$$' -fuzz FuzzReadCapture -fuzztime 30s
	go test ./core/bench/survey -run '^$$' -fuzz FuzzDeviceMegabits -fuzztime 30s
	go test ./core/storage/nbd -run '^$$' -fuzz FuzzReplies -fuzztime 30s
	go test ./core/standin -run '^$$' -fuzz FuzzParseScript -fuzztime 30s
	go test ./core/judge/stream -run '^$$' -fuzz FuzzParse -fuzztime 30s
	go test ./core/record/series -run '^$$' -fuzz FuzzRead -fuzztime 30s
	go test ./core/storage/sim -run '^$$' -fuzz FuzzParseBench -fuzztime 30s
	go test ./core/record/exchange -run '^$$' -fuzz FuzzRead -fuzztime 30s
