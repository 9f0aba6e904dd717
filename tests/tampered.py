"""The figures of a study, as if an earlier program had come to others."""

import numpy as np
import pyarrow as pa
from sqlalchemy import text
from sqlmodel import Session

from steady_tally.core.report.remembered import digests_of, read, written
from steady_tally.store.tables import Remembered

MOVED = 3


def tampered(engine, study, *, version=None, by=1.5):
    """What an earlier program would have left: other figures for some areas. Returns the identifiers of these."""
    with Session(engine) as session:
        head = (
            version
            or session.connection()
            .execute(text("SELECT head_id FROM study WHERE id = :id"), {"id": study})
            .scalar_one()
        )
        row = (
            session.connection()
            .execute(text("SELECT measure FROM remembered WHERE version_id = :v"), {"v": head})
            .scalar_one()
        )
        found = session.get_one(Remembered, (head, row))
        table = read(found.data)
        value = np.array(table.column("value").to_numpy(), dtype=np.float64)
        at = np.flatnonzero(np.isfinite(value) & (value != 0))[:MOVED]
        value[at] *= by
        place = table.column_names.index("value")
        table = table.set_column(place, "value", pa.array(value, from_pandas=True))
        found.data = written(table)
        found.digest, found.figures_digest = digests_of(table)
        session.add(found)
        session.commit()
        return [table.column("identifier")[int(i)].as_py() for i in at]
