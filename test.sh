#!/usr/bin/env bash
# Sets up what is missing and passes the tests: ./test.sh [arguments for pytest]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/scripts/set-up.sh"
set_up for-tests
cd "$project"

check() {
    "$python" -m ruff check .
    "$python" -m ruff format --check .
    "$python" -m mypy
    "$python" -c 'from importlinter.cli import lint_imports; raise SystemExit(lint_imports())'
    make_types
    cd frontend
    "${npm_command[@]}" run --silent check
    (cd .. && "$python" -m tests.shared.million "$base/.cache/million")
    STEADY_TALLY_MILLION="$base/.cache/million" "${npm_command[@]}" run --silent test
}

if [ $# -gt 0 ]; then
    (check)
    exec "$python" -m pytest "$@"
fi

# Without arguments the suites that start the whole application run beside the others: those mostly wait, these reckon.
log="$base/.cache/tests-beside.log"
whole=(tests/browser tests/serve)
(
    set -e # which a list of commands with && would undo
    check
    cd "$project"
    exec "$python" -m pytest "${whole[@]/#/--ignore=}"
) >"$log" 2>&1 &
beside=$!
trap 'kill "$beside" 2>/dev/null || true' EXIT
outcome=0
"$python" -m pytest "${whole[@]}" || outcome=$?
wait "$beside" || outcome=$?
cat "$log"
exit "$outcome"
