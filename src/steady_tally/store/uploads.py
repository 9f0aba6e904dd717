"""Files on their way in, and those that sources were read from: each upload a folder of its own in the data folder."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import uuid
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import BinaryIO

from sqlalchemy import Engine, text
from sqlmodel import Session, select

from steady_tally.core.errors import Conflict, NotFound, SourceError
from steady_tally.store.database import data_folder
from steady_tally.store.room import check_room
from steady_tally.store.tables import Source, Upload

_BLOCK = 1 << 20
_ID = re.compile("[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")
_LONGEST_NAME = 120
_STALE = timedelta(days=1)


@dataclass(frozen=True)
class Uploaded:
    """What lies there: the file to open, and what the user calls it."""

    path: Path
    name: str
    sha256: str
    byte_count: int


def receive(
    engine: Engine, study_id: uuid.UUID, upload_id: uuid.UUID, name: str, stream: BinaryIO, *, largest: int
) -> None:
    """Take in one file of an upload. SourceError where it is larger than is allowed; then nothing of it stays.

    Nothing that is there is touched until the whole file lies beside it: an upload of another study is not there for
    this one, and a file that a source was read from never changes.
    """
    with Session(engine) as session:
        _own(session, study_id, upload_id)
    folder = _folder(upload_id)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    path = folder / safe_name(name)
    partial = folder / f".{uuid.uuid4().hex}.part"
    try:
        digest, size = _write(partial, stream, name, largest)
        with Session(engine) as session:
            session.connection().execute(
                text("SELECT pg_advisory_xact_lock(hashtextextended(:id, 0))"), {"id": str(upload_id)}
            )
            upload = _own(session, study_id, upload_id) or Upload(id=upload_id, study_id=study_id, files=[])
            entry = {"name": name, "stored": path.name, "sha256": digest, "byte_count": size}
            upload.files = [f for f in upload.files if f["stored"] != path.name] + [entry]
            session.add(upload)
            session.flush()
            partial.rename(path)
            session.commit()
    finally:
        partial.unlink(missing_ok=True)


def _own(session: Session, study_id: uuid.UUID, upload_id: uuid.UUID) -> Upload | None:
    """The upload, where it is there; NotFound for another study's, Conflict where a source was read from it."""
    upload = session.get(Upload, upload_id)
    if upload is None:
        return None
    if upload.study_id != study_id:
        raise NotFound("there is no such upload in this study.")
    if session.exec(select(Source.id).where(Source.upload_id == upload_id).limit(1)).first() is not None:
        raise Conflict("this file was brought in already and never changes.", todo="Send the new one by itself.")
    return upload


