#!/usr/bin/env bash
# Speed, as ratios beside reference programs run at the same time.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ "${ONLY:-}" != frames ] && [ "${ONLY:-}" != thousands ]; then
	go run ./benchmarks ${ONLY:+-only "$ONLY"} "$@"
fi
case "${ONLY:-frames thousands}" in *frames* | *thousands*) ;; *) exit 0 ;; esac
go build -o bin/blendseam ./cmd/blendseam
case "${ONLY:-frames}" in frames) node e2e/frames.mjs ;; esac
case "${ONLY:-thousands}" in thousands) node e2e/thousands.mjs ;; esac
