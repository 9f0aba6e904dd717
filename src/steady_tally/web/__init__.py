"""The Flask application: thin routes over `jobs`, `store` and `core`. Start reading at `app.py`.

Every route states the right that it needs (`access.py`); every error is a problem document (`problems.py`).
"""
