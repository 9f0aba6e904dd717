"""`python -m steady_tally.cli`."""

from steady_tally.cli import main

main(prog_name="steady-tally")
