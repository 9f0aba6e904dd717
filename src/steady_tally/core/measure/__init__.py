"""The third stage: how much, per what? One file a measure, registered here.

Start with `kind.py`, what a measure can be asked, and `rate.py`, the commonest one. `values.py` holds what comes out,
`chance.py` how sure it is, `tally.py` and `time.py` what goes in, `under/` what can be divided by.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from steady_tally.core.measure.count import Count
from steady_tally.core.measure.rate import Rate
from steady_tally.core.measure.share import Share

Measure = Annotated[Count | Rate | Share, Field(discriminator="kind")]
