#!/usr/bin/env bash
# Speed, as ratios beside reference programs run at the same time.
set -euo pipefail
cd "$(dirname "$0")/.."
go run ./bench "$@"
go build -o bin/blendseam ./cmd/blendseam
node e2e/frames.mjs
