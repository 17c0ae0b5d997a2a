#!/usr/bin/env bash
# The long form of the tests of reliability; what each does is said in
# docs/reliability.md. TORTURE is how many times as long as in make test.
set -euo pipefail
cd "$(dirname "$0")/.."
export BLENDSEAM_TORTURE=${TORTURE:-25}

say() { printf '\n— %s\n' "$*"; }

say "Sequences of edits with extreme numbers"
go test ./core/reel -run '^$' -fuzz FuzzSequences -fuzztime "${FUZZ:-120s}"
say "The tables read anew, migrations cut off and killed, commits whose answer is lost"
go test ./store -v -count 1 -timeout 4h -run 'TheTables|Migrations|StartedAtOnce|ACommit|DatabaseKilled' | grep -v '^=== '
say "Malformed requests"
go test ./server -v -count 1 -timeout 1h -run 'Malformed|Extreme' | grep -v '^=== '
say "Power failures and helpers that are killed"
go test ./media -v -count 1 -timeout 2h -run 'PowerLoss|AHelper|DamageIs' | grep -v '^=== '
say "Server and database killed while edits are made (BLENDSEAM_TORTURE=$((BLENDSEAM_TORTURE * 5)))"
BLENDSEAM_TORTURE=$((BLENDSEAM_TORTURE * 5)) go test ./torture -v -count 1 -timeout 4h | grep -v '^=== '
