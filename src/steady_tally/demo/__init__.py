"""Made-up data with a known truth: the demo study Quillhaven, and wiggly lattices for benchmarks and tests.

Everything comes from a seed. Nothing here is real. Start reading at `quillhaven.py`.
"""
