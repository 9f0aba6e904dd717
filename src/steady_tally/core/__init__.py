"""Computation only: arrays in, arrays out.

No Flask, no database, no files, no logging of data, no clock, no unseeded randomness. One package a stage
(`gather`, `place`, `measure`, `classes`, `show`); `plan.py` fixes the choices, `run.py` chains the stages,
`ledger.py` holds the balance. Start reading at `run.py`.
"""
