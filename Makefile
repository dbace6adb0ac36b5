# make test      what each change is checked by; installs what it needs
# make long      the large laws in full: more pages, all kept documents, ends that take their time
# make race      the packages in which much happens at once, looked at for races (needs gcc)
# make filler    the static program
# make install   the same, where Go puts programs
# make release   programs for Linux, macOS and Windows, a Debian package and a bill of materials, in dist/
# make bench     the benchmarks of docs/performance.md
# make fuzz      each fuzz target for a while

GO ?= go
export CGO_ENABLED = 0

.PHONY: test long race filler install release bench fuzz needs

test: needs
	$(GO) test -short -timeout 40m ./...

long: needs
	$(GO) test -timeout 40m ./internal ./internal/cli ./internal/draft ./internal/measure/score ./internal/run/fill ./internal/run/improve ./internal/source/layout ./release/...
	$(GO) test -timeout 40m ./internal/record/evidence -run 'TestSheets|TestContested|TestSwappedItems|TestKnownPlaces'
	$(GO) test -timeout 40m ./cmd/filler -run 'BuildsAreEqual|WorkersKilled|WorkerCutOff|GuideRuns|KilledFiftyTimes|FewKeys|FortyQuestions|TenNights|LastWorkerEnds|DatabaseStartsAgain|ADocumentThatKills|DatabaseDiskFull'

race:
	CGO_ENABLED=1 $(GO) test -race -short -timeout 40m -skip 'SameLineEveryTime|EveryEntryOnce' ./internal/run/... ./internal/ask/... ./internal/store/... ./internal/source/fetch

# What tests need beyond Go: a real OCR engine, a database with a pool before it, and what reads
# exports: the shell of SQLite and a spreadsheet's converter. They are installed where they are
# missing, and apt-get may be used without asking; else the tests that need them are left out, by
# name (go test -v shows it).
needs:
	@missing=""; \
	command -v tesseract >/dev/null || missing="$$missing tesseract-ocr tesseract-ocr-eng"; \
	ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || missing="$$missing postgresql"; \
	command -v sqlite3 >/dev/null || missing="$$missing sqlite3"; \
	command -v ssconvert >/dev/null || missing="$$missing gnumeric"; \
	command -v chromium >/dev/null || missing="$$missing chromium"; \
	command -v groff >/dev/null || missing="$$missing groff-base"; \
	[ -x /usr/sbin/pgbouncer ] || command -v pgbouncer >/dev/null || missing="$$missing pgbouncer"; \
	[ -z "$$missing" ] || { sudo=; [ "$$(id -u)" = 0 ] || sudo="sudo -n"; \
	  command -v apt-get >/dev/null && $$sudo true 2>/dev/null || { \
	    echo "== tests that need these are left out, since they can't be installed without asking:"; echo "   sudo apt-get install$$missing"; exit 0; }; \
	  echo "== installing$$missing"; \
	  $$sudo apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$sudo apt-get install -y -qq --no-install-recommends $$missing >/dev/null; }

filler:
	$(GO) build -trimpath -buildvcs=false -ldflags '-s -w' -o filler ./cmd/filler

# The program, where Go puts programs.
install:
	$(GO) install -trimpath -buildvcs=false -ldflags '-s -w' ./cmd/filler
	@dir=$$($(GO) env GOBIN); [ -n "$$dir" ] || dir=$$($(GO) env GOPATH)/bin; echo "installed: $$dir/filler"; \
	case ":$$PATH:" in *":$$dir:"*) ;; *) echo "that folder is not on your PATH: export PATH=\"\$$PATH:$$dir\"";; esac

# What users download: static programs for three systems, cross-compiled and vetted (those for other
# systems than this one are not run here), a Debian package, a bill of materials and checksums. The
# version is the tag that is checked out, if there is one.
TAG := $(shell git describe --tags --exact-match --match 'v*' 2>/dev/null | sed 's/^v//')
FLAGS := -s -w$(if $(TAG), -X filler/internal/cli.Version=$(TAG))
release:
	rm -rf dist && mkdir dist
	set -e; $(GO) build -trimpath -buildvcs=false -ldflags '$(FLAGS)' -o dist/filler ./cmd/filler; version=$$(dist/filler version | cut -d' ' -f2); \
	for target in linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64 windows/arm64; do \
	  export GOOS=$${target%/*} GOARCH=$${target#*/}; end=; [ $$GOOS != windows ] || end=.exe; echo "== $$target"; \
	  $(GO) build -trimpath -buildvcs=false -ldflags '$(FLAGS)' -o dist/filler-$$version-$$GOOS-$$GOARCH$$end ./cmd/filler; \
	  $(GO) vet -trimpath ./cmd/filler ./internal/...; done; unset GOOS GOARCH; \
	for arch in amd64 arm64; do ! command -v dpkg-deb >/dev/null || FILLER=dist/filler release/deb.sh $$version $$arch dist/filler-$$version-linux-$$arch dist/filler_$${version}_$$arch.deb; done; \
	$(GO) run ./release/sbom $$version dist/filler-$$version-linux-amd64 > dist/filler-$$version.cdx.json; rm dist/filler
	cd dist && sha256sum filler* > SHA256SUMS && ls -l

bench:
	$(GO) test ./internal/... -run '^$$' -bench . -benchmem

FUZZTIME ?= 20s
fuzz:
	@for target in base/value:FuzzParse ask/answer:FuzzRead schema:FuzzParse source/document:FuzzParse record/evidence:FuzzOf draft/printed:FuzzFill schema:FuzzImport draft:FuzzFromTexts source/document:FuzzFormats source/document:FuzzScans source/layout:FuzzMake ask/answer:FuzzPlain ask/chat:FuzzStream ask/outline:FuzzRead source/reading:FuzzText out/export:FuzzOnlyReads; do \
	  $(GO) test ./internal/$${target%%:*} -run '^$$' -fuzz $${target##*:} -fuzztime $(FUZZTIME) -fuzzminimizetime 10x || exit 1; done
