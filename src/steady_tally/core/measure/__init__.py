"""The third stage: how much, per what? One file a measure, registered here.

Start with `quotient.py`, the sum as it is written on paper, and `terms/`, what can stand in it. `values.py` holds what
comes out, `chance.py` how sure it is, `tally.py` and `time.py` what goes in.
"""

from __future__ import annotations

from steady_tally.core.measure.quotient import Quotient

Measure = Quotient
