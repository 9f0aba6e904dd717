"""Which areas belong together? One file a method; `breaks.py` assigns values to classes and says how good they are."""
