#!/usr/bin/env bash
# All tests: static checks, unit and contract tests, the shared cases where they lie beside the checkout, browser journeys.
# Ends with `N passed, M failed`; exit status 1 where anything failed.
set -uo pipefail
cd "$(dirname "$0")/.."
passed=0 failed=0
count() { passed=$((passed + $1)); failed=$((failed + $2)); }
step() { # name, command …: one test that passes or fails as a whole
  local name=$1; shift
  if "$@"; then count 1 0; else count 0 1; echo "FAILED: $name"; fi
}
stop() { echo "$1"; echo "0 passed, 1 failed"; exit 1; }
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
bash tools/setup.sh || stop "set-up failed"
# What tests need of Debian's packages is fetched while the programs are built and checked.
bash tools/setup.sh --tests > "$scratch/packages.log" 2>&1 & packages=$!
node tools/build.mjs || stop "the build failed"

# Threads and readers of tests run what has just been built: Jest need not build it again.
export CREASE_PROGRAMS="$PWD/cli/dist"

# Random tests draw fewer cases than where one is run by itself; the night draws many more (`npm run test:night`).
export CREASE_CASES=${CREASE_CASES:-0.4}

check() { npm run -s "check:$1" > "$scratch/$1.log" 2>&1; }
step layout npm run -s check:format
step lint npm run -s check:lint
# Each of these works on one core for most of its time.
check imports & imports=$!
check exports & exports=$!
wait "$imports"; imports=$?
check schemas & schemas=$!
step types npm run -s check:types
wait "$exports"; exports=$?
wait "$schemas"; schemas=$?
for name in imports exports schemas; do
  step "$name" test "${!name}" = 0
  cat "$scratch/$name.log"
done

wait "$packages" || { cat "$scratch/packages.log"; stop "set-up failed"; }

tally() { # name of a run of jest: what its report counts
  local out="$scratch/$1.json"
  count "$(node -p "require('$out').numPassedTests" 2>/dev/null || echo 0)" "$(node -p "const r=require('$out'); r.numFailedTests + r.numRuntimeErrorTestSuites" 2>/dev/null || echo 1)"
}
unit() { # name, arguments of jest …
  local name=$1 out="$scratch/$1.json"; shift
  # One process more than cores, for some wait for databases; begun anew where they have grown.
  npx jest --maxWorkers=3 --workerIdleMemoryLimit=1500MB --json --outputFile="$out" "$@" || true
  tally "$name"
}
unit jest --testPathIgnorePatterns /node_modules/ server/test/torture

# The experiments start many processes, and wait for them: they run beside the shared cases.
npx jest --json --outputFile="$scratch/torture.json" server/test/torture > "$scratch/torture.log" 2>&1 & torture=$!

# Cases with known answers, kept outside of the repository. CASES names their folder.
cases=${CASES:-../shared/cases}
if [ -d "$cases" ]; then
  for run in "formulas/run-cases.mjs" "formulas/run-cases.mjs --engine sql" "flaws/run-flaws.mjs"; do
    # shellcheck disable=SC2086 # words of their own
    out=$(node "$cases/"$run); echo "$out"; line=$(tail -n 1 <<<"$out")
    if [[ $line =~ ^([0-9]+)\ passed,\ ([0-9]+)\ failed$ ]]; then count "${BASH_REMATCH[1]}" "${BASH_REMATCH[2]}"; else count 0 1; fi
  done
else
  left_out="the shared cases, for there is no folder $cases"
fi
wait "$torture" || true
cat "$scratch/torture.log"
tally torture

PLAYWRIGHT_JSON_OUTPUT_NAME="$scratch/browser.json" npx playwright test --reporter=list,json || true
count "$(node -p "require('$scratch/browser.json').stats.expected" 2>/dev/null || echo 0)" "$(node -p "const s=require('$scratch/browser.json').stats; s.unexpected + s.flaky" 2>/dev/null || echo 1)"
[ -z "${left_out:-}" ] || echo "left out: $left_out"
echo "$passed passed, $failed failed"
[ "$failed" = 0 ]
