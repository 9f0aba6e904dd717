"""The one hierarchy of errors: each says what is wrong, where, and what to do.

The command line prints the sentence; the web layer turns it into a problem document (RFC 9457).
"""

_STAGES = ("gather", "place", "measure", "class", "show")


class SteadyTallyError(Exception):
    """Something the user can put right.

    Parameters
    ----------
    what : one sentence that says what is wrong.
    where : the file, line, column, area or plan entry.
    todo : what the user can do about it.
    """

    kind = "problem"

    def __init__(self, what: str, *, where: str = "", todo: str = "") -> None:
        self.what = what
        self.where = where
        self.todo = todo
        super().__init__(self.sentence)

    @property
    def sentence(self) -> str:
        """The whole message in one line: where, what, what to do."""
        head = f"{self.where}: {self.what}" if self.where else self.what
        return f"{head} {self.todo}".strip()

    @property
    def stage(self) -> str:
        """The stage of the plan at which it is put right; empty where it is at none."""
        return next((stage for stage in _STAGES if self.where.startswith(f"plan: {stage}")), "")


class PlanError(SteadyTallyError):
    """The plan asks for something that cannot be."""

    kind = "plan"


class SourceError(SteadyTallyError):
    """A file or a source cannot be read as what it is said to be."""

    kind = "source"


class TookTooLong(SourceError):
    """Looking into a file was stopped, since it took longer than is waited."""

    kind = "too-long"


class OutOfBalance(SteadyTallyError):
    """The ledger does not balance. This is a fault of the program, never of the data."""

    kind = "ledger"


class SetUpError(SteadyTallyError):
    """The machine lacks something the application needs: a folder, a port, a program."""

    kind = "set-up"


class NotFound(SteadyTallyError):
    """There is no such study, source, plan or job."""

    kind = "not-found"


class Conflict(SteadyTallyError):
    """Somebody else changed it first, or it is already there."""

    kind = "conflict"
