"""Mirrors: two collections that are kept the same in chosen fields. Pure computation, without clock or I/O; what it promises
stands in docs/mirrors.md."""
