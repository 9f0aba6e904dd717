"""How much a file may hold, so that no file can exhaust the machine."""

LARGEST_EXPANDED = 8 << 30
"""Bytes that a packed text file may unpack to; it is read a block at a time."""

MOST_COLUMNS = 2_000
"""Columns of a table."""

LARGEST_ARCHIVE = 1 << 30
"""Bytes that the members of an archive may unpack to together."""

MOST_MEMBERS = 200
"""Members of an archive."""

WORKBOOK_MEMORY = 3 << 30
"""Bytes of address space for the process that reads a workbook."""

WORKBOOK_SECONDS = 120
"""Processor time for it."""
