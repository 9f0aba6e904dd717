"""Results are kept within a bound on their bytes, and each is worked out once, however many ask at once."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.results.kept import Kept, size_of


def test_many_who_ask_at_once_wait_for_one_and_others_are_not_held_up():
    kept, done, gate = Kept(1 << 20), [], threading.Event()

    def work() -> int:
        done.append(1)
        gate.wait(10)
        return 7

    with ThreadPoolExecutor(8) as pool:
        asked = [pool.submit(kept, "slow", work) for _ in range(6)]
        assert pool.submit(kept, "quick", lambda: 3).result(5) == 3
        gate.set()
        assert [a.result(5) for a in asked] == [7] * 6
    assert done == [1]


def test_a_result_may_ask_for_another_and_one_that_failed_is_tried_again():
    kept, tries = Kept(1 << 20), []

    def fails() -> int:
        tries.append(1)
        raise ValueError("no")

    for _ in range(2):
        with pytest.raises(ValueError, match="no"):
            kept("outer", lambda: kept("inner", fails))
    assert len(tries) == 2
    assert kept("outer", lambda: kept("inner", lambda: 5) + 1) == 6
    assert len(kept) == 2


def test_the_least_used_go_first_once_the_bound_is_reached():
    kept = Kept(10 * 8_000)
    for i in range(9):
        kept(str(i), lambda i=i: np.full(1_000, i))
    kept("0", lambda: pytest.fail("it is still there"))
    for i in range(9, 12):
        kept(str(i), lambda i=i: np.full(1_000, i))
    assert len(kept) <= 10
    kept("0", lambda: pytest.fail("it was used just before"))
    assert kept("1", lambda: "anew") == "anew"
    huge = kept("huge", lambda: np.zeros(1_000_000))
    assert len(kept) == 1, "one that is too large alone is kept until the next"
    assert kept("huge", lambda: pytest.fail("kept")) is huge


@dataclass(frozen=True)
class Pair:
    a: np.ndarray
    b: object


def test_what_results_share_is_counted_once_and_sizes_are_about_right():
    array = np.zeros(100_000)
    seen: set[int] = set()
    assert size_of(Pair(array, array[5:]), seen) == pytest.approx(800_000, rel=0.01)
    assert size_of(Pair(array, None), seen) < 1_000
    assert size_of(pa.table({"x": array}), set()) == pytest.approx(800_000, rel=0.01)
    names = [f"a name of some length {i}" for i in range(50_000)]
    assert size_of(tuple(names), set()) == pytest.approx(50_000 * (8 + 49 + 27), rel=0.2)
    shapes = shapely.buffer(shapely.points(np.arange(2_000), 0.0), 0.4, quad_segs=16)
    assert size_of(shapes, set()) == pytest.approx(2_000 * 65 * 16, rel=0.2)


def test_a_race_of_many_threads_gives_everyone_the_same_result():
    kept = Kept(1 << 16)

    def ask(i: int) -> int:
        key = str(i % 5)
        return int(kept(key, lambda: time.sleep(0.001) or np.full(2_000, int(key)))[0])

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(ask, range(400))) == [i % 5 for i in range(400)]
