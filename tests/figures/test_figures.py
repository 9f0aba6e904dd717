"""The printed page: the same bytes each time, nothing over anything else, the same bands and words as the rail."""

import copy
import io
import xml.etree.ElementTree as ET
import zipfile
from dataclasses import replace

import numpy as np
import pypdfium2
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.anchors import HEIGHTS, Anchors
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.show.labelling import LINE, place_labels
from steady_tally.figures.content import content_of, part_of
from steady_tally.figures.draw import draw, written
from steady_tally.figures.legend import spread_over
from steady_tally.figures.places import Place, line_between, overlaps, page_size
from steady_tally.figures.series import Page, write_pages

from ..core.test_chain import DOCUMENT, sources

SVG = "{http://www.w3.org/2000/svg}"


def content(**show):
    plan = copy.deepcopy(DOCUMENT)
    plan["measure"] = {"m": {"kind": "count", "events": "calls"}}
    plan["class"] = {"m": {"method": "quantile", "count": 3}}
    plan["show"] = {"mapped": "m", "title": "Calls", **show}
    chain = Chain(read_plan(plan), sources())
    return content_of(chain, sources(), [])


@pytest.fixture(scope="module")
def plain():
    return content(labels=[{"text": "{name}"}, {"text": "{value}", "size": 10}])


def texts_in(svg: bytes) -> list[str]:
    return ["".join(t.itertext()).strip() for t in ET.fromstring(svg).iter(f"{SVG}text")]


@pytest.mark.parametrize("kind", ["svg", "pdf", "png"])
def test_two_files_of_one_plan_are_the_same_to_the_byte(plain, kind):
    plan = FigurePlan()
    first, second = (written(draw(plain, plan), kind, dpi=80) for _ in range(2))
    assert first == second
    assert len(first) > 2_000


def test_a_page_says_what_the_rail_says_and_its_text_is_text(plain):
    said = texts_in(written(draw(plain, FigurePlan.model_validate({"legend": {"counts": True}})), "svg"))
    for entry in plain.entries:
        assert f"{entry.text} ({entry.areas})" in said
    assert "Calls" in said
    assert plain.heading in said
    assert {"Alpha", "Beta", "Gamma", "Delta"} <= set(said)
    drawn = written(draw(plain, FigurePlan()), "svg").decode()
    for colour in plain.colours:
        assert colour in drawn


def test_a_pdf_has_its_typefaces_with_it_and_a_picture_shows_the_classes(plain):
    pdf = written(draw(plain, FigurePlan()), "pdf")
    assert pdf.startswith(b"%PDF-")
    assert b"/FontFile2" in pdf
    png = Image.open(io.BytesIO(written(draw(plain, FigurePlan()), "png", dpi=100))).convert("RGB")
    left, bottom, right, top = plain.plane.bounds
    width, height = page_size(FigurePlan().page, right - left > top - bottom)
    assert png.size == pytest.approx((width / 25.4 * 100, height / 25.4 * 100), abs=1)
    pixels = np.asarray(png).reshape(-1, 3)
    for colour in plain.colours:
        rgb = [int(colour[k : k + 2], 16) for k in (1, 3, 5)]
        assert (np.abs(pixels.astype(int) - rgb).max(axis=1) <= 2).sum() > 200, colour


PAGES = st.fixed_dictionaries(
    {
        "page": st.fixed_dictionaries(
            {
                "size": st.sampled_from(["A5", "A4", "A3", "Letter", "slide 16:9"]),
                "turned": st.sampled_from(["by itself", "portrait", "landscape"]),
                "margin": st.sampled_from([5.0, 10.0, 20.0]),
            }
        ),
        "legend": st.fixed_dictionaries(
            {"size": st.sampled_from([6.0, 8.5, 12.0]), "counts": st.booleans(), "level": st.booleans()}
        ),
        "title": st.fixed_dictionaries({"size": st.sampled_from([12.0, 16.0, 30.0]), "shown": st.booleans()}),
        "neatline": st.booleans(),
    }
)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(PAGES)
def test_elements_that_stand_by_themselves_lie_on_the_page_and_not_over_one_another(plain, page):
    drawing = draw(plain, FigurePlan.model_validate(page))
    width, height = drawing.figure.get_size_inches() * 25.4
    for name, place in drawing.places.items():
        assert place.left >= -0.1, name
        assert place.top >= -0.1, name
        if place.right > width + 0.1 or place.bottom > height + 0.1:
            assert any(name in says or "larger" in says for says in drawing.said), name
    apart = [p for n, p in drawing.places.items() if n in ("title", "subtitle", "notes", "map")]
    assert not overlaps(apart)
    beside = [drawing.places[n] for n in ("scale bar", "legend", "notes") if n in drawing.places]
    if not drawing.said:
        assert not overlaps(beside)


