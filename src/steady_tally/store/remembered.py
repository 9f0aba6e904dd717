"""The figures that plan versions had when they were first worked out: kept while somebody may want them back."""

from __future__ import annotations

import json
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import Engine, text
from sqlmodel import Session

from steady_tally.store.database import reading
from steady_tally.store.sources import sources_of
from steady_tally.store.tables import Remembered


@dataclass(frozen=True)
class Noted:
    """What a measure of a version came to, without the figures themselves.

    Attributes
    ----------
    digest, figures_digest : of all, and of all but the classes.
    sources : the column sets that it was worked out from, by name.
    kept : the figures are kept, too.
    """

    version: uuid.UUID
    digest: str
    figures_digest: str
    sources: Mapping[str, str]
    made_at: datetime
    kept: bool


def noted(engine: Engine, version: uuid.UUID, measure: str) -> tuple[Noted | None, Noted | None]:
    """What is noted of a measure of a version, and of the version that this was made from."""
    with reading(engine).connect() as connection:
        rows = connection.execute(_NOTED, {"version": version, "measure": measure}).all()
    found = {row[0] == version: Noted(*row) for row in rows}
    return found.get(True), found.get(False)


def kept_figures(engine: Engine, version: uuid.UUID, measure: str) -> bytes | None:
    """The figures that are kept of a measure of a version; None where there are none."""
    with Session(reading(engine)) as session:
        found = session.get(Remembered, (version, measure))
        return None if found is None else found.data


def remember(
    engine: Engine,
    study_id: uuid.UUID,
    version: uuid.UUID,
    measure: str,
    digests: tuple[str, str],
    data: bytes,
    *,
    made_at: datetime | None = None,
    anew: bool = False,
) -> None:
    """Note what a measure of a version comes to, and let go of the figures, not of the digests, of those versions of
    the study that are neither open nor a page's. What is noted already stays, unless it is to be noted `anew`."""
    values = {
        "study": study_id,
        "version": version,
        "measure": measure,
        "digest": digests[0],
        "figures_digest": digests[1],
        "sources": json.dumps(sources_now(engine, study_id)),
        "data": data,
        "made_at": made_at or datetime.now(UTC),
    }
    with engine.begin() as connection:
        connection.execute(_REMEMBER_ANEW if anew else _REMEMBER, values)


def sources_now(engine: Engine, study_id: uuid.UUID) -> dict[str, str]:
    """The column sets of the study's live sources, by name."""
    return {s.name: str(s.set_id) for s in sources_of(engine, study_id)}


_NOTED = text(
    """
    SELECT version_id, digest, figures_digest, sources, made_at, data IS NOT NULL FROM remembered
    WHERE measure = :measure AND version_id IN (
        SELECT :version UNION ALL SELECT parent_id FROM plan_version WHERE id = :version)
    """
)
# What is lost in a crash is noted anew by the next look: the commit waits for no disk.
_INSERT = """
    WITH added AS (
        INSERT INTO remembered (version_id, measure, digest, figures_digest, sources, data, made_at)
        SELECT CAST(:version AS uuid), CAST(:measure AS text), CAST(:digest AS text), CAST(:figures_digest AS text),
            CAST(:sources AS jsonb), CAST(:data AS bytea), CAST(:made_at AS timestamptz)
        FROM set_config('synchronous_commit', 'off', true)
        ON CONFLICT (version_id, measure) DO {}
    )
    UPDATE remembered r SET data = NULL FROM plan_version v, study s
    WHERE v.id = r.version_id AND v.study_id = :study AND s.id = :study AND r.data IS NOT NULL
        AND v.id IS DISTINCT FROM s.head_id AND v.id <> :version
        AND NOT EXISTS (SELECT 1 FROM figure f WHERE f.version_id = v.id)
    """
_REMEMBER = text(_INSERT.format("NOTHING"))
_REMEMBER_ANEW = text(
    _INSERT.format(
        "UPDATE SET digest = excluded.digest, figures_digest = excluded.figures_digest, sources = excluded.sources, "
        "data = excluded.data, made_at = excluded.made_at"
    )
)
