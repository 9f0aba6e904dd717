"""What stands in an SQLite file, before anything else opens it: the vector library's SQLite knows tables that are other
files, and functions that read them.

The standard library's SQLite has none of these. It reads the schema, and compiles what every view asks for without
asking it, while its authorizer says what that reaches.
"""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from steady_tally.core.errors import SourceError

_MOST_ENTRIES, _LONGEST, _MOST_VIEWS = 4_000, 100_000, 100
_NAME = r"(?:\"(?:[^\"]|\"\")+\"|\[[^\]]+\]|`[^`]+`|\w+)"
_TABLE = re.compile(rf"CREATE TABLE (?:IF NOT EXISTS )?{_NAME}\s*\(", re.IGNORECASE)
_RTREE = re.compile(
    rf"CREATE VIRTUAL TABLE (?:IF NOT EXISTS )?{_NAME}\s+USING\s+\"?rtree\"?\s*\((?:\s*{_NAME}\s*,)*\s*{_NAME}\s*\)\s*",
    re.IGNORECASE,
)
_GENERATED = (2, 3)  # in table_xinfo: a column that is worked out whenever it is read
# What a view may do with what it reads; none of these looks anywhere else.
_FUNCTIONS = frozenset(
    {
        "abs", "avg", "cast", "coalesce", "count", "date", "datetime", "format", "glob", "hex", "ifnull", "iif",
        "instr", "julianday", "length", "like", "lower", "ltrim", "max", "min", "nullif", "printf", "quote", "replace",
        "round", "row_number", "rtrim", "strftime", "substr", "substring", "sum", "time", "total", "trim", "typeof",
        "upper",
    }
)  # fmt: skip


def check_schema(path: Path, where: str) -> None:
    """SourceError where a file holds anything but plain tables, spatial indexes and views over these."""
    try:
        with closing(sqlite3.connect(f"file:{quote(str(path.resolve()))}?mode=ro&immutable=1", uri=True)) as file:
            file.execute("PRAGMA trusted_schema = OFF")
            _check(file, where)
    except sqlite3.Error:
        raise SourceError(
            "its tables cannot be read: it is torn, or what it says of them is not true.",
            where=where,
            todo="Open it in the program that it comes from, and save it again.",
        ) from None


def _check(file: sqlite3.Connection, where: str) -> None:
    entries = file.execute("SELECT type, name, sql FROM sqlite_master LIMIT ?", (_MOST_ENTRIES + 1,)).fetchall()
    if len(entries) > _MOST_ENTRIES or any(len(sql or "") > _LONGEST for *_, sql in entries):
        raise SourceError(
            f"it has more than {_MOST_ENTRIES:,} tables and indexes, or one that is described without end.",
            where=where,
            todo="Save the table that is wanted in a file of its own.",
        )
    tables, views = set[str](), list[str]()
    for kind, name, sql in entries:
        match kind:
            case "table" if _TABLE.match(sql or "") or _RTREE.fullmatch(sql or ""):
                tables.add(str(name).lower())
            case "view":
                views.append(str(name))
            case "index" | "trigger":  # they come into play when something is written, which nothing is
                pass
            case _:
                raise _refused(str(name), "is none of the file's own: what it holds lies elsewhere", where)
    if len(views) > _MOST_VIEWS:
        raise SourceError(
            f"it has more than {_MOST_VIEWS:,} views.", where=where, todo="Save what is wanted as a table of its own."
        )
    for name in sorted(tables):
        columns = file.execute("SELECT name, hidden FROM pragma_table_xinfo(?)", (name,))
        if any(hidden in _GENERATED for _, hidden in columns):
            raise _refused(name, "has columns that are worked out when they are read", where)
    _check_views(file, views, tables | {v.lower() for v in views}, where)


def _check_views(file: sqlite3.Connection, views: list[str], known: set[str], where: str) -> None:
    """What each view reaches, which its compiling tells."""
    refused: list[str] = []

    def allowed(action: int, first: str | None, second: str | None, *_: str | None) -> int:
        match action:
            case sqlite3.SQLITE_SELECT:
                return sqlite3.SQLITE_OK
            case sqlite3.SQLITE_READ if (first or "").lower() in known:
                return sqlite3.SQLITE_OK
            case sqlite3.SQLITE_FUNCTION if (second or "").lower() in _FUNCTIONS:
                return sqlite3.SQLITE_OK
            case sqlite3.SQLITE_RECURSIVE:
                refused.append("asks itself again and again")
            case sqlite3.SQLITE_FUNCTION:
                refused.append(_works_with(second or ""))
            case _:
                refused.append("reaches beyond the tables of the file")
        return sqlite3.SQLITE_DENY

    file.set_authorizer(allowed)
    for view in views:
        try:
            quoted = view.replace('"', '""')
            file.execute(f'EXPLAIN SELECT * FROM "{quoted}"').close()
        except sqlite3.Error as error:
            if unknown := re.fullmatch(r"(?:no such function: |unsafe use of )(\w+)(?:\(\))?", str(error)):
                refused.append(_works_with(unknown[1]))
            why = refused[0] if refused else "asks for something that is not in the file, or for itself"
            raise _refused(view, why, where) from None


def _works_with(function: str) -> str:
    return f"works with “{function}”, which is not known to stay in the file"


def _refused(name: str, why: str, where: str) -> SourceError:
    return SourceError(
        f"its table “{name}” {why}.",
        where=where,
        todo="Save what is wanted as a plain table of its own, from the program that it comes from.",
    )
