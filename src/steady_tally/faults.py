"""Logging what should not have happened: the kind of error and its place, never its text, which could hold a record."""

from __future__ import annotations

import logging


class Fault(Exception):
    """Stands in a log for an error of the named kind."""


def log_fault(log: logging.Logger, where: str, error: BaseException) -> None:
    """Log an unexpected error without its message."""
    kind = type(error).__name__
    log.error("unexpected %s in %s", kind, where, exc_info=(Fault, Fault(kind), error.__traceback__))
