"""The process that reads a workbook: `python -m steady_tally.formats.workbook_child FILE names|rows [SHEET]`."""

import json
import resource
import sys

from steady_tally.formats.limits import WORKBOOK_MEMORY, WORKBOOK_SECONDS
from steady_tally.formats.sheets import sheet_of

if __name__ == "__main__":
    # Bound here and not by who starts it: between fork and exec a process of several threads can do nothing safely.
    resource.setrlimit(resource.RLIMIT_AS, (WORKBOOK_MEMORY, WORKBOOK_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (WORKBOOK_SECONDS, WORKBOOK_SECONDS))
    file, what, *sheet = sys.argv[1:]
    try:
        answer = sheet_of(file, sheet[0] if what == "rows" else None)
    except MemoryError:
        raise SystemExit(3) from None
    except BaseException as error:  # a reader that panics raises outside Exception
        sys.stdout.write(str(error)[:200] or type(error).__name__)
        raise SystemExit(2) from None
    json.dump(answer, sys.stdout)
