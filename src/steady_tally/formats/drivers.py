"""The vector library with the drivers of the formats that we offer, and no other.

A driver is chosen by what is in a file, not by its name; some follow references to other files, run a chain of
commands that the file names, or fetch from an address. So they must not exist in a process that reads foreign files.
Which exist is settled when the library loads: everything here that needs it takes it from this module.
"""

from __future__ import annotations

import os

from steady_tally.core.errors import SetUpError

OFFERED = frozenset(
    {
        "ESRI Shapefile", "FlatGeobuf", "GPKG", "GeoJSON", "GeoJSONSeq", "KML", "LIBKML", "ODS", "TopoJSON", "XLSX",
    }
)  # fmt: skip
_OTHERS = (
    "ADBC", "AIVector", "AVCBin", "AVCE00", "AmigoCloud", "CSV", "CSW", "Carto", "DGN", "DXF", "EDIGEO", "EEDA",
    "ESRIJSON", "Elasticsearch", "GDALG", "GML", "GPSBabel", "GPX", "GTFS", "GeoRSS", "HTTP", "Idrisi", "JML",
    "JSONFG", "LVBAG", "MBTiles", "MEM", "MVT", "MapInfo File", "MapML", "MiraMonVector", "NGW", "OAPIF", "OGCAPI",
    "OGR_GMT", "OGR_PDS", "OGR_VRT", "OSM", "OpenFileGDB", "PCIDSK", "PDF", "PDS4", "PGDUMP", "PLSCENES", "PMTiles",
    "S57", "SQLite", "SXF", "Selafin", "VDV", "VFK", "VICAR", "WAsP", "WFS",
)  # fmt: skip

os.environ["GDAL_SKIP"] = ",".join(_OTHERS)
# Should anything ever try to fetch something, it finds nobody there.
os.environ["GDAL_HTTP_PROXY"] = "127.0.0.1:9"
os.environ["GDAL_HTTP_MAX_RETRY"] = "0"

import pyogrio  # noqa: E402  after what settles its drivers
import pyogrio.errors  # noqa: E402
import pyogrio.raw  # noqa: E402

__all__ = ["OFFERED", "pyogrio"]


def _refuse_others() -> None:
    """A library that was loaded before, or that brings new drivers, is no library to read foreign files with."""
    more = sorted(set(pyogrio.list_drivers()) - OFFERED)
    if more:
        raise SetUpError(
            f"the vector library has drivers that must not be here: {', '.join(more)}.",
            todo="Install the versions of requirements.lock.",
        )


_refuse_others()
