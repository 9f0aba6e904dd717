"""How far a result is can be asked for while it is worked out, and only then."""

import pytest

from steady_tally.results.underway import Step, step_of, underway


def test_a_step_stands_there_while_the_work_goes_on_and_is_gone_when_it_ends():
    with underway("a") as tell:
        assert step_of("a") is None
        tell("looking", 3, 10)
        assert step_of("a") == Step("looking", 3, 10)
        assert step_of("b") is None
    assert step_of("a") is None


def fail() -> None:
    with underway("a") as tell:
        tell("looking", 1, 2)
        raise ValueError("ended")


def test_nothing_is_left_of_work_that_fails():
    with pytest.raises(ValueError, match="ended"):
        fail()
    assert step_of("a") is None
