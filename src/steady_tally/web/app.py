"""Putting the application together."""

from __future__ import annotations

import procrastinate
from flask_openapi3 import Info, OpenAPI
from sqlalchemy import Engine

from steady_tally.web import (
    classes,
    earlier,
    figures,
    gather,
    handed,
    jobs,
    keeping,
    looking,
    measure,
    outcomes,
    overlays,
    pages,
    place,
    plans,
    sessions,
    show,
    studies,
    sure,
)
from steady_tally.web.access import guard
from steady_tally.web.description import KEY, security_scheme
from steady_tally.web.door import clean
from steady_tally.web.pacing import pace
from steady_tally.web.problems import answer_with_problems, invalid_request

_LARGEST_REQUEST = 8 << 20


def create_app(engine: Engine, queue: procrastinate.App, *, port: int) -> OpenAPI:
    """The application, for requests to loopback at that port. `queue` must be open."""
    app = OpenAPI(
        __name__,
        info=Info(title="Steady Tally", version="1"),
        doc_ui=False,
        static_folder=None,
        validation_error_callback=invalid_request,
        security_schemes=security_scheme(port),
        openapi_extensions={"security": [{KEY: []}]},
    )
    app.config["MAX_CONTENT_LENGTH"] = _LARGEST_REQUEST
    app.extensions["steady_tally_engine"] = engine
    app.extensions["steady_tally_queue"] = queue
    answer_with_problems(app)
    pace(app)
    guard(app, port)
    clean(app)
    app.json.sort_keys = False
    for api in (
        studies.api,
        plans.api,
        gather.api,
        looking.api,
        place.api,
        measure.api,
        sure.api,
        classes.api,
        outcomes.api,
        show.api,
        overlays.api,
        earlier.api,
        figures.api,
        handed.api,
        keeping.api,
        sessions.api,
        jobs.api,
    ):
        app.register_api(api)
    app.register_blueprint(pages.pages)
    return app