def _write(to: Path, stream: BinaryIO, name: str, largest: int) -> tuple[str, int]:
    digest, size = hashlib.sha256(), 0
    with os.fdopen(os.open(to, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        while block := stream.read(_BLOCK):
            size += len(block)
            if size > largest:
                raise SourceError(
                    f"it is larger than the {largest >> 20:,} MB that this installation takes.",
                    where=f"file “{name}”",
                    todo="Divide it, or ask whoever runs the installation.",
                )
            digest.update(block)
            file.write(block)
    return digest.hexdigest(), size


def uploaded(engine: Engine, study_id: uuid.UUID, upload_id: uuid.UUID, *, verified: bool = True) -> Uploaded:
    """The file of an upload that is to be read: of a Shapefile's members, the .shp.

    What lies there is compared with what was received, so that a source's checksum is always that of the bytes it was
    read from; `verified` leaves that out where nothing is read.
    """
    with Session(engine) as session:
        upload = session.get(Upload, upload_id)
    if upload is None or upload.study_id != study_id or not upload.files:
        raise NotFound("this file is no longer here.", todo="Bring it in again.")
    files = sorted(upload.files, key=lambda f: (not f["stored"].lower().endswith(".shp"), f["stored"]))
    main = files[0]
    if len(files) > 1 and not main["stored"].lower().endswith(".shp"):
        raise SourceError(
            "these files belong to a Shapefile, but its .shp is not among them.",
            where=", ".join(f"“{f['name']}”" for f in files),
            todo="Choose all members together: .shp, .shx, .dbf, .prj and .cpg.",
        )
    path = _folder(upload_id) / main["stored"]
    for file in files:
        at = _folder(upload_id) / file["stored"]
        if not at.exists():
            raise NotFound("this file is no longer here.", todo="Bring it in again.")
        if verified and _sum_of(at) != file["sha256"]:
            raise SourceError(
                "it has changed since it was received.", where=f"file “{file['name']}”", todo="Bring it in again."
            )
    sums = (
        hashlib.sha256("".join(f["sha256"] for f in files).encode()).hexdigest() if len(files) > 1 else main["sha256"]
    )
    return Uploaded(path, main["name"], sums, sum(f["byte_count"] for f in files))


def discard_upload(engine: Engine, study_id: uuid.UUID, upload_id: uuid.UUID) -> None:
    """Remove an upload of this study that no source was read from."""
    with engine.begin() as connection:
        gone = connection.execute(
            text(
                "DELETE FROM upload u WHERE id = :id AND study_id = :study "
                "AND NOT EXISTS (SELECT 1 FROM source WHERE upload_id = u.id)"
            ),
            {"id": upload_id, "study": study_id},
        ).rowcount
    if gone:
        remove_files([upload_id])


def sweep_uploads(engine: Engine) -> int:
    """Remove uploads of more than a day ago that no source was read from. Returns how many."""
    with engine.begin() as connection:
        gone = (
            connection.execute(
                text(
                    "DELETE FROM upload u WHERE touched_at < now() - :stale "
                    "AND NOT EXISTS (SELECT 1 FROM source WHERE upload_id = u.id) RETURNING id"
                ),
                {"stale": _STALE},
            )
            .scalars()
            .all()
        )
    remove_files(gone)
    return len(gone)


def sweep_orphans(engine: Engine, data: Path) -> int:
    """Remove the folders of uploads that no row names, as a kill leaves them. Returns how many. Only while nobody sends
    or copies files: at a start."""
    folder = data / "uploads"
    with engine.connect() as connection:
        named = {str(i) for i in connection.execute(text("SELECT id FROM upload")).scalars()}
    ours = [f for f in folder.iterdir() if _ID.fullmatch(f.name)] if folder.is_dir() else []
    lost = [f for f in ours if f.name not in named]
    for one in lost:
        shutil.rmtree(one, ignore_errors=True)
    return len(lost)


def link_files(upload_id: uuid.UUID, other: uuid.UUID) -> None:
    """The same files under another upload: stored once where the file system can, and what never changes."""
    to = _folder(other)
    to.mkdir(parents=True, exist_ok=True, mode=0o700)
    for file in _folder(upload_id).iterdir():
        try:
            os.link(file, to / file.name)
        except OSError:
            check_room(file.stat().st_size, f"file “{file.name}”")
            shutil.copy2(file, to / file.name)


def remove_files(uploads: Iterable[uuid.UUID]) -> None:
    """Remove the folders of uploads that no row names any more."""
    for upload_id in uploads:
        shutil.rmtree(_folder(upload_id), ignore_errors=True)


def safe_name(name: str) -> str:
    """A name to store a file under: without slashes and control characters, not hidden, not too long."""
    bare = re.sub(r"[\x00-\x1f\x7f/\\:]", "_", name).lstrip(".").strip() or "file"
    stem, dot, ending = bare.rpartition(".")
    if not dot:
        stem, ending = bare, ""
    while len((stem + dot + ending).encode()) > _LONGEST_NAME and stem:
        stem = stem[:-1]
    return (stem + dot + ending.lower())[-_LONGEST_NAME:]


def _sum_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _folder(upload_id: uuid.UUID) -> Path:
    return data_folder() / "uploads" / str(upload_id)
