# make test      everything checked; installs what it needs
# make filler    the static program
# make bench     the benchmarks of docs/performance.md
# make fuzz      each fuzz target for a while

GO ?= go
export CGO_ENABLED = 0

.PHONY: test filler bench fuzz needs

test: needs
	$(GO) test ./...

# What tests need beyond Go. Nothing yet: the demo's OCR text is in the
# repository, and only the script that makes it anew needs the engine.
needs:

filler:
	$(GO) build -trimpath -ldflags '-s -w' -o filler ./cmd/filler

bench:
	$(GO) test ./internal/... -run '^$$' -bench . -benchmem

FUZZTIME ?= 20s
fuzz:
	@for target in value:FuzzParse reply:FuzzRead schema:FuzzParse document:FuzzParse evidence:FuzzOf labels:FuzzFill schema:FuzzImport draft:FuzzFromTexts; do \
	  $(GO) test ./internal/$${target%%:*} -run '^$$' -fuzz $${target##*:} -fuzztime $(FUZZTIME) -fuzzminimizetime 10x || exit 1; done
