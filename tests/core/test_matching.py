"""Names and codes against names and codes."""

from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.matching import match_names, tidy

WARDS = ["Saint Órla", "Upper Quillmere", "Lower Quillmere", "Eel Wyke (part)", "Tarn-on-Sea"]


def test_each_step_joins_what_it_should_and_says_how():
    found = match_names(["Saint Órla", "UPPER QUILLMERE", "eel  wyke", "tarn on sea", "Quillmere"], WARDS)
    assert found.joined == {
        "Saint Órla": (0, "exact"),
        "UPPER QUILLMERE": (1, "tidied"),
        "eel  wyke": (3, "brackets"),
        "tarn on sea": (4, "tidied"),
    }
    assert found.left_over == ("Quillmere",)
    assert found.unused == (2,)


def test_brackets_are_taken_off_only_where_nothing_else_could_be_meant():
    """“Harrowick (West)” is not “Harrowick (East)”; nor is either the one Harrowick where both are named."""
    assert match_names(["Harrowick (West)"], ["Harrowick (East)", "Tarn"]).joined == {}
    assert match_names(["Harrowick (West)", "Harrowick (East)"], ["Harrowick", "Tarn"]).joined == {}
    assert match_names(["Harrowick (part)", "Harrowick"], ["Harrowick"]).joined == {"Harrowick": (0, "exact")}
    assert match_names(["Tarn"], ["Tarn (North)", "Tarn (South)"]).joined == {}
    found = match_names(["HARROWICK (EAST)", "Tarn (part)", "Sel"], ["Harrowick (East)", "Tarn", "SEL"])
    assert found.joined == {"HARROWICK (EAST)": (0, "tidied"), "Tarn (part)": (1, "brackets"), "Sel": (2, "tidied")}
    assert found.otherwise[0] == ("Tarn (part)", "Tarn"), "the most doubtful first"


def test_a_form_that_two_targets_share_joins_neither():
    assert match_names(["st ives"], ["St. Ives", "St Ives"]).joined == {}


def test_codes_find_their_lost_letters_and_zeros():
    found = match_names(["101", "205", "1411", "All wards"], ["Q0101", "Q0205", "Q1411", "Q0999"])
    assert {s: at for s, (at, _) in found.joined.items()} == {"101": 0, "205": 1, "1411": 2}


def test_words_that_one_side_carries_everywhere_are_taken_off():
    found = match_names(
        ["Tarn ward", "Sel ward", "Mar ward", "Hal ward", "Wen ward", "Total"], ["Tarn", "Sel", "Mar", "Hal", "Wen"]
    )
    assert [found.joined[s][0] for s in ("Tarn ward", "Sel ward", "Mar ward")] == [0, 1, 2]
    assert found.left_over == ("Total",)


def test_suggestions_are_offered_but_never_taken():
    found = match_names(["Quillmere, Upper", "Sa. Orla"], WARDS)
    assert found.joined == {}
    assert found.suggestions["Quillmere, Upper"][0] == 1
    assert match_names(["Sa. Orla"], WARDS, accepted={"Sa. Orla": 0}).joined == {"Sa. Orla": (0, "accepted")}


@given(st.lists(st.text(max_size=12), max_size=12), st.lists(st.text(max_size=12), max_size=12))
def test_every_spelling_is_joined_or_left_over(spellings, targets):
    found = match_names(spellings, targets)
    assert set(found.joined) | set(found.left_over) == {s for s in spellings if s}
    assert not set(found.joined) & set(found.left_over)
    for spelling, (position, how) in found.joined.items():
        assert how != "exact" or spelling == targets[position]


@given(st.text(max_size=30))
def test_tidying_twice_changes_nothing_more(text):
    once = tidy(text)
    assert tidy(once) == once or "(" in text or "[" in text
