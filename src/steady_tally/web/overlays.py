"""What lies over the areas on the map: lines, events, labels."""

from __future__ import annotations

import json
from typing import Self

import numpy as np
import pyarrow as pa
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, model_validator

from steady_tally.core.errors import NotFound, PlanError
from steady_tally.core.report.labels import label_texts, label_words, texts_of
from steady_tally.core.show.drawing import outlines_over, reference_lines
from steady_tally.core.show.graticule import graticule
from steady_tally.core.show.overlays import area_anchors, event_dots, reference_names
from steady_tally.core.sources import Features, texts
from steady_tally.results.studies import chain_of, stored_sources
from steady_tally.web.access import Right, needs
from steady_tally.web.arrow import ARROW, bulk, kept_bulk, ring_table
from steady_tally.web.description import file_of
from steady_tally.web.outcomes import plan_of
from steady_tally.web.show import BulkPath, chain_at, drawn_insets, plane_of_outcome
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint(
    "overlays", __name__, url_prefix="/api", abp_tags=[Tag(name="show")]
)  # fmt: skip


class ReferencePath(BulkPath):
    name: str = Field(max_length=200)


class ColumnQuery(BaseModel):
    column: str | None = Field(None, max_length=500)


@api.get(
    f"{PLAN}/reference/<name>/<key>", summary="A reference source's lines, as an Arrow stream", responses=file_of(ARROW)
)
@needs(Right.READ)
def reference(path: ReferencePath) -> Response:
    chain, _ = chain_at(path, "shapes")
    features, checksum = _features(path)

    def drawn() -> tuple[pa.Table, dict[str, str]]:
        lines, closed = reference_lines(features, plane_of_outcome(chain.outcome(strict=False)))
        kinds = np.array(texts(features.columns.column(0)), dtype=object)[lines.owner]
        table = ring_table(lines).append_column("kind", pa.array(kinds, pa.string()))
        names = json.dumps(features.columns.column_names)
        return table.append_column("closed", pa.array(closed.astype(np.uint8))), {"columns": names}

    return kept_bulk(f"{path.key} {checksum}", drawn)


@api.get(
    f"{PLAN}/reference/<name>/<key>/names",
    summary="Where the names of a reference source stand, as an Arrow stream",
    responses=file_of(ARROW),
)
@needs(Right.READ)
def names_of_reference(path: ReferencePath, query: ColumnQuery) -> Response:
    chain, _ = chain_at(path, "shapes")
    features, checksum = _features(path)

    def placed() -> tuple[pa.Table, dict[str, str]]:
        plane = plane_of_outcome(chain.outcome(strict=False))
        xy, names = reference_names(features, query.column or features.columns.column_names[0], plane)
        there = np.isfinite(xy).all(axis=1) & np.array([bool(n) for n in names])
        at = np.flatnonzero(there)
        table = pa.table({"x": xy[at, 0], "y": xy[at, 1], "text": pa.array([names[i] for i in at], pa.string())})
        return table, {}

    return kept_bulk(f"{path.key} {checksum} names {query.column}", placed)


def _features(path: ReferencePath) -> tuple[Features, str]:
    sources, checksums = stored_sources(engine(), path.study_id)
    if path.name not in sources.features:
        raise NotFound(f"the study has no lines “{path.name}”.", todo="Load the study again.")
    return sources.features[path.name], checksums[path.name]


@api.get(
    f"{PLAN}/over/<key>", summary="The outlines of the plan's upper level, as an Arrow stream", responses=file_of(ARROW)
)
@needs(Right.READ)
def over(path: BulkPath) -> Response:
    chain, _ = chain_at(path, "over")
    zones, column = chain.zones, chain.plan.show.over
    if column is None or zones is None:
        raise NotFound("the plan draws no outlines over the map.", todo="Choose a column of the zones for it.")

    def drawn() -> tuple[pa.Table, dict[str, str]]:
        return ring_table(outlines_over(zones, column, plane_of_outcome(chain.outcome(strict=False)))), {}

    return kept_bulk(path.key, drawn)


_FARTHEST = 1e9  # metres: many times around the earth


