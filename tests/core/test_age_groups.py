"""Age groups as people write them: read by their numbers, open ends told by words of a dozen languages, or asked."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.measure.terms.age_groups import ages, between, untold

OPEN = [
    "85+", "85 and over", "85 or older", "85 und älter", "85 Jahre und mehr", "ab 85", "85 ans et plus", "85 y más",
    "85 anos e mais", "85 anni e oltre", "85 jaar en ouder", "85 år og eldre", "85 år och äldre", "85 lat i więcej",
    ">= 85", "≥ 85", "over 84", "> 84", "older than 84", "über 84", "plus de 84 ans", "más de 84",
]  # fmt: skip


@pytest.mark.parametrize("label", OPEN)
def test_a_group_that_is_open_at_its_top_is_read_in_a_dozen_languages(label):
    assert ages(label) == (85.0, math.inf)


@given(
    st.integers(0, 60),
    st.integers(0, 40),
    st.sampled_from(["{}-{}", "{} – {}", "{} to {}", "{} bis {} Jahre", "{} à {} ans"]),
)
def test_groups_between_two_ages_are_read_with_both_ends(first, more, form):
    assert ages(form.format(first, first + more)) == (float(first), float(first + more))


@pytest.mark.parametrize("label", ["85 perhaps", "group 3 of 7 and 9", "1990", "20-10", "about 40"])
def test_what_cannot_be_read_is_asked_about_and_never_passed_over(label):
    assert ages(label) is None
    assert untold([label, "all", "10-19"]) == [label]


def test_groups_make_up_a_span_or_say_why_they_do_not():
    def of(*labels):
        return [(label, ages(label)) for label in labels]

    assert between(of("60-64", "65-74", "75+", "65+"), 65, math.inf) == ["65-74", "75+"]
    assert "only in part" in between(of("60-69", "70+"), 65, math.inf)
    assert "from 75 to 79 are in no group" in between(of("65-74", "80+"), 65, math.inf)
    assert "overlap" in between(of("65-74", "70-79", "80+"), 65, math.inf)
