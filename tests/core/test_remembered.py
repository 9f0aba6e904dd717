"""The figures that a map had, beside those that it has."""

import json

import numpy as np
import pyarrow as pa
import pytest

from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, NO_CLASS, ZERO_CLASS
from steady_tally.core.errors import SourceError
from steady_tally.core.report.remembered import (
    breaks_of,
    class_codes,
    compare,
    digests_of,
    read,
    without_classes,
    written,
)


def figures(values, *, names=None, states=None, classes=None, breaks=(0.0, 10.0, 100.0), over=None):
    names = names or [f"a{n}" for n in range(len(values))]
    there = [v is not None for v in values]
    table = pa.table(
        {
            "identifier": names,
            "name": [n.upper() for n in names],
            "numerator": pa.array(values if over is None else over, pa.float64()),
            "denominator": pa.array([1.0] * len(values)),
            "value": pa.array(values) if any(isinstance(v, str) for v in values) else pa.array(values, pa.float64()),
            "state": states or ["number" if t else "not recorded" for t in there],
            "class": pa.array(classes or [1 if t else None for t in there], pa.int16()),
        }
    )
    return table.replace_schema_metadata({"breaks": json.dumps(list(breaks))})


def test_what_is_the_same_differs_in_nothing_and_has_one_digest():
    then, now = figures([1.0, 2.5, None, 0.0]), figures([1.0, 2.5, None, 0.0])
    assert not compare(then, now)
    assert digests_of(then) == digests_of(now)


def test_the_last_digits_are_no_difference_and_the_ninth_is():
    third = 1.0 / 3.0
    then = figures([third, 1e-6, 7_654_321.0])
    for moved in (1 + 2e-16, 1 - 3e-15, 1 + 5e-13):
        now = figures([third * moved, 1e-6 * moved, 7_654_321.0 * moved])
        assert not compare(then, now)
        assert digests_of(then) == digests_of(now)
    for moved in (1 + 2e-9, 1 - 2e-9, 1.01):
        now = figures([third * moved, 1e-6, 7_654_321.0])
        found = compare(then, now)
        assert found.figures.tolist() == [True, False, False]
        assert digests_of(then) != digests_of(now)


@pytest.mark.parametrize(
    ("now", "figures_differ", "classes_differ"),
    [
        (figures([None, 2.0]), [True, False], [True, False]),  # a number before, none now
        (figures([1.0, 2.0], states=["number", "suppressed"]), [False, True], [False, False]),
        (figures([1.0, 2.0], classes=[2, 1]), [False, False], [True, False]),
        (figures([1.0, 2.0], over=[1.0, 3.0]), [False, True], [False, False]),  # the same quotient of others
    ],
)
def test_states_classes_and_what_is_divided_count_as_well_as_values(now, figures_differ, classes_differ):
    found = compare(figures([1.0, 2.0]), now)
    assert (found.figures.tolist(), found.classes.tolist()) == (figures_differ, classes_differ)
    assert digests_of(figures([1.0, 2.0])) != digests_of(now)


def test_other_breaks_are_a_difference_by_themselves():
    found = compare(figures([1.0, 2.0]), figures([1.0, 2.0], breaks=(0.0, 20.0, 100.0)))
    assert found
    assert found.breaks
    assert not found.areas.any()
    assert digests_of(found.then)[0] != digests_of(found.now)[0]
    assert digests_of(found.then)[1] == digests_of(found.now)[1], "the figures are the same"


def test_areas_are_found_by_their_identifiers_and_those_in_one_alone_come_with_what_they_have():
    then, now = figures([1.0, 2.0, 3.0], names=["x", "y", "gone"]), figures([2.0, 1.5, 9.0], names=["y", "x", "new"])
    found = compare(then, now)
    assert not found.same_areas
    assert not found.can_be_drawn
    both = {row["identifier"]: row for row in found.both().to_pylist()}
    assert list(both) == ["y", "x", "new", "gone"]
    assert (both["x"]["value then"], both["x"]["value now"]) == (1.0, 1.5)
    assert (both["gone"]["value then"], both["gone"]["value now"], both["gone"]["name"]) == (3.0, None, "GONE")
    assert (both["new"]["state then"], both["new"]["state now"]) == (None, "number")
    assert found.areas.tolist() == [False, True, True, True]


def test_those_that_differ_most_come_first_and_a_class_alone_last():
    then = figures([1.0, 5.0, 10.0, 3.0, 4.0], classes=[1, 1, 1, 1, 1])
    now = figures([1.0, 5.5, 2.0, None, 4.0], classes=[1, 1, 1, None, 2])
    found = compare(then, now)
    assert found.order().tolist() == [3, 2, 1, 4]
    np.testing.assert_array_equal(found.moved(), [0.0, 0.5, -8.0, np.nan, 0.0])


def test_words_differ_as_words():
    then, now = (
        figures(["oak", "elm", None], breaks=(), over=[1, 1, 1]),
        figures(["oak", "ash", None], breaks=(), over=[1, 1, 1]),
    )
    found = compare(then, now)
    assert found.figures.tolist() == [False, True, False]
    assert not found.can_be_drawn
    assert np.isnan(found.moved()).all()
    assert digests_of(then) != digests_of(now)


def test_without_classes_only_figures_are_compared():
    then = without_classes(figures([1.0, 2.0]))
    assert not compare(then, figures([1.0, 2.0], classes=[2, 2], breaks=(0.0, 1.0)))
    assert compare(then, figures([1.0, 2.5], classes=[2, 2])).figures.tolist() == [False, True]
    assert not compare(then, figures([1.0, 2.5])).can_be_drawn


def test_figures_come_back_as_they_were_written_and_what_is_none_is_refused_in_our_words():
    then = figures([1.0, None, 1e-300, -0.0, 12345678.9])
    again = read(written(then))
    assert again.equals(then, check_metadata=True)
    assert breaks_of(again) == [0.0, 10.0, 100.0]
    other = pa.BufferOutputStream()
    with pa.ipc.new_stream(other, pa.schema([("a", pa.int8())])) as writer:
        writer.write_table(pa.table({"a": pa.array([1], pa.int8())}))
    for bad in (b"", b"something else", written(then)[:40], bytes(other.getvalue())):
        with pytest.raises(SourceError, match="cannot be read"):
            read(bad)


def test_classes_are_read_back_as_they_are_drawn():
    table = figures([1.0] * 6, classes=[1, 2, 0, -1, 3, None])
    assert class_codes(table).tolist() == [0, 1, ZERO_CLASS, BELOW_ALL, ABOVE_ALL, NO_CLASS]
