# make demo    install what is missing, start MariaDB on loopback, load the demo, serve
# make test    every check and test
# make unit    Go core and the types of scripts, under a minute
# make lint    formatting, vet, staticcheck, types, licences, module file
# make accuracy what is told, held against recordings: the long form of its tests (half an hour)
# make bench   speed, as ratios beside reference programs; ONLY=render, import, seams, tone, exports, demo, bundles, edits, frames or thousands for one part
# make torture the long form of the tests of reliability: a thousand kills and more (two hours)

.PHONY: demo test unit lint accuracy bench torture build styles screenshots

demo:
	@scripts/setup.sh run
	@go build -o bin/blendseam ./cmd/blendseam
	@exec bin/blendseam demo

test:
	@scripts/setup.sh test
	@scripts/test.sh

unit:
	@scripts/setup.sh test
	go test -short ./core/...
	npm run -s unit
	scripts/types.sh

lint:
	@scripts/setup.sh test
	@scripts/lint.sh
	GOBIN=$(CURDIR)/bin go install github.com/golangci/golangci-lint/v2/cmd/golangci-lint@v2.6.2
	bin/golangci-lint run ./...
	go mod tidy -diff

accuracy:
	@scripts/setup.sh test
	BLENDSEAM_ACCURACY=1 go test ./accuracy -v -count=1 -timeout 120m

bench:
	@scripts/setup.sh test
	@scripts/bench.sh

torture:
	@scripts/setup.sh test
	@scripts/torture.sh

build:
	go build -o bin/blendseam ./cmd/blendseam

# Fonts, scripts and icons out of node_modules, and the compiled styles.
styles:
	@scripts/setup.sh test
	npm run -s vendor
	npm run -s styles

screenshots: build
	@scripts/setup.sh test
	node e2e/screenshots.mjs
