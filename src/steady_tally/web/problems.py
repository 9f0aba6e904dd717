"""Every error as a problem document (RFC 9457). What the client sent is never echoed."""

from __future__ import annotations

import logging

from flask import Flask, Response, jsonify
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.exc import IntegrityError, NoResultFound, OperationalError
from sqlalchemy.orm.exc import StaleDataError
from werkzeug.exceptions import HTTPException

from steady_tally.core.errors import SteadyTallyError
from steady_tally.core.plan.mistakes import mistake
from steady_tally.faults import log_fault
from steady_tally.store.room import met_full_disk, says_full

_STATUS = {
    "plan": 422,
    "source": 422,
    "not-found": 404,
    "conflict": 409,
    "refused": 403,
    "locked": 401,
    "request": 422,
    "no-room": 507,
    "too-long": 422,
    "busy": 503,
}
_log = logging.getLogger(__name__)


_IN_EACH_OTHERS_WAY = ("40001", "40P01")  # PostgreSQL's documentation, appendix A
MET_ANOTHER = (
    "Something else was done to the same study at the same moment; this was not done. Look at what is there now, then "
    "do it again."
)


GONE = "What this is about has been removed in the meantime. Load the study again."


class Problem(BaseModel):
    """RFC 9457, section 3.1."""

    type: str = Field(description="Which kind of problem this is.")
    title: str
    status: int
    detail: str = Field(description="What is wrong, where, and what to do.")
    stage: str = Field("", description="The stage of the plan at which it is put right; empty where it is at none.")


def problem(kind: str, title: str, status: int, detail: str, stage: str = "") -> Response:
    said = Problem(type=f"/problems/{kind}", title=title, status=status, detail=detail, stage=stage)
    response = jsonify(said.model_dump())
    response.status_code = status
    response.content_type = "application/problem+json"
    return response


class Busy(SteadyTallyError):
    """As much is being done as is done at once: to be asked again in a moment."""

    kind = "busy"


def busy(error: Busy) -> Response:
    response = problem(error.kind, error.what, _STATUS[error.kind], error.sentence)
    response.headers["Retry-After"] = "1"
    return response


def invalid_request(error: ValidationError) -> Response:
    """What flask-openapi3 calls where a path, query or body does not fit its model."""
    mistakes = [
        f"{'.'.join(str(p) for p in one['loc']) or 'the whole'}: {mistake(one)}"
        for one in error.errors(include_url=False, include_input=False)
    ]
    return problem("request", "The request does not fit", 422, "; ".join(mistakes[:8]) + ".")


def no_room() -> Response:
    """Where a write has met a full disk, though there seemed to be room."""
    says = says_full() or "There was no room left on the disk for this. Make room, then try again."
    return problem("no-room", "There is no room on the disk", 507, says)


def answer_with_problems(app: Flask) -> None:
    """Turn everything that can go wrong into a problem document."""

    @app.errorhandler(SteadyTallyError)
    def ours(error: SteadyTallyError) -> Response:
        if isinstance(error, Busy):
            return busy(error)
        return problem(error.kind, error.what, _STATUS.get(error.kind, 500), error.sentence, error.stage)

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        detail = {
            400: "The request cannot be read. Send well-formed JSON.",
            404: "There is nothing at this address.",
            405: "This address does not answer to that method.",
            413: "The request is larger than this installation allows.",
            415: "Send JSON, with the content type application/json.",
        }.get(error.code or 500, error.name)
        return problem("http", error.name, error.code or 500, detail)

    @app.errorhandler(IntegrityError)
    def met_another(error: IntegrityError) -> Response:
        return problem("conflict", "Somebody else was faster", 409, MET_ANOTHER)

    @app.errorhandler(NoResultFound)
    @app.errorhandler(StaleDataError)
    def gone(error: NoResultFound | StaleDataError) -> Response:
        return problem("not-found", "It is gone", 404, GONE)

    @app.errorhandler(OperationalError)
    def no_database(error: OperationalError) -> Response:
        if getattr(error.orig, "sqlstate", None) in _IN_EACH_OTHERS_WAY:
            return problem("conflict", "Somebody else was faster", 409, MET_ANOTHER)
        log_fault(_log, "a request", error)
        if met_full_disk(error):
            return no_room()
        says = says_full() or "The database is starting again; nothing that was saved is lost. This takes a moment."
        response = problem("waiting", "The database is not there", 503, says)
        response.headers["Retry-After"] = "2"
        return response

    @app.errorhandler(OSError)
    def no_write(error: OSError) -> Response:
        return no_room() if met_full_disk(error) else anything(error)

    @app.errorhandler(Exception)
    def anything(error: Exception) -> Response:
        log_fault(_log, "a request", error)
        return problem("fault", "A fault of ours", 500, "Something failed here that should not. Please report it.")
