# Everything is done by the scripts; each says what it is doing and can be run again.
.PHONY: demo test test-long bench vendor postgres screenshots
export CGO_ENABLED = 0
export GOFLAGS := $(GOFLAGS) -buildvcs=false
place := $(shell bash scripts/place.sh)

demo: postgres          ## run the demonstration on loopback
	@echo "compiling (the first time takes a minute or two)"
	@go build -pgo=off -o "$(place)/bin/eskadel" ./cmd/eskadel
	@exec "$(place)/bin/eskadel" demo $(DEMO)

test:                   ## install what the tests need and run all of them
	@bash scripts/test.sh

test-long: test         ## after them, draw random tests anew and run the suites at odd dates (an hour or more)
	@bash scripts/test-long.sh

bench: postgres         ## measure against queries written by hand
	@go run -pgo=cmd/eskadel/default.pgo ./bench $(BENCH)

vendor:                 ## fetch the browser's third-party files again
	@bash scripts/vendor.sh

postgres:               ## install Debian's PostgreSQL if it is missing
	@bash scripts/need.sh go
	@bash scripts/install.sh postgresql

screenshots:            ## make docs/screenshots from a running demo
	@cd e2e && node screenshots.mjs