def test_a_legend_larger_than_the_page_and_margins_without_room_are_said(plain):
    large = draw(plain, FigurePlan.model_validate({"page": {"size": "A5"}, "legend": {"size": 40, "level": True}}))
    assert any("legend is larger" in says for says in large.said)
    none = FigurePlan.model_validate({"page": {"size": "own", "width": 60, "height": 60, "margin": 25}})
    assert any("no room on the page" in says for says in draw(plain, none).said)
    assert written(draw(plain, none), "svg").startswith(b"<?xml")


ODD = ["$\\alpha$ & <b>", "=1+1", "שלום עולם", "x" * 200]


def test_names_with_signs_of_other_languages_and_formats_are_written_as_they_are():
    odd = content(labels=[{"text": "{name}"}], title="A $title$ & <i>")
    odd.texts[0][:] = ODD
    said = texts_in(written(draw(odd, FigurePlan.model_validate({"page": {"size": "A3"}})), "svg"))
    assert {"A $title$ & <i>", "$\\alpha$ & <b>", "=1+1"} <= set(said)
    assert any(set("שלום") <= set(t) for t in said)
    for kind in ("pdf", "png"):
        assert written(draw(odd, FigurePlan()), kind, dpi=60)


def test_names_of_references_stand_where_labels_leave_room(plain):
    middle = np.array([plain.plane.bounds[:2], plain.plane.bounds[2:]]).mean(axis=0)
    named = replace(plain, texts=[], names=[(np.array([middle, middle, [np.nan, 0.0]]), ["River", "Other", "Nowhere"])])
    drawing = draw(named, FigurePlan())
    said = texts_in(written(drawing, "svg"))
    assert ("River" in said, "Other" in said, "Nowhere" in said) == (True, False, False)
    assert any(s.endswith("left out: 1.") for s in drawing.said)


def test_lines_of_latitude_and_longitude_have_their_degrees_inside_the_map_and_off_all_else():
    lined = content(layers=[{"kind": "degrees", "shown": True}])
    drawing = draw(lined, FigurePlan())
    svg = written(drawing, "svg")
    degrees = [t for t in texts_in(svg) if "°" in t]
    assert len(degrees) >= 4
    assert len(set(degrees)) == len(degrees)
    assert not [t for t in texts_in(written(draw(content(), FigurePlan()), "svg")) if "°" in t]
    within, legend = drawing.places["map"], drawing.places["legend"]
    for text in ET.fromstring(svg).iter(f"{SVG}text"):
        if "°" in "".join(text.itertext()):
            x, y = (25.4 / 72.0 * float(text.get(c, "nan")) for c in "xy")
            assert within.holds(x, y)
            assert not legend.holds(x, y)


def test_letters_that_no_typeface_has_are_said():
    odd = content(title="Plain 漢字")
    said = draw(odd, FigurePlan()).said
    assert any("No typeface here has these letters" in s and "漢" in s and "字" in s for s in said)
    assert not any("typeface" in s for s in draw(content(title="Été, Łódź, Ünïcode, Ελλάδα"), FigurePlan()).said)


def test_scale_and_north_are_left_out_where_they_would_mislead(plain):
    wide = copy.copy(plain)
    plane = plain.plane
    left, bottom, right, top = plane.bounds
    object.__setattr__(
        wide, "plane", type(plane)(plane.crs, plane.origin, (left - 4e6, bottom - 4e6, right + 4e6, top + 2e6))
    )
    drawing = draw(wide, FigurePlan())
    assert "scale bar" not in drawing.places
    assert "north arrow" not in drawing.places
    assert len([s for s in drawing.said if s.startswith("There is no")]) == 2
    always = draw(wide, FigurePlan(scale_bar="always", north="always"))
    assert {"scale bar", "north arrow"} <= set(always.places)
    assert {"scale bar", "north arrow"} <= set(draw(plain, FigurePlan()).places)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_labels_lie_over_no_other_and_reach_beyond_no_border_and_all_are_accounted_for(seed):
    rng = np.random.default_rng(seed)
    count, wide, scale = 60, 1.0 + 4.0 * rng.random(), 10.0 ** (2.0 * rng.random() - 1.0)
    radius = 5.0 + 60.0 * rng.random(count)
    rooms = wide * radius[:, None] * np.sqrt(1.0 - np.array(HEIGHTS) ** 2)
    anchors = Anchors(rng.uniform(0, 800, (count, 2)), radius, rooms)
    word = lambda: "abcdefghij klmno pqrstuvw"[: rng.integers(0, 26)].strip()  # noqa: E731
    texts = [[word() for _ in range(count)], [f"{word()}\n{word()}".strip() for _ in range(count)]]
    placed, left = place_labels(
        anchors, np.arange(count), texts, [14.0, 10.0], lambda t, _: len(t) / 2.0, scale, smallest=8.0
    )
    boxes = []
    for label in placed:
        half_wide, half_high = label.width / 2.0, label.height / 2.0
        x, y = label.x * scale, -label.y * scale
        boxes.append((x - half_wide, y - half_high, x + half_wide, y + half_high))
        r = radius[label.area] * scale
        assert (half_wide / wide) ** 2 + half_high**2 <= r * r * (1 + 1e-9)
        assert label.height == pytest.approx(label.factor * sum(LINE * line.size for line in label.lines))
        assert all(label.factor * line.size >= 8.0 - 1e-9 for line in label.lines)
    for k, (a, b, c, d) in enumerate(boxes):
        assert not any(a < g and e < c and b < h and f < d for e, f, g, h in boxes[k + 1 :])
    said = sum(len({line.set for line in label.lines}) for label in placed)
    assert said + left == sum(bool(t) for some in texts for t in some)


