"""Starting and stopping: a private PostgreSQL, the worker and the web server under one supervisor.

Start reading at `supervisor.py`.
"""
