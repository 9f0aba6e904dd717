"""Compiled kernels are made anew where what they are made from has changed, and only there."""

import re
from pathlib import Path

import pytest

import steady_tally
from steady_tally.kernel_cache import made_from

KERNEL = '''"""A file."""

from steady_tally.core.kernels import njit
from steady_tally.core.states import State

_STEP = 3
_OTHER = 4


@njit(cache=True)
def moved(x):
    """So much farther."""
    return x + _STEP


def plain(x):
    return moved(x) * _OTHER
'''


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ('"""A file."""', '"""Another word for it."""'),
        ("_OTHER = 4", "_OTHER = 5"),
        ("_STEP = 3", "# in metres\n_STEP = 3"),
        ('    """So much farther."""\n', ""),
        ("* _OTHER", "+ _OTHER"),
    ],
)
def test_what_is_no_part_of_a_kernel_changes_nothing(before, after):
    assert before in KERNEL
    assert made_from(KERNEL.replace(before, after)) == made_from(KERNEL)


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("_STEP = 3", "_STEP = 4"),
        ("x + _STEP", "x - _STEP"),
        ("cache=True", "cache=True, fastmath=True"),
        ("x + _STEP", "x + State.NUMBER"),
    ],
)
def test_what_a_kernel_is_made_from_changes_it(before, after):
    assert made_from(KERNEL.replace(before, after)) != made_from(KERNEL)


def test_no_compiled_function_of_the_core_is_overlooked():
    there = 0
    for file in (Path(steady_tally.__file__).parent / "core").rglob("*.py"):
        text = file.read_text(encoding="utf-8")
        compiled = re.findall(r"^@njit\b[^\n]*\ndef (\w+)", text, re.MULTILINE)
        assert "njit(" not in re.sub(r"^@njit\(", "", text, flags=re.MULTILINE), f"{file.name} compiles in another way"
        found = made_from(text) if compiled else ""
        assert all(f"name='{name}'" in found for name in compiled), file.name
        there += len(compiled)
    assert there > 30
