"""Pages to publish, labels and dots."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyproj import CRS

from bench.timing import Row, best_of
from steady_tally.core.chain import Chain
from steady_tally.core.geo.anchors import HEIGHTS, Anchors
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import parse_plan, read_plan
from steady_tally.core.report.handed import events_to_hand_on
from steady_tally.core.show.labelling import place_labels
from steady_tally.core.sources import Sources, Table
from steady_tally.demo.quillhaven import CALL_OUTS, PLAN, RECORDED, RESIDENTS, WARDS_FILE, write_quillhaven
from steady_tally.figures.content import content_of
from steady_tally.figures.draw import Format, draw, written
from steady_tally.formats.handed import Kind, Piece, archive, points_as_wkb
from steady_tally.formats.read import read_table, read_zones

CELLS = 320
EVENTS = 1_000_000
KINDS: tuple[Format, ...] = ("svg", "pdf", "png")


def rows() -> list[Row]:
    """Of 100,000 cells; of 3,000 zones with two labels each; and of a million events handed on."""
    return [*_pages(), _labels(), *_events()]


def _pages() -> list[Row]:
    rng = np.random.default_rng(3)
    n = 400_000
    x, y = 500_000 + 100.0 * CELLS * rng.random(n), 4_200_000 + 100.0 * CELLS * rng.beta(2, 3, n)
    columns = pa.table({"x": [f"{v:.1f}" for v in x], "y": [f"{v:.1f}" for v in y]})
    events = Table("events", columns, np.arange(1, n + 1), np.arange(2, n + 2))
    plan = read_plan(
        {
            "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}}},
            "place": {"areas": {"kind": "grid", "shape": "square", "size": 100, "cover": None}},
            "measure": {"kind": "count"},
            "class": {"method": "quantile", "count": 5},
        }
    )
    sources = Sources({"events": events}, {})
    chain = Chain(plan, sources)
    outcome = chain.outcome()
    content = content_of(chain, sources, [])
    page = FigurePlan()
    best = best_of(2, **{kind: (lambda k=kind: written(draw(content, page), k)) for kind in KINDS})  # type: ignore[misc]
    return [
        Row(f"{len(outcome.areas):,} cells on an A4 page: {kind}", best[kind], "s", "best of two") for kind in KINDS
    ]


def _labels() -> Row:
    rng = np.random.default_rng(5)
    count = 3_000
    radius = 5.0 + 40.0 * rng.random(count)
    rooms = 3.0 * radius[:, None] * np.sqrt(1.0 - np.array(HEIGHTS) ** 2)
    anchors = Anchors(rng.uniform(0, 5_000, (count, 2)), radius, rooms)
    texts = [[f"Upper name {k}" for k in range(count)], [f"{k}.5 per km²" for k in range(count)]]

    def place() -> object:
        return place_labels(anchors, np.arange(count), texts, [14.0, 11.0], lambda t, _: len(t) / 2.0, 1.0, 8.0)

    best = best_of(3, place=place)
    return Row("labels of 3,000 zones placed on a page", 1_000 * best["place"], "ms", "best of three")


def _events() -> list[Row]:
    """The demo's call-outs, a million of them, with their own columns and those of their areas."""
    import pyogrio

    with tempfile.TemporaryDirectory() as folder:
        base = Path(folder)
        write_quillhaven(base, events=EVENTS, seed=1)
        plan = parse_plan((base / PLAN).read_text(encoding="utf-8"))
        events = {"call-outs": CALL_OUTS, "residents": RESIDENTS, RECORDED: "recorded-in-2021.csv"}
        tables = {name: read_table(base / file, name) for name, file in events.items()}
        tables["bicycle thefts"] = read_table(base / "bicycle-thefts.csv", "bicycle thefts")
        sources = Sources(tables, {"wards": read_zones(base / WARDS_FILE, "wards")})
        outcome = Chain(plan, sources).outcome()
        degrees = CRS.from_epsg(4326)
        handed = events_to_hand_on(outcome)
        bare_table = handed.table.append_column("geometry", points_as_wkb(*handed.points)).combine_chunks()  # type: ignore[misc]

        def whole(kind: Kind) -> None:
            archive(base / "events.zip", [Piece(events_to_hand_on(outcome), "events", [kind])], degrees)

        def bare() -> None:
            pyogrio.raw.write_arrow(
                bare_table, base / "bare.gpkg", layer="bare", driver="GPKG", geometry_name="geometry",
                geometry_type="Point", crs="EPSG:4326",
            )  # fmt: skip
            (base / "bare.gpkg").unlink()

        best = best_of(3, parquet=lambda: whole("parquet"), gpkg=lambda: whole("gpkg"), bare=bare)
    count = handed.table.num_rows
    return [
        Row(f"{count:,} events with their areas to Parquet", best["parquet"], "s", "with dictionary, in an archive"),
        Row(
            f"{count:,} events with their areas to GeoPackage, against a bare write of the same columns",
            best["gpkg"] / best["bare"],
            "times slower",
            f"{best['gpkg']:.1f} s against {best['bare']:.1f} s",
        ),
    ]
