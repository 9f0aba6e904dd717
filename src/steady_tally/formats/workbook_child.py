"""The process that reads a workbook: `python -m steady_tally.formats.workbook_child FILE names|rows [SHEET]`."""

import json
import sys

from steady_tally.formats.sheets import sheet_of

if __name__ == "__main__":
    file, what, *sheet = sys.argv[1:]
    try:
        answer = sheet_of(file, sheet[0] if what == "rows" else None)
    except MemoryError:
        raise SystemExit(3) from None
    except BaseException as error:  # a reader that panics raises outside Exception
        sys.stdout.write(str(error)[:200] or type(error).__name__)
        raise SystemExit(2) from None
    json.dump(answer, sys.stdout)