EMPTY = {"corners": [[10.0, 10.0], [11.0, 10.0], [11.0, 11.0]]}
BOXES = {"insets": [EMPTY, {"corners": [[-39.1, 37.9], [-38.985, 37.9], [-38.985, 38.0], [-39.1, 38.0]]}]}


def boxed():
    found = content(**BOXES)
    assert [(b.number, int(b.members.sum())) for b in found.boxes] == [(1, 1)], "the empty one is none"
    return found


def paths_in(svg: bytes, colour: str) -> int:
    return svg.decode().count(f"fill: {colour}")


def test_a_legend_with_the_distribution_has_every_area_in_a_bar_of_its_class(plain):
    plan = FigurePlan.model_validate({"legend": {"distribution": True}})
    bare, drawn = draw(plain, FigurePlan()), draw(plain, plan)
    assert drawn.places["legend"].height > bare.places["legend"].height + 5.0
    for k, colour in enumerate(plain.colours):
        more = paths_in(written(drawn, "svg"), colour) - paths_in(written(bare, "svg"), colour)
        assert 1 <= more <= int((plain.own == k).sum()), colour
    said = texts_in(written(drawn, "svg"))
    assert set(plain.ends) <= set(said)
    low, high = np.nanmin(plain.values[plain.own >= 0]), np.nanmax(plain.values[plain.own >= 0])
    assert plain.ends == (f"{low:,.0f}", f"{high:,.0f}")


@settings(max_examples=100, deadline=None)
@given(st.lists(st.floats(1e-6, 1e9) | st.integers(-50, 50).map(float), min_size=1, max_size=60))
def test_values_keep_their_order_along_the_distribution(values):
    at, by_logarithm = spread_over(np.array(values))
    assert ((at >= 0.0) & (at <= 1.0)).all()
    order = np.argsort(values, kind="stable")
    assert (np.diff(at[order]) >= 0.0).all()
    assert not by_logarithm or min(values) > 0.0


@pytest.mark.parametrize("times", [None, 1.0, 3.0])
def test_a_box_has_the_scale_that_is_asked_for_and_says_what_it_is(times):
    shown = boxed()
    at = {"left": 20.0, "top": 60.0, "width": 50.0, "height": 50.0}
    plan = FigurePlan.model_validate({"boxes": {1: {"at": at, "times": times, "locator": True}}})
    drawing = draw(shown, plan)
    assert drawing.places["box 2"] == Place(20.0, 60.0, 50.0, 50.0)
    said = [t for t in texts_in(written(drawing, "svg")) if "times the map's scale" in t]
    assert said == ([] if times == 1.0 else said[:1])
    assert times is None or times == 1.0 or said == ["3 times the map's scale"]
    bare = draw(shown, FigurePlan.model_validate({"boxes": {1: {"at": at, "times": times, "neatline": False}}}))
    assert written(bare, "svg") != written(drawing, "svg")


@settings(max_examples=200, deadline=None)
@given(st.tuples(*[st.floats(0.0, 100.0)] * 4), st.tuples(st.floats(-400.0, 400.0), st.floats(-400.0, 400.0)))
def test_a_locator_line_leaves_its_box_and_stays_on_the_map(corner, there):
    room = Place(-50.0, -50.0, 300.0, 300.0)
    box = Place(corner[0], corner[1], 5.0 + corner[2], 5.0 + corner[3])
    line = line_between(box, room, np.array(there))
    if line is None:
        return
    start, end, reaches = line
    (a, b), (c, d) = end - start, np.array(there) - start
    assert abs(a * d - b * c) < 1e-6 * max(1.0, np.hypot(c, d))
    middle = (start + end) / 2.0
    assert not Place(box.left + 1e-6, box.top + 1e-6, box.width - 2e-6, box.height - 2e-6).holds(*middle)
    assert room.left - 1e-6 <= end[0] <= room.right + 1e-6
    assert room.top - 1e-6 <= end[1] <= room.bottom + 1e-6
    assert reaches == room.holds(*there)


