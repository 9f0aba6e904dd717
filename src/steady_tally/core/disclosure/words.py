"""What the reader must know of what is hidden: how much, as one number, and what is promised of it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from steady_tally.core.disclosure.areas import Hidden
from steady_tally.core.disclosure.family import ReleasedTable
from steady_tally.core.disclosure.rounding import farthest_off
from steady_tally.core.plan.release import Release


def told(rule: Release, hidden: Hidden | None, table: ReleasedTable | None = None) -> Iterator[str]:
    """Whole sentences. Nobody is told why an area is hidden: the reasons, counted, would tell how small counts are."""
    if hidden is None:
        return
    areas = int(np.count_nonzero(hidden.areas))
    many = f"{areas:,} of {len(hidden.areas):,} areas" if areas else "no area"
    if rule.round_to > 1:
        less, more = farthest_off(rule.round_to)
        yield (
            f"The release rule “{rule.name}” rounds counts to multiples of {rule.round_to:,}, and all figures are "
            f"worked out from these: a count may have been up to {less:,} less or {more:,} more, and intervals are as "
            f"much wider. It hides {many}, and tells no total of records."
        )
    else:
        small = "zero and counts" if rule.zeros == "hidden" else "counts"
        untold = f": {small} of less than {rule.min_events:,} are not told" if rule.min_events > 1 else ""
        yield f"The release rule “{rule.name}” hides {many}{untold}."
        least = 0 if rule.zeros == "hidden" else 1
        if rule.min_events > 1:
            zeros = "" if rule.zeros == "hidden" else "; zero is shown"
            yield (
                "Whoever knows the rule, these notes and all totals can tell no more of a hidden count than that it "
                f"may be anything from {least} to {rule.min_events - 1:,}{zeros}."
            )
    if table is not None and not hidden.everything:
        yield from _of_table(table, hidden)
    if hidden.why is not None:
        yield f"Nothing is handed on: {hidden.why.what}. {hidden.why.todo}"
    elif hidden.everything:
        yield (
            "It hides every area, and nothing is handed on. Larger areas or cells, a longer time, fewer groups told "
            "apart or a smaller least count would leave some to show."
        )


def _of_table(table: ReleasedTable, hidden: Hidden) -> Iterator[str]:
    cells = table.hidden.cells[~hidden.areas, :-1]
    if table.hidden.everything:
        yield "Of the further table nothing can be told: fewer kinds or periods, or larger areas, would leave some."
        return
    hides = int(np.count_nonzero(cells))
    yield f"Of the further table {hides:,} of {cells.size:,} cells of the areas shown are hidden."
    if shut := [n for n, s in zip(table.names, table.hidden.columns[:-1], strict=True) if s]:
        yield f"Nothing is told of {len(shut):,} of its columns, which have too few events altogether."
