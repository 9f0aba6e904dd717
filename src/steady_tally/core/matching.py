"""Names and codes against names and codes: the same place spelt in two ways.

Each step looks only at what the steps before left over, and joins two spellings only where the step's form is unique
among the targets. Suggestions are never accepted without the user's word.
"""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from rapidfuzz import fuzz, process

How = Literal["accepted", "exact", "tidied", "affix", "lost zeros"]
_SUGGEST_FROM = 70.0
_CARRIED_BY = 0.8
_ABSENT_BELOW = 0.2


@dataclass(frozen=True)
class Matches:
    """What was joined and what was left.

    Attributes
    ----------
    joined : spelling -> (position among the targets, how it was found).
    left_over : the spellings without a target, in the order given.
    unused : the positions of the targets that no spelling was joined to.
    suggestions : left-over spelling -> positions of the targets most like it, best first.
    """

    joined: Mapping[str, tuple[int, How]]
    left_over: tuple[str, ...]
    unused: tuple[int, ...]
    suggestions: Mapping[str, tuple[int, ...]]


def match_names(
    spellings: Iterable[str],
    targets: Sequence[str],
    *,
    accepted: Mapping[str, int] | None = None,
    suggest_taken: bool = False,
    suggest: bool = True,
) -> Matches:
    """Join each distinct spelling to at most one target.

    Parameters
    ----------
    spellings : as they stand in the table or the record; blanks are passed over.
    targets : the areas' names or codes.
    accepted : spelling -> position of its target, by the user's word.
    suggest : say which targets are most like what is left over, which is the longest part of the work.
    suggest_taken : suggest targets too that other spellings were joined to: many records have the same street.
    """
    wanted = [s for s in dict.fromkeys(spellings) if s]
    joined: dict[str, tuple[int, How]] = {
        s: (position, "accepted") for s, position in (accepted or {}).items() if s in wanted
    }
    strip_spelling, strip_target = _affixes([tidy(s) for s in wanted], [tidy(t) for t in targets])
    steps: list[tuple[How, Callable[[str], str], Callable[[str], str]]] = [
        ("exact", lambda s: s, lambda t: t),
        ("tidied", tidy, tidy),
        ("affix", lambda s: strip_spelling(tidy(s)), lambda t: strip_target(tidy(t))),
        ("lost zeros", lambda s: _no_zeros(strip_spelling(tidy(s))), lambda t: _no_zeros(strip_target(tidy(t)))),
    ]
    for how, of_spelling, of_target in steps:
        forms = [of_target(t) for t in targets]
        times = Counter(forms)
        at = {form: position for position, form in enumerate(forms) if form and times[form] == 1}
        for s in wanted:
            if s not in joined and (form := of_spelling(s)) in at:
                joined[s] = (at[form], how)
    taken = {position for position, _ in joined.values()}
    left_over = tuple(s for s in wanted if s not in joined)
    unused = tuple(p for p in range(len(targets)) if p not in taken)
    suggested = range(len(targets)) if suggest_taken else unused
    return Matches(joined, left_over, unused, _suggest(left_over, suggested, targets) if suggest else {})


def quoted(spellings: Sequence[str], most: int = 5) -> str:
    """The first of them in quotation marks, and how many there are where that is not all.

    >>> quoted(["A", "B"])
    '“A”, “B”'
    """
    some = ", ".join(f"“{s}”" for s in spellings[:most])
    return some + (f" … ({len(spellings):,} in all)" if len(spellings) > most else "")


def tidy(text: str) -> str:
    """The text without bracketed tails, accents, case, punctuation and superfluous blanks.

    >>> tidy("  St. Órla’s  (part) ")
    'st orla s'
    """
    text = re.sub(r"\s*[(\[][^()\[\]]*[)\]]\s*$", "", text)
    text = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    return " ".join(re.sub(r"[\W_]+", " ", text.casefold()).split())


def _no_zeros(text: str) -> str:
    """Numbers in the text without leading zeros."""
    return re.sub(r"(?<!\d)0+(?=\d)", "", text)


def _affixes(spellings: Sequence[str], targets: Sequence[str]) -> tuple[Callable[[str], str], Callable[[str], str]]:
    """Functions that take off what one side carries everywhere and the other does not, in front and behind.

    An affix is a first or last word, or the letters in front of a code's figures. "Everywhere" leaves room for a few
    rows that are no places, such as totals.
    """

    def stripper(own: Sequence[str], other: Sequence[str]) -> Callable[[str], str]:
        found = []
        for pattern in (r"^[^\W\d]+ ", r" [^\W\d]+$", r"^[^\W\d]+(?=\d)"):
            seen = Counter(m.group() for t in own if (m := re.search(pattern, t)))
            for affix, times in seen.most_common(1):
                elsewhere = sum(bool((m := re.search(pattern, t)) and m.group() == affix) for t in other)
                if times >= _CARRIED_BY * len(own) and elsewhere < _ABSENT_BELOW * max(len(other), 1):
                    found.append((pattern, affix))

        def strip(text: str) -> str:
            for pattern, affix in found:
                if (m := re.search(pattern, text)) and m.group() == affix:
                    text = text[: m.start()] + text[m.end() :]
            return text

        return strip

    return stripper(spellings, targets), stripper(targets, spellings)


def _suggest(left_over: Sequence[str], unused: Sequence[int], targets: Sequence[str]) -> dict[str, tuple[int, ...]]:
    choices = {position: tidy(targets[position]) for position in unused}
    found = {
        s: process.extract(tidy(s), choices, scorer=fuzz.token_sort_ratio, limit=3, score_cutoff=_SUGGEST_FROM)
        for s in left_over
    }
    return {s: tuple(position for _, _, position in best) for s, best in found.items() if best}
