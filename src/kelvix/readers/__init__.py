"""Reading what came from outside, in child processes that can be killed.

A file, a page or a message may be made to take a parser minutes, or all memory, by its mistakes or on purpose. So none is
parsed in a process that others wait for: each process that reads keeps a few children for it, with limits of memory and time.
`pool.py` is the parent's end, `child.py` the child's, `kinds.py` what can be read.
"""
