"""Names for files."""

from __future__ import annotations

import re
import unicodedata


def file_stem(name: str) -> str:
    """A name for files: small letters, digits and hyphens alone.

    >>> file_stem("../Été 2024: thefts"), file_stem("…")
    ('ete-2024-thefts', 'file')
    """
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:80].strip("-") or "file"
