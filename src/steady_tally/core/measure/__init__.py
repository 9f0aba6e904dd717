"""The third stage: how much, per what? One file a measure, registered here.

Start with `quotient.py`, the sum as it is written on paper, and `terms/`, what can stand in it. `formula.py` is a sum
that the user writes out, in the language of `expression.py` with the words of `names.py`; `category.py` says a word of
each area. `values.py` holds what comes out, `tally.py` and `time.py` what goes in.

How sure a figure is: `chance.py`, `bootstrap.py`, `sure.py`, `funnel.py`. What makes areas comparable: `smoothing.py`,
`comparable.py`, `groups.py`, `pooled.py`, `against.py`. What must not be shown: `hiding.py`.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from steady_tally.core.measure.category import Category
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.quotient import Quotient

Measure = Annotated[Quotient | Formula | Category, Field(discriminator="kind")]
