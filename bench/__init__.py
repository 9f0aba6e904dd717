"""Measurements as ratios within one run: `python -m bench` prints them all, `python -m bench WORD` those that match.

These machines are noisy, so a figure is never a time alone but a time over that of something well known, measured
beside it: the best of several tries each, taken in turns.
"""
