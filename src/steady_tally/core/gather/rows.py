"""Where do the rows of delimited text begin and end, and how many fields has each? One pass over the bytes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from numba import njit

_FIELD_START, _PLAIN, _QUOTED, _QUOTE_SEEN = 0, 1, 2, 3
_LF, _CR, _QUOTE = 10, 13, 34
_DELIMITER, _LINE_END, _QUOTE_MARK = 1, 2, 3

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Rows:
    """The rows found in a block of text; blank lines are none.

    Attributes
    ----------
    start, end : (rows,) byte offsets; `end` is that of the line's end or of the text's.
    fields : (rows,) how many fields each has.
    line : (rows,) the physical line on which each starts.
    consumed : bytes up to where the next block must go on.
    next_line : the physical line there.
    open_quote : the text ends within a quoted field, which began in the row that is cut off.
    """

    start: Ints
    end: Ints
    fields: Ints
    line: Ints
    consumed: int
    next_line: int
    open_quote: bool


def rows_of(data: npt.NDArray[np.uint8], *, delimiter: str, line: int = 1, last: bool = True) -> Rows:
    """Split UTF-8 text into rows as RFC 4180 has it: a quoted field may hold delimiters, line ends and doubled quotes.

    A line ends with LF, CR LF or CR. Unless this is the last block, a row that is not ended is left for the next.

    Parameters
    ----------
    delimiter : one ASCII character.
    line : the physical line on which the block begins.
    """
    room = int(np.count_nonzero(data == _LF) + np.count_nonzero(data == _CR)) + 1
    start, end, fields, at_line = (np.empty(room, np.int64) for _ in range(4))
    kind = np.zeros(256, np.uint8)
    kind[[ord(delimiter), _LF, _CR, _QUOTE]] = _DELIMITER, _LINE_END, _LINE_END, _QUOTE_MARK
    count, consumed, next_line, state = _scan(data, kind, line, last, start, end, fields, at_line)
    return Rows(start[:count], end[:count], fields[:count], at_line[:count], consumed, next_line, state == _QUOTED)


@njit(cache=True, nogil=True)
def _scan(data, kind, line, last, start, end, fields, at_line):  # type: ignore[no-untyped-def]
    n = len(data)
    count = 0
    state = _FIELD_START
    begin, begin_line, in_row = 0, line, 1
    i = 0
    while i < n:
        what = kind[data[i]]
        if what == 0:
            if state != _QUOTED:
                state = _PLAIN
        elif what == _DELIMITER:
            if state != _QUOTED:
                in_row += 1
                state = _FIELD_START
        elif what == _QUOTE_MARK:
            if state == _FIELD_START or state == _QUOTE_SEEN:  # noqa: SIM109 (a tuple is slow here)
                state = _QUOTED
            elif state == _QUOTED:
                state = _QUOTE_SEEN
        else:
            after = i + 1
            if data[i] == _CR:
                if after == n and not last:
                    break  # the next block says whether LF follows
                if after < n and data[after] == _LF:
                    after += 1
            line += 1
            if state != _QUOTED:
                if i > begin:
                    start[count], end[count], fields[count], at_line[count] = begin, i, in_row, begin_line
                    count += 1
                begin, begin_line, in_row = after, line, 1
                state = _FIELD_START
            i = after
            continue
        i += 1
    if last and n > begin:
        start[count], end[count], fields[count], at_line[count] = begin, n, in_row, begin_line
        return count + 1, n, line, state
    return count, begin, begin_line, state
