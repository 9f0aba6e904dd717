"""Background work: the queue, its tasks, their progress. Start reading at `tasks.py`."""
