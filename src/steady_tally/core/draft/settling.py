"""What is found when a plan is first saved and must not change by itself: its projection, and centuries."""

from __future__ import annotations

from collections.abc import Callable

from steady_tally.core.chain import Chain
from steady_tally.core.errors import SteadyTallyError
from steady_tally.core.place.projecting import fixed_projection
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.place import Grid
from steady_tally.core.plan.whole import Plan
from steady_tally.core.sources import Sources

ChainOf = Callable[[Plan], Chain]


def settled(plan: Plan, chain_of: ChainOf) -> Chain:
    """The chain of the plan with its working projection, so that next month gives the same cells, and the century of
    years of two figures. A plan that cannot be worked out stays as it is: opening it says what is wrong."""
    chain = chain_of(plan)
    events = {name: _with_century(chain.sources, one) for name, one in plan.gather.events.items()}
    if events != plan.gather.events:
        plan = plan.model_copy(update={"gather": plan.gather.model_copy(update={"events": events})})
        chain = chain_of(plan)
    if plan.place.projection.system or plan.place.projection.centre:
        return chain
    try:
        looked = [chain.looked(name) for name in events]
        projection = fixed_projection(chain.zones, looked, cells=isinstance(plan.place.areas, Grid))
    except SteadyTallyError:
        return chain
    place = plan.place.model_copy(update={"projection": projection})
    return chain_of(plan.model_copy(update={"place": place}))


def _with_century(sources: Sources, events: Events) -> Events:
    time = events.time
    year = sources.tables[events.source].year if events.source in sources.tables else None
    if time is None or time.latest_year is not None or year is None:
        return events
    return events.model_copy(update={"time": time.model_copy(update={"latest_year": year})})
