"""How much, per what? Counts, denominators, and one value with a state for each area."""