def test_a_page_of_a_part_shows_it_larger_and_writes_in_it_alone(plain):
    only = np.zeros(len(plain.own), dtype=bool)
    only[plain.texts[0].index("Beta")] = True
    part = part_of(plain, only)
    width = [b[2] - b[0] for b in (part.plane.bounds, plain.plane.bounds)]
    assert width[0] < width[1]
    said = texts_in(written(draw(part, FigurePlan(), page="Beta"), "svg"))
    assert "Calls: Beta" in said
    assert "Beta" in said
    assert not {"Alpha", "Gamma", "Delta"} & set(said)
    with pytest.raises(PlanError, match="no area to show"):
        part_of(plain, np.zeros(len(plain.own), dtype=bool))


def test_many_pages_are_one_pdf_or_numbered_files_alike_at_each_time(plain, tmp_path):
    pages = [Page("One", plain), Page("../Two & 3", plain)]
    for kind, together in (("pdf", True), ("pdf", False), ("svg", False), ("png", False)):
        both = []
        for k in range(2):
            to = tmp_path / f"{k}"
            write_pages(to, FigurePlan(), pages, kind, dpi=50, together=together)
            both.append(to.read_bytes())
        assert both[0] == both[1], (kind, together)
        if together:
            assert both[0].count(b"/Type /Page ") == 2
        else:
            with zipfile.ZipFile(io.BytesIO(both[0])) as files:
                assert files.namelist() == [f"001-one.{kind}", f"002-two-3.{kind}"]

    def stopping():
        yield pages[0]
        raise KeyboardInterrupt

    before = sorted(p.name for p in tmp_path.iterdir())
    with pytest.raises(KeyboardInterrupt):
        write_pages(tmp_path / "half", FigurePlan(), stopping(), "pdf", dpi=50, together=True)
    assert sorted(p.name for p in tmp_path.iterdir()) == before


def test_a_halo_lies_right_below_its_letters():
    label = {"text": "{name} pqy", "size": 40, "colour": "#ff0000", "halo": "#0000ff", "halo_width": 0.01}
    shown = content(labels=[label])
    png = Image.open(io.BytesIO(written(draw(shown, FigurePlan()), "png", dpi=200))).convert("RGB")
    pixels = np.asarray(png).reshape(-1, 3).astype(int)
    red, blue = ((np.abs(pixels - c).max(axis=1) < 90).sum() for c in ([255, 0, 0], [0, 0, 255]))
    assert red > 500
    assert blue < 0.05 * red, "letters that stood beside their halo would show it"


def test_a_pdf_read_by_another_reader_shows_what_the_picture_shows(plain):
    """Every class's colour takes as much of the page in the PDF as in the PNG, and stands in the same place."""
    plan = FigurePlan.model_validate({"legend": {"distribution": True}, "neatline": True})
    document = pypdfium2.PdfDocument(written(draw(plain, plan), "pdf"))
    assert len(document) == 1
    read = np.asarray(document[0].render(scale=100 / 72).to_pil().convert("RGB")).astype(int)
    png = np.asarray(Image.open(io.BytesIO(written(draw(plain, plan), "png", dpi=100))).convert("RGB")).astype(int)
    rows, columns = (min(read.shape[k], png.shape[k]) for k in range(2))
    assert abs(read.shape[0] - png.shape[0]) <= 1
    for colour in plain.colours:
        rgb = [int(colour[k : k + 2], 16) for k in (1, 3, 5)]
        one, other = (np.abs(p[:rows, :columns] - rgb).max(axis=2) <= 3 for p in (read, png))
        assert (one & other).sum() > 0.95 * (one | other).sum() > 0, colour
    text = document[0].get_textpage().get_text_bounded()
    for entry in plain.entries:
        assert entry.text in text
    assert {"Alpha", "Beta", "Gamma", "Delta"} <= set(text.split())


def test_notes_say_the_period_the_breaks_and_what_was_counted(plain):
    for what in ("records counted", "Sources: ", "Classes: quantile, breaks at "):
        assert what in plain.notes
    document = copy.deepcopy(DOCUMENT)
    document["gather"]["events"]["calls"].pop("recorded")
    document["measure"], document["class"] = {"m": {"kind": "count", "events": "calls"}}, {}
    document["show"] = {"mapped": "m"}
    chain = Chain(read_plan(document), sources())
    outcome = chain.outcome()
    times = outcome.gathered.time[outcome.placed.record[outcome.placed.located.first >= 0]]
    days = np.sort(times[~np.isnat(times)]).astype("datetime64[D]")
    notes = content_of(chain, sources(), []).notes
    assert f"Events from {days[0]} to {days[-1]}." in notes
