"""Writing an outcome as files: the columns are described in `docs/plan.md`."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.csv
import shapely
from pyproj import CRS

from steady_tally.core.errors import SetUpError
from steady_tally.core.gather.records import Gathered
from steady_tally.core.geo.antimeridian import cut_at_antimeridian
from steady_tally.core.geo.projection import project
from steady_tally.core.outcome import Placed
from steady_tally.core.plan.place import Place
from steady_tally.core.released import Released
from steady_tally.core.report.tables import (
    areas_table,
    categories_table,
    events_table,
    ledger_document,
    set_aside_table,
)
from steady_tally.formats.defusing import defused

_WGS84 = CRS.from_epsg(4326)
_DEGREE_FIGURES = 8


@dataclass(frozen=True)
class RecordRows:
    """Some successive records as text: the placed events, and those set aside; each as header and rows (RFC 4180), and
    how many texts a spreadsheet would have run as formulas."""

    events: tuple[bytes, pa.Buffer, int]
    set_aside: tuple[bytes, pa.Buffer, int]


def record_rows(plan: Place, gathered: Gathered, placed: Placed) -> RecordRows:
    """What is written of some records."""
    return RecordRows(_csv(events_table(plan, gathered, placed)), _csv(set_aside_table(gathered, placed)))


class OutcomeFiles:
    """The files of an outcome, written while its records come in; they stand in their folder only when all are done."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def __enter__(self) -> OutcomeFiles:
        with _plain_faults(self.folder):
            self.folder.parent.mkdir(parents=True, exist_ok=True)
            self._partial = Path(tempfile.mkdtemp(prefix=".partial-", dir=self.folder.parent))
            self._open: dict[str, BinaryIO] = {}
            self._defused: dict[str, int] = {}
        return self

    def __exit__(self, *_: object) -> None:
        for file in self._open.values():
            file.close()
        shutil.rmtree(self._partial, ignore_errors=True)

    def add(self, rows: RecordRows) -> None:
        """Write the next records."""
        with _plain_faults(self.folder):
            for name, (header, body, count) in {"events.csv": rows.events, "set-aside.csv": rows.set_aside}.items():
                self._defused[name] = self._defused.get(name, 0) + count
                if name not in self._open:
                    self._open[name] = (self._partial / name).open("wb")
                    self._open[name].write(header)
                self._open[name].write(body)

    def finish(
        self, figures: Released, checksums: Mapping[str, str], more: Callable[[Path], None] | None = None
    ) -> None:
        """Write the areas and the account, and put all files in their place; `more` writes others beside them."""
        with _plain_faults(self.folder):
            for file in self._open.values():
                file.close()
            counts = {**self._defused, **_write_areas(figures, self._partial)}
            told = {**ledger_document(figures, checksums), "defused": {n: c for n, c in sorted(counts.items()) if c}}
            _without_places(told, figures)
            _without_totals(told, figures)
            document = json.dumps(told, ensure_ascii=False, indent=2, allow_nan=False)
            (self._partial / "ledger.json").write_text(document + "\n", encoding="utf-8")
            if more is not None:
                more(self._partial)
            self.folder.mkdir(exist_ok=True)
            for written in self._partial.iterdir():
                os.replace(written, self.folder / written.name)


@contextmanager
def _plain_faults(folder: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise SetUpError(
            f"it cannot be written ({error.strerror}).", where=f"folder “{folder}”", todo="Choose another."
        ) from None


def _csv(table: pa.Table) -> tuple[bytes, pa.Buffer, int]:
    table, count = defused(table)
    head, body = pa.BufferOutputStream(), pa.BufferOutputStream()
    pyarrow.csv.write_csv(table.slice(0, 0), head)
    pyarrow.csv.write_csv(table, body, pyarrow.csv.WriteOptions(include_header=False))
    return head.getvalue().to_pybytes(), body.getvalue(), count


def _write_areas(outcome: Released, folder: Path) -> dict[str, int]:
    """Write the areas; how many texts of each file of CSV were defused."""
    areas, counts = areas_table(outcome), {}
    for name, table in (("areas.csv", areas), ("categories.csv", categories_table(outcome))):
        if table is not None:
            safe, counts[name] = defused(table)
            pyarrow.csv.write_csv(safe, folder / name)
    (folder / "areas.geojson").write_text(areas_geojson(outcome, areas), encoding="utf-8")
    return counts


def _without_places(told: dict[str, Any], figures: Released) -> None:
    """Take the places that were given to single records out of the plan, where a release rule lets no events out."""
    rule = figures.plan.release
    if rule is None or rule.event_points:
        return
    for name, events in told["plan"]["gather"]["events"].items():
        if given := len(events["corrections"]):
            events["corrections"] = []
            says = f"{given:,} places given to records of “{name}” are left out of this plan, as the release rule says."
            told["notes"] = [*told["notes"], says]


def _without_totals(told: dict[str, Any], figures: Released) -> None:
    """Take the totals of records out, where a release rule rounds counts: beside them they would tell more."""
    rule = figures.plan.release
    if rule is None or rule.round_to == 1:
        return
    told |= {"stages": [], "placements": None}
    told["notes"] = [*told["notes"], "How many records there are at each stage is left out, as the release rule says."]


def areas_geojson(outcome: Released, areas: pa.Table) -> str:
    """The areas with their values as GeoJSON (RFC 7946): longitude and latitude, shells counterclockwise."""
    zones = outcome.areas

    def to_degrees(points: np.ndarray) -> np.ndarray:
        return np.round(np.column_stack(project(points[:, 0], points[:, 1], zones.crs, _WGS84)), _DEGREE_FIGURES)

    geometry = shapely.orient_polygons(cut_at_antimeridian(shapely.transform(zones.geometry, to_degrees)))
    features = [
        json.dumps(
            {
                "type": "Feature",
                "id": row["identifier"],
                "properties": row,
                "geometry": json.loads(shapely.to_geojson(g)),
            },
            ensure_ascii=False,
        )
        for row, g in zip(areas.to_pylist(), geometry, strict=True)
    ]
    return '{"type": "FeatureCollection", "features": [\n' + ",\n".join(features) + "\n]}\n"
