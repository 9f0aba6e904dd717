"""What an area's card tells of its events, against counting them one by one."""

from collections import Counter

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import run
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.geo.projection import coordinate_system, project
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.show.drawing import plane_of
from steady_tally.core.show.profile import area_profile
from steady_tally.core.sources import Features, Sources, Table

N = 600
WINDOWS = [
    {"name": "spring", "first_day": "2024-03-01", "last_day": "2024-05-31"},
    {"name": "autumn", "first_day": "2024-09-01", "last_day": "2024-11-30"},
]


@pytest.fixture(scope="module")
def sources() -> Sources:
    """Events at 72 places, in two zones that overlap."""
    rng = np.random.default_rng(6)
    lon, lat = np.round(-40.1 + rng.integers(0, 12, N) / 60, 4), np.round(37.9 + rng.integers(0, 6, N) / 30, 4)
    moment = np.datetime64("2024-01-01T00:00") + rng.integers(0, 366 * 1440, N).astype("timedelta64[m]")
    text = moment.astype(str)
    text[rng.random(N) < 0.05] = ""
    columns = pa.table(
        {
            "lon": pa.array([f"{v:.4f}" for v in lon]),
            "lat": pa.array([f"{v:.4f}" for v in lat]),
            "at": pa.array(text.tolist()),
            "kind": pa.array(rng.choice(["a", "b", "c", "d", ""], N, p=[0.4, 0.3, 0.15, 0.1, 0.05]).tolist()),
            "remark": pa.array([f"remark {i}" for i in range(N)]),
        }
    )
    count = np.arange(1, N + 1)
    zones = np.array([shapely.box(-40.2, 37.8, -40.0, 38.2), shapely.box(-40.05, 37.8, -39.8, 38.2)], dtype=object)
    names = pa.table({"code": ["W", "E"]})
    return Sources(
        {"events": Table("events", columns, count, count + 1)}, {"areas": Features("areas", names, zones, "EPSG:4326")}
    )


def outcome(sources: Sources, recorded: list | None = None):
    events = {
        "coordinates": {"kind": "columns", "x": "lon", "y": "lat"},
        "time": {"column": "at"},
        "recorded": recorded or [],
    }
    areas = {"kind": "zones", "identifier": "code"}
    document = {"gather": {"events": events}, "place": {"areas": areas}, "measure": {"kind": "count"}}
    return run(read_plan(document), sources)


def rows_in(sources: Sources, area: int, recorded: list | None = None) -> list[dict]:
    """The rows of one of the two overlapping areas, borders included."""
    low, high = ((-40.2, -40.0), (-40.05, -39.8))[area]

    def kept(row: dict) -> bool:
        inside = low <= float(row["lon"]) <= high
        windows = recorded or []
        day = row["at"][:10]
        return inside and (not windows or day == "" or any(w["first_day"] <= day <= w["last_day"] for w in windows))

    return [row for row in sources.tables["events"].columns.to_pylist() if kept(row)]


@pytest.mark.parametrize("area", [0, 1])
@pytest.mark.parametrize("recorded", [None, WINDOWS])
def test_a_profile_is_what_counting_gives(sources, area, recorded):
    found = area_profile(outcome(sources, recorded), area)
    rows = rows_in(sources, area, recorded)
    assert len(found.record) == len(rows) > 50
    places = Counter((row["lon"], row["lat"]) for row in rows)
    assert found.count.tolist() == sorted(places.values(), reverse=True)
    assert Counter(found.place.tolist()) == Counter({i + 1: n for i, n in enumerate(found.count.tolist())})
    (category,) = found.categories
    wanted = Counter(row["kind"] for row in rows if row["kind"])
    most = sorted(wanted.items(), key=lambda pair: (-pair[1], pair[0]))
    assert [(c.says, c.events) for c in category.values] == most[:3]
    assert category.others == sum(n for _, n in most[3:])
    assert found.time_unknown == sum(row["at"] == "" for row in rows)
    days = [row["at"][:10] for row in rows if row["at"]]
    if recorded:
        spans = [(w["name"], w["first_day"], w["last_day"]) for w in recorded]
        assert [(t.says, t.events) for t in found.time] == [(n, sum(a <= d <= b for d in days)) for n, a, b in spans]
    else:
        months = Counter(d[:7] for d in days)
        assert {t.says: t.events for t in found.time if t.events} == dict(months)
        assert [t.says for t in found.time] == [f"2024-{m:02d}" for m in range(1, 13)]


def test_places_lie_in_the_plane_where_their_coordinates_are(sources):
    result = outcome(sources)
    found = area_profile(result, 0)
    plane = plane_of(result.placed.areas, result.placed.placement.crs)
    first = result.gathered.x[found.record[found.place == 1]], result.gathered.y[found.record[found.place == 1]]
    assert len(np.unique(np.column_stack(first), axis=0)) == 1
    east, north = project(*first, coordinate_system("EPSG:4326", wanted_by="test"), plane.crs)
    assert found.xy[0] == pytest.approx([east[0] - plane.origin[0], north[0] - plane.origin[1]], abs=0.01)


def test_categories_are_the_columns_of_few_values(sources):
    table = sources.tables["events"]
    assert category_columns(table) == ("lon", "lat", "kind")
    assert category_columns(table, without={"lon", "lat"}) == ("kind",)
