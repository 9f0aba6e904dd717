"""Where do the rows of delimited text begin and end, and how many fields has each? One pass over the bytes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.kernels import njit

_LF, _CR, _QUOTE = 10, 13, 34

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
    count, consumed, next_line, quoted = _scan(data, ord(delimiter), line, last, start, end, fields, at_line)
    return Rows(start[:count], end[:count], fields[:count], at_line[:count], consumed, next_line, quoted)


@njit(cache=True, nogil=True)
def _scan(data, delimiter, line, last, start, end, fields, at_line):  # type: ignore[no-untyped-def]
    n = len(data)
    count = 0
    begin, begin_line, in_row = 0, line, 1
    i = 0
    while i < n:
        # At the start of a field.
        quoted = data[i] == _QUOTE
        while quoted:
            i += 1
            while i < n and data[i] != _QUOTE:
                if data[i] == _LF or (data[i] == _CR and not (i + 1 < n and data[i + 1] == _LF)):
                    line += 1
                i += 1
            if i == n:
                break
            i += 1
            quoted = i < n and data[i] == _QUOTE  # a doubled one: the field goes on
        if quoted:
            if last:
                start[count], end[count], fields[count], at_line[count] = begin, n, in_row, begin_line
                return count + 1, n, line, True
            return count, begin, begin_line, True
        while i < n and data[i] != delimiter and data[i] != _LF and data[i] != _CR:
            i += 1
        if i == n:
            break
        if data[i] == delimiter:
            in_row += 1
            i += 1
            continue
        after = i + 1
        if data[i] == _CR:
            if after == n and not last:
                break  # the next block says whether LF follows
            if after < n and data[after] == _LF:
                after += 1
        line += 1
        if i > begin:
            start[count], end[count], fields[count], at_line[count] = begin, i, in_row, begin_line
            count += 1
        begin, begin_line, in_row = after, line, 1
        i = after
    if last and n > begin:
        start[count], end[count], fields[count], at_line[count] = begin, n, in_row, begin_line
        return count + 1, n, line, False
    return count, begin, begin_line, False
