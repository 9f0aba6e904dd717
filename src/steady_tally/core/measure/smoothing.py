"""Rates of small areas, drawn towards those of all areas or of their neighbours: the fewer events, the more.

Source: Marshall 1991, "Mapping disease and mortality rates using empirical Bayes estimators", Journal of the Royal
Statistical Society C 40, 283-294: the global estimator of section 2, and the local one of section 3, each by moments.
Shares are drawn likewise with the variance of a binomial count. What is drawn is then scaled by one factor so that all
areas together keep their rate (ratio benchmarking: Pfeffermann 2013, Statistical Science 28, 40-68, section 6.3).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal, assert_never

import numpy as np
import numpy.typing as npt

from steady_tally.core.errors import PlanError
from steady_tally.core.kernels import njit
from steady_tally.core.matching import quoted
from steady_tally.core.measure.chance import Beta, Binomial, Chance, Gamma, Poisson, Times
from steady_tally.core.measure.values import AreaValues, Step
from steady_tally.core.place.neighbours import Adjacency
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Towards = Literal["all", "neighbours"]
SAYS: dict[Towards, str] = {"all": "drawn towards all areas", "neighbours": "drawn towards their neighbours"}


@dataclass(frozen=True)
class Drawn:
    """
    Attributes
    ----------
    mean, variance : (areas,) of the values behind the areas' figures, by what is known of all or of the neighbours.
    value : (areas,) the drawn values, before they are scaled.
    mean_of : (areas,) the exposure behind each mean.
    spread : the variance of the values behind the figures of all areas.
    factor : what they are scaled by so that all areas together keep their rate.
    """

    mean: Floats
    variance: Floats
    value: Floats
    mean_of: Floats
    spread: float
    factor: float


def drawn(events: Floats, exposure: Floats, adjacency: Adjacency | None = None, *, share: bool = False) -> Drawn:
    """Draw rates towards that of all areas, or with an adjacency to that of each area and its neighbours.

    With m the rate of those areas, s2 the variance of theirs about m, weighted with their exposure, and n their mean
    exposure, the variance behind chance is a = s2 - m/n (0 where that is less), and a rate r of an area with exposure e
    becomes m + a / (a + m/e) (r - m): Marshall 1991, (4) to (8). Of a share chance has the variance m(1 - m)/n.

    Parameters
    ----------
    events, exposure : (areas,) exposure > 0; the rate is events / exposure.
    share : events are some of the exposure.
    """
    if len(events) == 0:
        return Drawn(events, events, events, events, 0.0, 1.0)
    whole = _moments(events, exposure, np.zeros(1, np.int64), np.arange(len(events)), share)
    if adjacency is None:
        mean, variance, of = (np.full(len(events), float(m[0])) for m in whole)
    else:
        start, to = _with_self(adjacency)
        mean, variance, of = _moments(events, exposure, start[:-1], to, share)
    rate = events / exposure
    chance = (mean * (1.0 - mean) - variance if share else mean) / exposure
    with np.errstate(invalid="ignore", divide="ignore"):
        part = np.where(variance > 0.0, variance / (variance + np.maximum(chance, 0.0)), 0.0)
    value = mean + part * (rate - mean)
    come_to = float((value * exposure).sum())
    factor = float(events.sum()) / come_to if come_to > 0.0 else 1.0
    return Drawn(mean, variance, value, of, float(whole[1][0]), factor)


def _with_self(adjacency: Adjacency) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """The neighbours of each area and the area itself."""
    areas = len(adjacency.start) - 1
    own = np.arange(areas)
    area = np.concatenate([np.repeat(own, adjacency.degree), own])
    to = np.concatenate([adjacency.to, own])[np.argsort(area, kind="stable")]
    return adjacency.start + np.arange(areas + 1), to


@njit(cache=True, nogil=True)
def _moments(events, exposure, first, to, share):  # type: ignore[no-untyped-def]
    """Of each group of areas the rate, the variance behind chance, and the exposure."""
    mean, variance, of = np.zeros(len(first)), np.zeros(len(first)), np.zeros(len(first))
    for i in range(len(first)):
        last = first[i + 1] if i + 1 < len(first) else len(to)
        n, e = 0.0, 0.0
        for k in range(first[i], last):
            n += events[to[k]]
            e += exposure[to[k]]
        m = n / e
        s2 = 0.0
        for k in range(first[i], last):
            away = events[to[k]] / exposure[to[k]] - m
            s2 += exposure[to[k]] * away * away
        s2 /= e
        each = e / (last - first[i])
        if share:
            chance = m * (1.0 - m) / each
            a = (s2 - chance) / (1.0 - 1.0 / each) if each > 1.0 else 0.0
            a = min(a, m * (1.0 - m))
        else:
            a = s2 - m / each
        mean[i], variance[i], of[i] = m, max(a, 0.0), e
    return mean, variance, of


def smoothed(found: AreaValues, towards: Towards, adjacency: Adjacency | None, names: tuple[str, ...]) -> AreaValues:
    """The values drawn, with what chance may have made of them; areas without a value have none and draw none.

    Parameters
    ----------
    adjacency : the neighbours, where values are drawn towards these.
    names : (areas,) what areas are called, for those without neighbours.

    Raises
    ------
    PlanError where the values are no rates or shares of counts.
    """
    at = np.flatnonzero(found.state == State.NUMBER)
    chance: Chance | None = found.chance
    by = 1.0
    if isinstance(chance, Times) and isinstance(chance.by, float):
        by, chance = chance.by, chance.of
    if not isinstance(chance, (Poisson, Binomial)) or found.term("under") is None:
        raise PlanError(
            "only rates and shares of events are drawn towards others.",
            where="plan: measure: smoothed",
            todo="Divide events by residents, by ground or by other events, or take the figures as they are.",
        )
    if isinstance(chance, Binomial):
        events, exposure, share = chance.hits[at].astype(np.float64), chance.of[at].astype(np.float64), True
        per = np.broadcast_to(np.asarray(chance.per, dtype=np.float64), found.value.shape)[at]
    else:
        events, exposure, share = chance.events[at].astype(np.float64), 1.0 / chance.each[at], False
        per = np.ones(len(at))
    inner = None if adjacency is None else _among(adjacency, at, len(found.value))
    got = drawn(events, exposure, inner, share=share)
    value = found.value.copy()
    value[at] = got.value * got.factor * per * by
    posterior = _posterior(got, exposure, share, per)
    notes = (*found.notes, *_said(got, inner, towards, [names[i] for i in at.tolist()] if inner is not None else []))
    before = found.steps or (Step("as counted", found.value, found.total),)
    return replace(
        found,
        value=value,
        chance=_Spread(posterior, at, len(value), got.factor * by),
        whole=False,
        steps=(*before, Step(SAYS[towards], value, found.total)),
        notes=notes,
    )


def _among(adjacency: Adjacency, at: npt.NDArray[np.int64], areas: int) -> Adjacency:
    """The neighbours among some of the areas, these numbered anew."""
    new = np.full(areas, -1, dtype=np.int64)
    new[at] = np.arange(len(at))
    own = np.repeat(new, adjacency.degree)
    to = new[adjacency.to]
    both = (own >= 0) & (to >= 0)
    counts = np.bincount(own[both], minlength=len(at))
    return Adjacency(np.concatenate([[0], np.cumsum(counts)]).astype(np.int64), to[both])


def _posterior(got: Drawn, exposure: Floats, share: bool, per: Floats) -> Chance:
    """Were the mean and the variance known: a gamma or beta distribution whose mean is the drawn value.

    A few neighbours that happen to be alike do not make an area's value certain: where they have no variance, that of
    all areas stands for it. Where these have none either, the mean is known as surely as all that it comes from says.
    """
    variance = np.where(got.variance > 0.0, got.variance, got.spread)
    with np.errstate(divide="ignore", invalid="ignore"):
        known = variance > 0.0
        if share:
            size = np.where(
                known, np.maximum(got.mean * (1.0 - got.mean) / variance - 1.0, 0.0) + exposure, got.mean_of
            )
            return Beta(got.value * size, (1.0 - got.value) * size, per)
        rate = np.where(known, got.mean / variance + exposure, got.mean_of)
        return Gamma(got.value * rate, rate)


@dataclass(frozen=True)
class _Spread:
    """What is known of some of the areas, times a factor; of the others nothing."""

    of: Chance
    at: npt.NDArray[np.int64]
    areas: int
    by: float

    def _all(self, some: Floats) -> Floats:
        found = np.full(self.areas, np.nan)
        found[self.at] = some
        return found

    def below(self, x: Floats) -> Floats:
        return self._all(self.of.below(x[self.at] / self.by))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        low, high = self.of.interval(level)
        return self._all(low * self.by), self._all(high * self.by)

    def p_value(self, x: Floats) -> Floats:
        return self._all(self.of.p_value(x[self.at] / self.by))

    @property
    def relative_error(self) -> Floats:
        return self._all(self.of.relative_error)


def _said(got: Drawn, adjacency: Adjacency | None, towards: Towards, names: list[str]) -> list[str]:
    """What the reader must know, in whole sentences."""
    if not got.value.any():
        return ["No area has an event: there is nothing to draw towards."]
    said = []
    match towards:
        case "all":
            if not got.variance.any():
                said.append(
                    "Areas differ by no more than chance would make them: each is drawn wholly to the rate of all."
                )
        case "neighbours":
            assert adjacency is not None
            if alone := [names[i] for i in adjacency.without.tolist()]:
                said.append(
                    f"{len(alone):,} areas have no neighbour with a value, and keep their own rate: {quoted(alone)}."
                )
        case _:
            assert_never(towards)
    if abs(got.factor - 1.0) >= 0.0005:
        said.append(f"Drawn rates are times {got.factor:.3f}, so that all areas together keep their rate.")
    return said
