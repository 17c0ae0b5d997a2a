#!/usr/bin/env bash
# Speed, as ratios beside reference programs run at the same time.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ "${ONLY:-}" != frames ]; then
	go run ./benchmarks ${ONLY:+-only "$ONLY"} "$@"
fi
[ -z "${ONLY:-}" ] || [ "$ONLY" = frames ] || exit 0
go build -o bin/blendseam ./cmd/blendseam
node e2e/frames.mjs
