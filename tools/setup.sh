#!/usr/bin/env bash
# Brings a fresh checkout to where programs and tests run. Quick when there is nothing to do.
#   setup.sh [--tests]     also what only the tests need of Debian's packages: Chromium, PostgreSQL, MariaDB and ClickHouse
set -euo pipefail
cd "$(dirname "$0")/.."
if [ ! -d node_modules ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
  npm ci --ignore-scripts --prefer-offline
fi
# better-sqlite3 is compiled once per version, Node and machine kind, and kept.
key="$(node -p "require('better-sqlite3/package.json').version")-abi$(node -p process.versions.modules)-$(node -p process.platform)-$(node -p process.arch)"
cache="${XDG_CACHE_HOME:-$HOME/.cache}/crease-native"
built=node_modules/better-sqlite3/build/Release
if [ ! -f "$built/better_sqlite3.node" ]; then
  if [ -f "$cache/$key.node" ]; then
    mkdir -p "$built" && cp "$cache/$key.node" "$built/better_sqlite3.node"
  else
    npm rebuild better-sqlite3 --ignore-scripts=false --foreground-scripts >build-native.log 2>&1 || { tail -n 40 build-native.log >&2; exit 1; }
    mkdir -p "$cache" && cp "$built/better_sqlite3.node" "$cache/$key.tmp.$$" && mv "$cache/$key.tmp.$$" "$cache/$key.node"
  fi
fi
node -e "new (require('better-sqlite3'))(':memory:')"
if [ "${1:-}" = --tests ]; then
  wanted=()
  # Chromium without the windows of a desktop: these load pages of their own beside each one that is tested.
  [ -x "${CHROMIUM_PATH:-/usr/bin/chromium-headless-shell}" ] || wanted+=(chromium-headless-shell fonts-liberation)
  [ -n "${PG_BIN:-}" ] || compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || wanted+=(postgresql)
  [ -x /usr/sbin/mariadbd ] || wanted+=(mariadb-server)
  [ -x /usr/sbin/clickhouse-server ] || wanted+=(clickhouse-server)
  if [ ${#wanted[@]} -gt 0 ]; then
    sudo=$([ "$(id -u)" = 0 ] && echo "" || echo sudo)
    $sudo apt-get update -qq
    $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${wanted[@]}" >/dev/null
  fi
fi
