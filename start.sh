#!/usr/bin/env bash
# Sets up what is missing and runs Steady Tally: ./start.sh [--port N] [--no-demo] [--data DIR] [--print-key] [--end-sessions]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/scripts/set-up.sh"

data=$project/data
arguments=()
while [ $# -gt 0 ]; do
    case $1 in
    --data) [ $# -ge 2 ] || fail "--data needs a folder."; data=$2; shift 2 ;;
    --data=*) data=${1#--data=}; shift ;;
    --port) [ $# -ge 2 ] || fail "--port needs a number."; arguments+=(--port "$2"); shift 2 ;;
    --port=* | --no-demo | --print-key | --end-sessions) arguments+=("$1"); shift ;;
    -h | --help) echo "usage: ./start.sh [--port N] [--no-demo] [--data DIR] [--print-key] [--end-sessions]"; exit 0 ;;
    *) fail "there is no option $1. Usage: ./start.sh [--port N] [--no-demo] [--data DIR] [--print-key] [--end-sessions]" ;;
    esac
done

set_up
exec "$python" -m steady_tally.cli serve --data "$data" ${arguments[@]+"${arguments[@]}"}
