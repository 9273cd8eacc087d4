"""Messages out of files: one message as .eml, or many as mbox (RFC 4155). Read from disk, a message at a time."""

from __future__ import annotations

from collections.abc import Iterator
from typing import IO

import re2

MAX_BYTES = 40 << 20  # of one message
BEGINS = re2.compile(rb"From \S+ .*\d{4}\s*$")  # the line before each message of an mbox
QUOTED = re2.compile(rb">+From ")
HEADER = re2.compile(rb"[!-9;-~]+[ \t]*:")


class Unreadable(ValueError):
    """The message is a sentence."""


def messages(file: IO[bytes]) -> Iterator[bytes]:
    """Yield the sources of a file's messages, in their order. Raises Unreadable, also on the way."""
    first = file.readline(10_000)
    if not first.strip():
        raise Unreadable("this file is empty, or begins with an empty line")
    if not BEGINS.match(first.rstrip(b"\r\n")):
        if not HEADER.match(first):
            raise Unreadable(
                "this is not a message or an mbox: a message begins with header lines, an mbox with a line “From …”"
            )
        yield _bounded(first + file.read(MAX_BYTES + 1))
        return
    lines: list[bytes] = []
    size, blank = 0, False
    while line := file.readline(MAX_BYTES + 1):
        if blank and BEGINS.match(line.rstrip(b"\r\n")):
            yield b"".join(lines[:-1])  # without the blank line that stands between
            lines, size, blank = [], 0, False
            continue
        lines.append(line[1:] if QUOTED.match(line) else line)
        size += len(line)
        if size > MAX_BYTES:
            raise Unreadable(f"a message in it is larger than {MAX_BYTES >> 20} MB")
        blank = not line.strip()
    if any(ln.strip() for ln in lines):
        yield b"".join(lines)


def _bounded(source: bytes) -> bytes:
    if len(source) > MAX_BYTES:
        raise Unreadable(f"this message is larger than {MAX_BYTES >> 20} MB")
    return source
