"""The first page, the health check, and the description of the interface."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from flask import Blueprint, Response, current_app, jsonify, render_template, send_from_directory
from sqlalchemy import text

from steady_tally.core.errors import SetUpError
from steady_tally.core.report.tables import areas_table, ledger_document
from steady_tally.store.room import says_full
from steady_tally.store.studies import all_studies
from steady_tally.web.access import Right, needs
from steady_tally.web.description import described
from steady_tally.web.jobs import latest_demo_job
from steady_tally.web.outcomes import outcome_of
from steady_tally.web.studies import PlanPath, engine

pages = Blueprint("pages", __name__)
_MOST_ROWS = 1_000
FRONT_END = Path(__file__).resolve().parents[3] / "frontend" / "dist"


@pages.get("/")
@needs(Right.READ)
def application() -> Response:
    """The application's page, as it was built."""
    if not (FRONT_END / "index.html").exists():
        raise SetUpError("the page has not been built.", todo="Start with ./start.sh, which builds it.")
    response = send_from_directory(FRONT_END, "index.html")
    response.headers["Cache-Control"] = "no-cache"
    return response


@pages.get("/assets/<path:name>")
@needs(Right.READ)
def asset(name: str) -> Response:
    """A part of the built page; its name holds a digest of its content."""
    response = send_from_directory(FRONT_END / "assets", name)
    response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    return response


@pages.get("/plain")
@needs(Right.READ)
def plain_page() -> str:
    """Without a script: the oldest study's ledger and its areas. While the demo loads, how far it is."""
    study = next((s for s in all_studies(engine()) if s.head_id), None)
    if study is None:
        return render_template("first.html", study=None, job=latest_demo_job(), full=says_full())
    assert study.head_id is not None
    outcome = outcome_of(PlanPath(study_id=study.id, version=study.head_id))
    values = outcome.measured.values.value
    first = np.argsort(-values, kind="stable")[:_MOST_ROWS]
    areas = areas_table(outcome, first).to_pylist()
    return render_template(
        "first.html", study=study, title=outcome.plan.show.title, ledger=ledger_document(outcome, {}), areas=areas,
        value_name=outcome.value_name, more=len(values) - len(areas), full=says_full(),
    )  # fmt: skip


@pages.get("/healthz")
@needs(Right.READ)
def health() -> Response:
    """Answers once the database does."""
    with engine().connect() as connection:
        connection.execute(text("SELECT 1"))
    return jsonify({"status": "ok"})


@pages.get("/openapi/openapi.json")
@needs(Right.READ)
def description() -> Response:
    """OpenAPI 3.1."""
    app: Any = current_app
    return jsonify(described(app.api_doc))
