"""Foreign files, read in a sandbox: a process that sees its file, the libraries, and nothing else of the machine.

`asking` is what others call. Each file has a reader of its own, a process in the enclosure that `enclosure` builds (a
file system, a network and processes of its own). `reader` gives up by `confine` what is left (system calls but those
named, memory, time) before it opens the file, reads, and answers in frames of JSON and Arrow (`frames`), from which
nothing can be run.
"""
