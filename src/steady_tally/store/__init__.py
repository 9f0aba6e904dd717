"""Records in PostgreSQL: studies, sources, plan versions, jobs, and the column chunks that hold events.

Start reading at `tables.py`; `chunks.py` is how columns go in and out.
"""
