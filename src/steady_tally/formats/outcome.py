"""Writing an outcome as files: the columns are described in `docs/plan.md`."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv
import shapely
from pyproj import CRS

from steady_tally.core.errors import SetUpError
from steady_tally.core.geo.projection import project
from steady_tally.core.outcome import Outcome
from steady_tally.core.report.tables import areas_table, events_table, ledger_document, set_aside_table

_WGS84 = CRS.from_epsg(4326)
_DEGREE_FIGURES = 8


def write_outcome(outcome: Outcome, folder: Path, checksums: Mapping[str, str]) -> None:
    """Write all files of an outcome, or, where that fails, none."""
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        partial = Path(tempfile.mkdtemp(prefix=".partial-", dir=folder.parent))
    except OSError as error:
        raise SetUpError(
            f"it cannot be written ({error.strerror}).", where=f"folder “{folder}”", todo="Choose another."
        ) from None
    try:
        with ThreadPoolExecutor() as pool:
            for written in [
                pool.submit(lambda: pyarrow.csv.write_csv(events_table(outcome), partial / "events.csv")),
                pool.submit(lambda: pyarrow.csv.write_csv(set_aside_table(outcome), partial / "set-aside.csv")),
                pool.submit(_write_areas, outcome, partial),
            ]:
                written.result()
        document = json.dumps(ledger_document(outcome, checksums), ensure_ascii=False, indent=2)
        (partial / "ledger.json").write_text(document + "\n", encoding="utf-8")
        folder.mkdir(exist_ok=True)
        for file in partial.iterdir():
            os.replace(file, folder / file.name)
    except OSError as error:
        raise SetUpError(
            f"it cannot be written ({error.strerror}).", where=f"folder “{folder}”", todo="Choose another."
        ) from None
    finally:
        shutil.rmtree(partial, ignore_errors=True)


def _write_areas(outcome: Outcome, folder: Path) -> None:
    areas = areas_table(outcome)
    pyarrow.csv.write_csv(areas, folder / "areas.csv")
    (folder / "areas.geojson").write_text(areas_geojson(outcome, areas), encoding="utf-8")


def areas_geojson(outcome: Outcome, areas: pa.Table) -> str:
    """The areas with their values as GeoJSON (RFC 7946): longitude and latitude, shells counterclockwise."""
    zones = outcome.placed.areas

    def to_degrees(points: np.ndarray) -> np.ndarray:
        return np.round(np.column_stack(project(points[:, 0], points[:, 1], zones.crs, _WGS84)), _DEGREE_FIGURES)

    geometry = shapely.orient_polygons(shapely.transform(zones.geometry, to_degrees))
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
