"""How much a file may hold, so that no file can exhaust the machine."""

LARGEST_EXPANDED = 8 << 30
"""Bytes that a packed text file may unpack to; it is read a block at a time."""

MOST_COLUMNS = 2_000
"""Columns of a table."""

LARGEST_ARCHIVE = 1 << 30
"""Bytes that the members of an archive may unpack to together."""

MOST_MEMBERS = 200
"""Members of an archive."""

MOST_CELLS = 5_000_000
"""Cells of a worksheet, blank ones within its extent among them."""

WORKBOOK_MEMORY = 3 << 30
"""Bytes of address space for the process that reads a workbook."""

WORKBOOK_SECONDS = 120
"""Processor time for it."""

READER_MEMORY = 6 << 30
"""Bytes of address space for a process that reads a foreign file."""

READER_SECONDS = 1_800
"""Processor time for it."""

READER_LARGEST_FILE = 2 << 30
"""Bytes of a file that it may write: what an archive holds is unpacked beside it."""

READER_FILES = 64
"""Files that it may have open."""

MOST_SHAPES = 5_000_000
"""Rows with a shape that are held at once."""

LARGEST_PIECE = 1 << 30
"""Bytes of the rows of a table that are handed on at once."""
