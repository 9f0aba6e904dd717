"""What can stand in a sum, above the line or below: one file a kind, registered here."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from steady_tally.core.measure.terms.diversity import OfDiversity
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.figure import OfColumn
from steady_tally.core.measure.terms.ground import OfGround
from steady_tally.core.measure.terms.persons import OfPersons
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.whole import OfWhole

Numerator = Annotated[OfEvents | OfPersons | OfColumn | OfDiversity | FromTable | OfGround, Field(discriminator="kind")]
Denominator = Annotated[OfEvents | OfPersons | OfColumn | FromTable | OfGround | OfWhole, Field(discriminator="kind")]
