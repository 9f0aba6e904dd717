"""Computation only: arrays in, arrays out.

No Flask, no database, no files, no logging of data, no clock, no unseeded randomness. One package a stage
(`gather`, `place`, `measure`, `classes`, `show`); `plan` fixes the choices, `chain.py` chains the stages, `fold.py`
does so over pieces of the events, `ledger.py` holds the balance. Start reading at `chain.py`.
"""
