"""Labels: where they stand, and what they say."""

import copy

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.anchors import HEIGHTS, anchors
from steady_tally.core.plan.show import Show
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.labels import label_texts, labels_key, texts_of

from .test_chain import DOCUMENT, sources


def rings_of(shapes):
    parts, owner = shapely.get_parts(shapes, return_index=True)
    rings, part = shapely.get_rings(parts, return_index=True)
    xy, ring = shapely.get_coordinates(rings, return_index=True)
    start = np.concatenate([[0], np.cumsum(np.bincount(ring, minlength=len(rings)))])
    return xy, start, owner[part]


@st.composite
def odd_shapes(draw):
    """Stars with holes and far parts, and shapes as thin as a road."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    found = []
    for _ in range(draw(st.integers(1, 4))):
        n = int(rng.integers(3, 40))
        angle = np.sort(rng.uniform(0.0, 2.0 * np.pi, n))
        long = rng.uniform(0.2, 1.0, n) * 10.0 ** rng.uniform(-1, 4)
        wide = 10.0 ** rng.uniform(-2, 0)
        star = shapely.Polygon(np.column_stack([long * np.cos(angle), wide * long * np.sin(angle)])).buffer(0)
        parts = [star, shapely.affinity.translate(star, *rng.uniform(-30, 30, 2) * long.max())]
        shape = shapely.union_all(parts[: int(rng.integers(1, 3))])
        hole = star.representative_point().buffer(0.1 * np.sqrt(star.area)) if not star.is_empty else shape
        shape = shape.difference(hole) if rng.random() < 0.5 else shape
        if shape.area > 0.0:
            found.append(shape)
    return np.array(found, dtype=object)


@settings(max_examples=120, deadline=None)
@given(odd_shapes(), st.integers(0, 1_000))
def test_a_label_stands_as_far_from_every_border_as_any_point_does_and_its_box_lies_within(shapes, seed):
    if not len(shapes):
        return
    found = anchors(*rings_of(shapes), len(shapes))
    rng = np.random.default_rng(seed)
    for shape, at, radius, rooms in zip(shapes, found.xy, found.radius, found.rooms, strict=True):
        border, point = shapely.boundary(shape), shapely.Point(at)
        assert shape.contains(point)
        assert radius == pytest.approx(border.distance(point), rel=1e-9)
        left, low, right, high = shape.bounds
        tried = shapely.points(rng.uniform(left, right, 3_000), rng.uniform(low, high, 3_000))
        best = border.distance(tried[shapely.contains(shape, tried)]).max(initial=0.0)
        assert best <= radius * 1.01 + 1e-12
        for part, room in zip(HEIGHTS, rooms, strict=True):
            half = part * radius
            box = shapely.box(at[0] - room, at[1] - half, at[0] + room, at[1] + half)
            assert shape.buffer(1e-6 * radius).covers(box)
            wider = shapely.box(at[0] - 1.01 * room, at[1] - half, at[0] + 1.01 * room, at[1] + half)
            assert not shape.covers(wider)


def test_an_area_without_a_shape_has_no_anchor():
    xy, start, _ = rings_of(np.array([shapely.box(0, 0, 2, 1)], dtype=object))
    found = anchors(xy, start, np.array([1]), 3)
    assert found.radius.tolist() == [0.0, 0.5, 0.0]
    assert np.isnan(found.xy[[0, 2]]).all()


def labelled(*templates, measure=None):
    plan = copy.deepcopy(DOCUMENT)
    plan["measure"] = {"m": measure or {"kind": "count", "events": "calls"}}
    plan["class"] = {"m": {"method": "quantile", "count": 2}}
    plan["show"] = {"mapped": "m", "labels": [{"text": t} for t in templates]}
    chain = Chain(read_plan(plan), sources())
    return chain, chain.outcome()


def test_labels_say_what_stands_in_braces_with_as_many_places_as_are_asked_for():
    chain, outcome = labelled(
        "{name} ({identifier}), {group}",
        "{events}/{round(events / 7, 1)}/{round(events / 7)}/{events / 7}",
        "{value}: {class}",
    )
    events = outcome.measured.values.value
    names, figures, values = label_texts(chain, outcome)
    assert names == ["Alpha (A), x", "Beta (B), x", "Gamma (C), y", "Delta (D), y"]
    for text, count in zip(figures, events, strict=True):
        whole, one, none, plain = text.split("/")
        assert (whole, one, none) == (f"{count:,.0f}", f"{count / 7:.1f}", f"{np.floor(count / 7 + 0.5):.0f}")
        assert float(plain) == pytest.approx(count / 7, rel=5e-3)
    entries = {text.split(": ")[1] for text in values}
    assert len(entries) > 1
    assert [float(text.split(": ")[0].replace(",", "")) for text in values] == events.tolist()


@pytest.mark.parametrize(
    ("template", "says"),
    [
        ("{events", "a brace “{” stands alone"),
        ("events}", "a brace “}” stands alone"),
        ("{ }", "nothing stands between two braces"),
        ("{evnts}", "nothing is called “evnts”. Is “events” meant?"),
        ("{nmae}", "nothing is called “nmae”. Is “name” meant?"),
        ("{1 +}", "ends too early"),
        ("{name + 1}", "“name” stands for text"),
    ],
)
def test_a_label_that_cannot_be_written_says_why(template, says):
    chain, outcome = labelled()
    with pytest.raises(PlanError) as error:
        texts_of(chain, outcome, template)
    assert says in error.value.what


def test_a_class_of_zero_is_called_so_and_no_more_places_are_written_than_figures_have():
    some = {"kind": "formula", "text": "if(area_km2 > 0, max(events - 9, 0), 1)", "about": "calls"}
    chain, outcome = labelled("{class}", "{round(events / 7, 99999999)}", measure=some)
    classes, long = label_texts(chain, outcome)
    zero = outcome.measured.values.value == 0.0
    assert 0 < zero.sum() < len(zero)
    assert {c for c, z in zip(classes, zero, strict=True) if z} == {"zero"}
    assert all(len(text.split(".")[1]) == 12 for text in long)


def test_a_value_that_is_none_is_written_as_none_and_keys_follow_what_is_written():
    chain, outcome = labelled("{name}: {1 / (events - events)}")
    (texts,) = label_texts(chain, outcome)
    assert all(t.endswith(": –") for t in texts)
    keys = {labels_key(labelled(t)[0]) for t in ("{name}", "{events}", "{round(events / 7)}", "{events / area_km2}")}
    assert len(keys) == 4
    assert labels_key(labelled("{events}")[0]) == labels_key(labelled("{events}")[0])


def test_layers_lie_in_the_plans_order_and_the_others_where_they_do_by_themselves():
    kinds = lambda show: [getattr(x, "source", x.kind) for x in show.stacked(["roads", "water"])]  # noqa: E731
    assert kinds(Show()) == ["over", "roads", "water", "events", "degrees", "outlines", "areas"]
    own = [{"kind": "reference", "source": "water"}, {"kind": "areas"}, {"kind": "reference", "source": "gone"}]
    moved = Show(
        layers=[{"kind": "areas", "opacity": 0.5}, {"kind": "reference", "source": "water", "fill": "#aabbcc"}]
    )
    found = kinds(moved)
    assert sorted(found) == sorted(kinds(Show()))
    assert found.index("areas") < found.index("water")
    assert sorted(kinds(Show(layers=own))) == sorted(kinds(Show()))
    with pytest.raises(ValueError, match="twice"):
        Show(layers=[{"kind": "areas"}, {"kind": "areas"}])
