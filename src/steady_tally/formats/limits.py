"""How much a file may hold, so that no file can exhaust the machine."""

import os

LARGEST_EXPANDED = 8 << 30
"""Bytes that a packed text file may unpack to; it is read a block at a time."""

MOST_COLUMNS = 2_000
"""Columns of a table."""

MOST_GUESSED = 256 << 20
"""Bytes of a text, unpacked, from which its encoding is guessed; that the rest is in it is seen when that is read."""

MOST_CORNERS = 20_000_000
"""Corners of a TopoJSON's shapes, each counted as often as a shape has it."""

LARGEST_ARCHIVE = 1 << 30
"""Bytes that the members of an archive may unpack to together."""

MOST_MEMBERS = 200
"""Members of an archive."""

MOST_CELLS = 5_000_000
"""Cells of a worksheet, blank ones within its extent among them."""

READER_MEMORY = min(6 << 30, max(2 << 30, os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // 4))
"""Bytes of address space for a process that reads a foreign file: two looks and two imports at once have what the
machine has."""

READER_SECONDS = 1_800
"""Processor time for it."""

READER_LARGEST_FILE = 2 << 30
"""Bytes of a file that it may write: what an archive holds is unpacked beside it."""

READER_FILES = 64
"""Files that it may have open."""

READER_FOLDER = (1 << 30) + (64 << 20)
"""Bytes of its own folder for passing files: an archive that is unpacked, and a little beside it."""

LOOK_SECONDS = 20.0
"""How long a look into a file may take, by the clock."""

MOST_SHAPES = 5_000_000
"""Rows with a shape that are held at once."""

LARGEST_PIECE = 1 << 30
"""Bytes of the rows of a table that are handed on at once."""
