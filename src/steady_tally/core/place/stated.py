"""Which area does each record state itself, by code or name?"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError
from steady_tally.core.matching import How, match_names
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.gather import StatedColumn
from steady_tally.core.plan.place import StatedArea
from steady_tally.core.sources import Table

UNKNOWN = -1
BLANK = -2


@dataclass(frozen=True)
class Spoken:
    """What all records of a source state, matched to zones.

    Attributes
    ----------
    zone : the position of the zone of each spelling that is known.
    how : how many spellings were matched in each way.
    left_over : spellings that are none of the zones, each with its number of records.
    suggestions : left-over spelling -> identifiers of the zones most like it.
    spelt : every spelling that a record has.
    otherwise : what was matched though it is spelt otherwise, the most doubtful first: spelling, and zone.
    """

    zone: Mapping[str, int] = field(default_factory=dict)
    how: Mapping[How, int] = field(default_factory=dict)
    left_over: Mapping[str, int] = field(default_factory=dict)
    suggestions: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    spelt: frozenset[str] = frozenset()
    otherwise: tuple[tuple[str, str], ...] = ()

    def zones(self, column: StatedColumn, table: Table) -> npt.NDArray[np.int64]:
        """(records,) the position of the zone stated, UNKNOWN, or BLANK where nothing is stated."""
        labels, codes = coded_text(table, column.column, wanted_by="plan: gather.events.stated")
        each = np.array([BLANK if not s else self.zone.get(s, UNKNOWN) for s in labels], dtype=np.int64)
        return np.asarray(each[codes])


def spoken(plan: StatedArea, labels: Mapping[str, int], zones: ZoneSet) -> Spoken:
    """Match the records' own areas to zones: by identifier and name in the plan's order, tidied as names are.

    Parameters
    ----------
    labels : every text that is stated, with its records, in the order in which it first comes.
    """
    where = "plan: place.stated"
    position = {identifier: i for i, identifier in enumerate(zones.identifiers)}
    for spelling, area in plan.accepted.items():
        if area not in position:
            raise PlanError(
                f"“{spelling}” is the area “{area}” by your word, and there is no area “{area}”.",
                where=where,
                todo="Take that pair out, or say which area it is.",
            )
    accepted = {spelling: position[i] for spelling, i in plan.accepted.items()}
    zone_of: dict[str, int] = {}
    how: dict[How, int] = {}
    suggestions: dict[str, tuple[str, ...]] = {}
    otherwise: list[tuple[str, str]] = []
    for key in plan.keys:
        targets = zones.identifiers if key == "identifier" else zones.names
        wanted = [s for s in labels if s and s not in zone_of]
        found = match_names(wanted, targets, accepted=accepted, suggest_taken=True)
        for spelling, (at, way) in found.joined.items():
            zone_of[spelling] = at
            how[way] = how.get(way, 0) + 1
        otherwise += found.otherwise
        suggestions |= {s: tuple(zones.identifiers[p] for p in best) for s, best in found.suggestions.items()}
    left_over = {s: n for s, n in labels.items() if s and s not in zone_of}
    suggestions = {s: best for s, best in suggestions.items() if s in left_over}
    return Spoken(zone_of, how, left_over, suggestions, frozenset(labels), tuple(otherwise))
