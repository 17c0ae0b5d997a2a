#!/usr/bin/env bash
# Holds code to its form: nothing here runs the program.
set -euo pipefail
cd "$(dirname "$0")/.."

say() { printf '\n— %s\n' "$*"; }

say "Go code is formatted and vetted"
unformatted=$(gofmt -l $(git ls-files '*.go'))
[ -z "$unformatted" ] || { echo "not formatted: $unformatted"; exit 1; }
go vet ./...
go tool staticcheck ./...

say "Scripts and styles have their form and hold their rules"
npm run -s lint
! grep -rnE '.{161,}' web --include=*.html || { echo "lines of templates have 160 characters at most"; exit 1; }

say "Scripts hold their types"
scripts/types.sh

say "The licences of what ships are told"
npm run -s notice -- --check
