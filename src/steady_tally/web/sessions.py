"""Who is in: how many sessions there are, under which name the page has one to itself, and ending all."""

from __future__ import annotations

from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.store.database import data_folder
from steady_tally.store.keys import end_sessions, open_sessions, own_host
from steady_tally.web.access import Right, needs
from steady_tally.web.studies import answer

api = APIBlueprint("sessions", __name__, url_prefix="/api", abp_tags=[Tag(name="sessions")])


class SessionsView(BaseModel):
    count: int = Field(description="Browsers and programs that have taken a key, this one among them.")
    own_address: str = Field(description="Where the browser shows its session to this page alone.")
    at_own_address: bool


class Ended(BaseModel):
    ended: int


@api.get("/sessions", summary="How many sessions there are", responses={"200": SessionsView})
@needs(Right.READ)
def sessions() -> Response:
    name, _, port = request.host.rpartition(":")
    own = own_host(data_folder())
    return answer(
        SessionsView(
            count=open_sessions(data_folder()), own_address=f"http://{own}:{port}/", at_own_address=name == own
        )
    )


@api.delete("/sessions", summary="End all sessions, this one too", responses={"200": Ended})
@needs(Right.CHANGE, when_full=True)
def end_all() -> Response:
    return answer(Ended(ended=end_sessions(data_folder())))
