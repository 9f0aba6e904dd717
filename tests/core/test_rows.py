"""Rows of delimited text: any division into blocks gives what the whole gives, which is what another reader gives."""

import csv
import io

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.gather.rows import rows_of

BITS = st.sampled_from(['"', ",", "\n", "\r\n", "a", "é", "\r", '""', 'x"y'])
TEXTS = st.lists(BITS, max_size=40).map("".join)


def in_blocks(data: bytes, cuts: list[int]) -> list[tuple[bytes, int, int]]:
    found, carry, line = [], b"", 1
    ends = [*sorted(cuts), len(data)]
    for i, (a, b) in enumerate(zip([0, *ends], ends, strict=False)):
        block = carry + data[a:b]
        rows = rows_of(np.frombuffer(block, np.uint8), delimiter=",", line=line, last=i == len(ends) - 1)
        found += [
            (block[s:e], int(f), int(n))
            for s, e, f, n in zip(rows.start, rows.end, rows.fields, rows.line, strict=True)
        ]
        carry, line = block[rows.consumed :], rows.next_line
    return found


@settings(deadline=None, max_examples=300)
@given(TEXTS, st.lists(st.integers(0, 60), max_size=4))
def test_blocks_make_no_difference(text, cuts):
    data = text.encode()
    assert in_blocks(data, [min(c, len(data)) for c in cuts]) == in_blocks(data, [])


@settings(deadline=None, max_examples=300)
@given(st.lists(st.lists(st.text(st.sampled_from('a",\n é'), max_size=5), min_size=1, max_size=4), max_size=8))
def test_fields_and_lines_are_those_of_another_reader(table):
    file = io.StringIO(newline="")
    csv.writer(file, lineterminator="\n").writerows(table)
    data = file.getvalue()
    reader = csv.reader(io.StringIO(data, newline=""))
    wanted, before = [], 0
    for row in reader:
        if row:
            wanted.append((len(row), before + 1))
        before = reader.line_num
    assert [(f, n) for _, f, n in in_blocks(data.encode(), [])] == wanted