class SeenQuery(BaseModel):
    """A part of the drawing's plane, in metres from its origin."""

    left: float = Field(ge=-_FARTHEST, le=_FARTHEST)
    bottom: float = Field(ge=-_FARTHEST, le=_FARTHEST)
    right: float = Field(ge=-_FARTHEST, le=_FARTHEST)
    top: float = Field(ge=-_FARTHEST, le=_FARTHEST)
    most: int = Field(12, ge=2, le=30, description="About so many lines each way, at the most.")

    @model_validator(mode="after")
    def _has_ground(self) -> Self:
        if not (self.left < self.right and self.bottom < self.top):
            raise ValueError("the right and the top lie beyond the left and the bottom")
        return self


@api.get(
    f"{PLAN}/degrees/<key>",
    summary="Lines of latitude and longitude where the map is seen, as an Arrow stream",
    responses=file_of(ARROW),
)
@needs(Right.READ)
def degrees(path: BulkPath, query: SeenQuery) -> Response:
    chain, _ = chain_at(path, "shapes")
    seen = (query.left, query.bottom, query.right, query.top)
    found = graticule(plane_of_outcome(chain.outcome(strict=False)), seen, most=query.most)
    return bulk(
        ring_table(found.rings),
        {"texts": json.dumps(found.texts), "meridian": json.dumps(found.meridian.astype(int).tolist())},
    )


@api.get(f"{PLAN}/dots/<key>", summary="The mapped events as dots, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def dots(path: BulkPath, query: ColumnQuery) -> Response:
    chain, _ = chain_at(path, "placed")
    outcome = chain.outcome(strict=False)
    found = event_dots(outcome, plane_of_outcome(outcome), query.column)
    table = pa.table({"x": found.xy[:, 0], "y": found.xy[:, 1], "kind": found.kind})
    kinds = json.dumps([{"text": t, "colour": c} for t, c in zip(found.words, found.colours, strict=True)])
    return bulk(table, {"of": str(found.of), "kinds": kinds})


@api.get(f"{PLAN}/anchors/<key>", summary="Where the areas' labels stand, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def anchors(path: BulkPath) -> Response:
    chain, _ = chain_at(path, "shapes")

    def placed() -> tuple[pa.Table, dict[str, str]]:
        outcome = chain.outcome(strict=False)
        found, inset = area_anchors(outcome.areas, plane_of_outcome(outcome), drawn_insets(outcome))
        rooms = {f"room {k}": found.rooms[:, k].astype(np.float32) for k in range(found.rooms.shape[1])}
        xy = found.xy.astype(np.float32)
        table = pa.table({"x": xy[:, 0], "y": xy[:, 1], "radius": found.radius.astype(np.float32), "inset": inset})
        for name, room in rooms.items():
            table = table.append_column(name, pa.array(room))
        return table, {}

    return kept_bulk(f"{path.key} anchors", placed)


@api.get(
    f"{PLAN}/label-texts/<key>", summary="What is written in each area, as an Arrow stream", responses=file_of(ARROW)
)
@needs(Right.READ)
def written(path: BulkPath) -> Response:
    chain, _ = chain_at(path, "labels")

    def table() -> tuple[pa.Table, dict[str, str]]:
        found = label_texts(chain, chain.outcome(strict=False))
        return pa.table({str(k): pa.array(t, pa.string()) for k, t in enumerate(found)}), {}

    return kept_bulk(path.key, table)


class LabelDraft(BaseModel):
    text: str = Field(max_length=500, description="The template, which may be unfinished.")
    area: int | None = Field(None, ge=0, description="The area whose text is wanted; by default the first.")


class LabelView(BaseModel):
    """What a label that is being written comes to."""

    fault: str = Field(description="Why it cannot be written; empty where it can.")
    text: str = Field(description="What stands in the area.")
    words: list[str] = Field(description="Words of text that may stand in braces beside those of formulas.")


@api.post(f"{PLAN}/label-trial", summary="What a label comes to while it is written", responses={"200": LabelView})
@needs(Right.READ)
def trial(path: PlanPath, body: LabelDraft) -> Response:
    chain = chain_of(engine(), path.study_id, plan_of(path))
    outcome = chain.outcome(strict=False)
    words = label_words(chain)
    areas = outcome.areas
    at = min(body.area or 0, len(areas) - 1)
    try:
        text = next(iter(texts_of(chain, outcome, body.text, [at] if len(areas) else [])), "")
    except PlanError as error:
        return answer(LabelView(fault=error.sentence, text="", words=words))
    return answer(LabelView(fault="", text=text, words=words))
