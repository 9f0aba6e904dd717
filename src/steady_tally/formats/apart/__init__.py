"""Foreign files, read in a process apart: one that has no network, cannot start another and cannot exhaust the machine.

`asking` is what others call. It hands the file to `server`, a small process that forks a reader for each file; the
reader is confined by `confine`, does what `reading` says, and answers in frames of JSON and Arrow (`frames`), from
which nothing can be run.
"""
