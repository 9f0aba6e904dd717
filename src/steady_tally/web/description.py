"""The description of the interface (OpenAPI 3.1): what every route has in common is said in one place."""

from __future__ import annotations

from typing import Any

from steady_tally.store.keys import cookie_name
from steady_tally.web.problems import Problem

KEY = "key"
BINARY = {"requestBody": {"required": True, "content": {"application/octet-stream": {}}}}
"""Of a route that takes a file as it is."""


def security_scheme(port: int) -> dict[str, Any]:
    """What a caller must have."""
    says = "The cookie that the address with a key, which ./start.sh prints, is exchanged for."
    return {KEY: {"type": "apiKey", "in": "cookie", "name": cookie_name(port), "description": says}}


def file_of(*kinds: str) -> dict[str, Any]:
    """The successful answers of a route that gives a file, or bulk, of one of these media types."""
    content = {kind: {"schema": {"type": "string", "format": "binary"}} for kind in kinds}
    return {"200": {"description": "OK", "content": content}}


def described(document: dict[str, Any]) -> dict[str, Any]:
    """The description with what may go wrong everywhere: any route may answer with a problem document (RFC 9457)."""
    schemas = document["components"]["schemas"]
    schemas["Problem"] = Problem.model_json_schema()
    what = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    document["components"]["responses"] = {
        "Problem": {"description": "What is wrong, and what to do.", "content": what}
    }
    wrong = {statuses: {"$ref": "#/components/responses/Problem"} for statuses in ("4XX", "5XX")}
    for operations in document["paths"].values():
        for operation in operations.values():
            well = {status: found for status, found in operation["responses"].items() if status.startswith("2")}
            operation["responses"] = well | wrong
    return document
