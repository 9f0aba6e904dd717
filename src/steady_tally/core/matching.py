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

import numpy as np
from rapidfuzz import fuzz, process

Progress = Callable[[int, int], None]
How = Literal["accepted", "exact", "tidied", "brackets", "affix", "lost zeros"]
_DOUBTFUL: tuple[How, ...] = ("brackets", "affix", "lost zeros", "tidied")
_SUGGEST_FROM = 70.0
_CARRIED_BY = 0.8
_ABSENT_BELOW = 0.2
_ALL_PAIRS = 1_000_000  # up to here every left-over spelling is compared with every target
_RUNS = 10
_SHORTLIST = 40


@dataclass(frozen=True)
class Matches:
    """What was joined and what was left.

    Attributes
    ----------
    joined : spelling -> (position among the targets, how it was found).
    left_over : the spellings without a target, in the order given.
    unused : the positions of the targets that no spelling was joined to.
    suggestions : left-over spelling -> positions of the targets most like it, best first.
    likeness : for each of these how like it is, up to 100.
    otherwise : what was joined though it is spelt otherwise, the most doubtful first: spelling and target.
    """

    joined: Mapping[str, tuple[int, How]]
    left_over: tuple[str, ...]
    unused: tuple[int, ...]
    suggestions: Mapping[str, tuple[int, ...]]
    likeness: Mapping[str, tuple[float, ...]]
    otherwise: tuple[tuple[str, str], ...] = ()


def match_names(
    spellings: Iterable[str],
    targets: Sequence[str],
    *,
    accepted: Mapping[str, int] | None = None,
    suggest_taken: bool = False,
    suggest: bool = True,
    on_progress: Progress | None = None,
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
    different = dict.fromkeys(spellings)
    wanted = [s for s in different if s]
    joined: dict[str, tuple[int, How]] = {
        s: (position, "accepted") for s, position in (accepted or {}).items() if s and s in different
    }
    strip_spelling, strip_target = _affixes([_whole(s) for s in wanted], [_whole(t) for t in targets])
    steps: list[tuple[How, Callable[[str], str], Callable[[str], str]]] = [
        ("exact", lambda s: s, lambda t: t),
        ("tidied", _whole, _whole),
        ("brackets", tidy, tidy),
        ("affix", lambda s: strip_spelling(_whole(s)), lambda t: strip_target(_whole(t))),
        ("lost zeros", lambda s: _no_zeros(strip_spelling(_whole(s))), lambda t: _no_zeros(strip_target(_whole(t)))),
    ]
    for how, of_spelling, of_target in steps:
        forms = [of_target(t) for t in targets]
        times = Counter(forms)
        at = {form: position for position, form in enumerate(forms) if form and times[form] == 1}
        found = {s: at[form] for s in wanted if s not in joined and (form := of_spelling(s)) in at}
        if how == "brackets":
            found = _without_brackets(found, targets, {position for position, _ in joined.values()})
        joined |= {s: (position, how) for s, position in found.items()}
    taken = {position for position, _ in joined.values()}
    left_over = tuple(s for s in wanted if s not in joined)
    unused = tuple(p for p in range(len(targets)) if p not in taken)
    suggested = range(len(targets)) if suggest_taken else unused
    best = _suggest(left_over, suggested, targets, on_progress) if suggest else {}
    like = {s: tuple(score for _, score in found) for s, found in best.items()}
    otherwise = tuple(
        (s, targets[position]) for how in _DOUBTFUL for s, (position, way) in joined.items() if way == how
    )
    best_of = {s: tuple(p for p, _ in found) for s, found in best.items()}
    return Matches(joined, left_over, unused, best_of, like, otherwise)


def said_otherwise(pairs: Sequence[tuple[str, str]], most: int = 5) -> str:
    """The first of those that are spelt otherwise, for a glance.

    >>> said_otherwise([("Tarn (part)", "Tarn")])
    '“Tarn (part)” as “Tarn”'
    """
    some = "; ".join(f"“{s}” as “{t}”" for s, t in pairs[:most])
    return some + (f" … ({len(pairs):,} in all)" if len(pairs) > most else "")


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


def _whole(text: str) -> str:
    """The text without accents, case and punctuation, with what stands in brackets."""
    return tidy(f"{text} .")


def _without_brackets(found: Mapping[str, int], targets: Sequence[str], taken: set[int]) -> dict[str, int]:
    """Of spellings that are a target but for what stands in brackets those that can be no other: one of the two has no
    brackets, and nothing else is spelt so that it could be that target."""
    claims = Counter(found.values())
    return {
        s: position
        for s, position in found.items()
        if claims[position] == 1 and position not in taken and not (_in_brackets(s) and _in_brackets(targets[position]))
    }


def _in_brackets(text: str) -> bool:
    return _whole(text) != tidy(text)


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


def _suggest(
    left_over: Sequence[str],
    unused: Sequence[int],
    targets: Sequence[str],
    on_progress: Progress | None,
) -> dict[str, list[tuple[int, float]]]:
    """For each left-over spelling the targets that are most like it, and how like each is."""
    choices = {position: tidy(targets[position]) for position in unused}
    some = _Trigrams(choices) if len(left_over) * len(unused) > _ALL_PAIRS else None
    found: dict[str, list[tuple[int, float]]] = {}
    for number, s in enumerate(left_over):
        if on_progress and number % 256 == 0:
            on_progress(number, len(left_over))
        text = tidy(s)
        among = some.nearest(text) if some else choices
        best = process.extract(text, among, scorer=fuzz.token_sort_ratio, limit=3, score_cutoff=_SUGGEST_FROM)
        if best:
            found[s] = [(position, float(score)) for _, score, position in best]
    return found


class _Trigrams:
    """Texts by the runs of three letters in their words: of many texts only those that share rare runs are compared."""

    def __init__(self, texts: Mapping[int, str]) -> None:
        self._texts = texts
        self._at = list(texts)
        where: dict[str, list[int]] = {}
        for number, position in enumerate(self._at):
            for run in _runs(texts[position]):
                where.setdefault(run, []).append(number)
        self._where = {run: np.array(numbers, dtype=np.int64) for run, numbers in where.items()}

    def nearest(self, text: str) -> dict[int, str]:
        """The texts that share the most of its rarest runs."""
        known = sorted((w for run in _runs(text) if (w := self._where.get(run)) is not None), key=len)[:_RUNS]
        if not known:
            return {}
        numbers, times = np.unique(np.concatenate(known), return_counts=True)
        best = numbers[np.argsort(-times, kind="stable")[:_SHORTLIST]]
        return {self._at[n]: self._texts[self._at[n]] for n in best.tolist()}


def _runs(text: str) -> set[str]:
    return {f" {word} "[i : i + 3] for word in text.split() for i in range(len(word))}
