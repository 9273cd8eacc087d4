"""Child processes that end with their parent, however it ends."""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import os
import signal
import socket
import subprocess
import threading
import time
from collections.abc import Sequence
from typing import Any

PR_SET_PDEATHSIG = 1  # linux/prctl.h
BEATS = "KELVIX_BEATS"  # names the descriptor on which a child says that it lives
BEAT_EVERY = 2.0  # seconds
_libc = ctypes.CDLL(None, use_errno=True)


def tie(parent: int, when_parent_dies: int = signal.SIGKILL) -> None:
    """Ask the kernel to signal this process when the thread of `parent` that started it ends."""
    _libc.prctl(PR_SET_PDEATHSIG, when_parent_dies)
    if os.getppid() != parent:  # it died before this was asked
        os._exit(1)


def beat() -> None:
    """Say once that this process lives, if its parent wants to know."""
    if (descriptor := os.environ.get(BEATS)) is not None:
        with contextlib.suppress(OSError, ValueError):  # nobody hears it any more
            os.write(int(descriptor), b".")


def keep_beating() -> None:
    """Say from now on that this process lives, from a thread: one that is stopped, or hangs in what lets no thread run, is
    silent."""

    def work() -> None:
        while True:
            beat()
            time.sleep(BEAT_EVERY)

    threading.Thread(target=work, name="beats", daemon=True).start()


async def beat_on_the_loop() -> None:
    """Say from now on that the event loop of this process goes round."""
    while True:
        beat()
        await asyncio.sleep(BEAT_EVERY)


def spawn(
    words: Sequence[str],
    *,
    when_parent_dies: int = signal.SIGKILL,
    env: dict[str, str] | None = None,
    quiet: str | None = None,
    descriptors: tuple[int, ...] = (),
) -> subprocess.Popen[bytes]:
    """Start a child that the kernel signals when this process dies. Call from the main thread: the signal is sent
    when the *thread* that started the child ends. `quiet` names a file for what it prints;
    `descriptors` stay open in it."""
    parent = os.getpid()

    def begin() -> None:
        os.setsid()  # Ctrl-C reaches the parent alone, which then stops its children in order
        tie(parent, when_parent_dies)

    more: dict[str, Any] = {"preexec_fn": begin, "env": env, "stdin": subprocess.DEVNULL, "pass_fds": descriptors}
    if quiet is None:
        return subprocess.Popen(list(words), **more)
    with open(quiet, "ab") as out:
        return subprocess.Popen(list(words), stdout=out, stderr=out, **more)


def stop(child: subprocess.Popen[bytes], seconds: float = 10) -> None:
    """Ask a child to end, wait, and insist."""
    if child.poll() is None:
        child.terminate()
        try:
            child.wait(seconds)
        except subprocess.TimeoutExpired:
            child.kill()
    child.wait()


def free_port(wanted: int = 0, host: str = "127.0.0.1") -> int:
    """Return a free TCP port: the wanted one where it is free. Raises OSError where it is not."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        probe.bind((host, wanted))
        return int(probe.getsockname()[1])
