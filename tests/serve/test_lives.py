"""Whatever stops is started again: at once after a while of health, later and later where it keeps stopping."""

from hypothesis import given
from hypothesis import strategies as st

from steady_tally.serve.supervisor import _HEALTHY_S, _LONGEST_PAUSE_S, _MOST_DEATHS, Lives


def restarted(lives: Lives, died: float) -> float:
    """When it is started after it was seen to have stopped, looked at twice a second."""
    now = died
    while not lives.may_start(now):
        now += 0.5
    lives.begun(now)
    return now


@given(st.lists(st.floats(_HEALTHY_S + 0.1, 10_000.0), min_size=1, max_size=30))
def test_what_was_healthy_in_between_is_started_at_once_however_often_it_stops(spans):
    lives, now = Lives(), 0.0
    lives.begun(now)
    for span in spans:
        died = now + span
        now = restarted(lives, died)
        assert (now, lives.deaths) == (died, 1)


@given(st.lists(st.floats(0.0, _HEALTHY_S - 0.1), min_size=2, max_size=20))
def test_pauses_grow_and_are_bounded(spans):
    lives, now = Lives(), 0.0
    lives.begun(now)
    waited = []
    for span in spans:
        died = now + span
        now = restarted(lives, died)
        waited.append(now - died)
    assert all(later >= sooner - 1e-6 for sooner, later in zip(waited, waited[1:], strict=False))
    assert waited[0] == 0.0
    assert max(waited) <= _LONGEST_PAUSE_S + 0.5
    assert lives.deaths == len(spans)


def test_three_crashes_in_eighty_seconds_do_not_end_it():
    lives, now = Lives(), 0.0
    lives.begun(now)
    for died in (20.0, 45.0, 79.0):
        now = restarted(lives, max(died, now))
        assert lives.deaths <= _MOST_DEATHS
