#!/usr/bin/env bash
# Types of what the server sends, made from its own description, and the check
# of the scripts against them. The made file is not kept: it follows the code.
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p bin
go run ./cmd/blendseam describe >bin/openapi.json
npx --no-install openapi-typescript bin/openapi.json -o web/api.d.ts >/dev/null 2>&1
npx --no-install tsc -p web/jsconfig.json
