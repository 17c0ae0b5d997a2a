#!/usr/bin/env bash
# Runs every check: formatting, vet, types, styles, Go tests against a real
# MariaDB, and the browser tests.
set -euo pipefail
cd "$(dirname "$0")/.."

say() { printf '\n— %s\n' "$*"; }

scripts/lint.sh

say "Scripts without a page"
npm run -s unit

say "The compiled styles and what ships beside them are current"
made=$(mktemp -d)
db=
clean() {
	[ -z "$db" ] || { kill "$db" 2>/dev/null || true; wait "$db" 2>/dev/null || true; }
	rm -rf "$made"
}
trap clean EXIT
npx --no-install tailwindcss -i web/styles/app.css -o "$made/app.css" --minify >/dev/null 2>&1
cmp "$made/app.css" web/app.css || { echo "web/app.css is stale: run npm run styles"; exit 1; }

say "Go tests"
go build -o bin/blendseam ./cmd/blendseam
# One database server serves all packages; each test has a database of its own.
bin/blendseam database --data "$made/db" >"$made/dsn" &
db=$!
for _ in $(seq 600); do [ -s "$made/dsn" ] && break; kill -0 "$db" || exit 1; sleep 0.1; done
BLENDSEAM_TEST_DSN=$(cat "$made/dsn") go test -timeout 9m ./...
kill "$db"
wait "$db" || true
db=

say "Browser tests"
npx --no-install playwright test -c e2e/playwright.config.mjs
