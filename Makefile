# make test      everything checked; installs what it needs
# make long      the large laws in full: more pages, more documents
# make race      the packages in which much happens at once, looked at for races (needs gcc)
# make filler    the static program
# make bench     the benchmarks of docs/performance.md
# make fuzz      each fuzz target for a while

GO ?= go
export CGO_ENABLED = 0

.PHONY: test long race filler bench fuzz needs

test: needs
	$(GO) test -short ./...

long: needs
	$(GO) test ./internal/source/layout ./internal/run/fill
	$(GO) test ./cmd/filler -run 'BuildsAreEqual|WorkersKilled|WorkerCutOff'

race:
	CGO_ENABLED=1 $(GO) test -race -short -skip 'SameLineEveryTime|EveryEntryOnce' ./internal/run/... ./internal/ask/... ./internal/store/... ./internal/source/fetch

# What tests need beyond Go: a real OCR engine, a database with a pool before it, and what reads
# exports: the shell of SQLite and a spreadsheet's converter. They are installed where they are
# missing and apt-get is at hand.
needs:
	@missing=""; \
	command -v tesseract >/dev/null || missing="$$missing tesseract-ocr tesseract-ocr-eng"; \
	ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || missing="$$missing postgresql"; \
	command -v sqlite3 >/dev/null || missing="$$missing sqlite3"; \
	command -v ssconvert >/dev/null || missing="$$missing gnumeric"; \
	command -v chromium >/dev/null || missing="$$missing chromium"; \
	[ -x /usr/sbin/pgbouncer ] || command -v pgbouncer >/dev/null || missing="$$missing pgbouncer"; \
	[ -z "$$missing" ] || { echo "== installing$$missing"; \
	  sudo=; [ "$$(id -u)" = 0 ] || sudo=sudo; \
	  $$sudo apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$sudo apt-get install -y -qq --no-install-recommends $$missing >/dev/null; }

filler:
	$(GO) build -trimpath -buildvcs=false -ldflags '-s -w' -o filler ./cmd/filler

bench:
	$(GO) test ./internal/... -run '^$$' -bench . -benchmem

FUZZTIME ?= 20s
fuzz:
	@for target in base/value:FuzzParse ask/answer:FuzzRead schema:FuzzParse source/document:FuzzParse record/evidence:FuzzOf draft/printed:FuzzFill schema:FuzzImport draft:FuzzFromTexts source/document:FuzzFormats source/document:FuzzScans source/layout:FuzzMake ask/answer:FuzzPlain ask/chat:FuzzStream ask/outline:FuzzRead source/reading:FuzzText out/export:FuzzOnlyReads; do \
	  $(GO) test ./internal/$${target%%:*} -run '^$$' -fuzz $${target##*:} -fuzztime $(FUZZTIME) -fuzzminimizetime 10x || exit 1; done
