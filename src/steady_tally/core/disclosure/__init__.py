"""What may leave the house under a release rule, and what must be hidden so that nothing hidden follows from it.

`areas` hides areas, `table` the cells of the one further table that goes out with them, `family` says what is released
of a study at all and refuses the rest, `rounding` is what a rule does that rounds instead of hiding, `words` tells the
reader. Arrays in, arrays out; the chain asks, and nothing that is handed on is worked out from what is not released.
"""
