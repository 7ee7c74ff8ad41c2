#!/usr/bin/env bash
# Installs, builds, and starts Crease with the demo consortium; the address is printed. PORT chooses another port.
set -euo pipefail
cd "$(dirname "$0")/.."
bash tools/setup.sh
node tools/build.mjs
mkdir -p .demo
exec node cli/bin/crease.mjs serve --workspace .demo/demo.workspace.sqlite --port "${PORT:-4600}" --demo
