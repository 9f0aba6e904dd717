"""A first plan for files that nobody has planned with yet.

`taking` says what each file is taken for when all are looked at together, `first` makes the plan of what came in, with
`cells` for a grid and `settling` for what must not change by itself later. `needed` is about plans that there are.
"""
