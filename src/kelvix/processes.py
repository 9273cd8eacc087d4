"""Child processes that end with their parent, however it ends."""

from __future__ import annotations

import ctypes
import os
import signal
import socket
import subprocess
from collections.abc import Sequence

PR_SET_PDEATHSIG = 1  # linux/prctl.h
_libc = ctypes.CDLL(None, use_errno=True)


def tie(parent: int, when_parent_dies: int = signal.SIGKILL) -> None:
    """Ask the kernel to signal this process when the thread of `parent` that started it ends."""
    _libc.prctl(PR_SET_PDEATHSIG, when_parent_dies)
    if os.getppid() != parent:  # it died before this was asked
        os._exit(1)


def spawn(
    words: Sequence[str], *, when_parent_dies: int = signal.SIGKILL, env: dict[str, str] | None = None, quiet: str | None = None
) -> subprocess.Popen[bytes]:
    """Start a child that the kernel signals when this process dies. Call from the main thread: the signal is sent
    when the *thread* that started the child ends. `quiet` names a file for what it prints."""
    parent = os.getpid()

    def begin() -> None:
        os.setsid()  # Ctrl-C reaches the parent alone, which then stops its children in order
        tie(parent, when_parent_dies)

    if quiet is None:
        return subprocess.Popen(list(words), preexec_fn=begin, env=env, stdin=subprocess.DEVNULL)
    with open(quiet, "ab") as out:
        return subprocess.Popen(list(words), preexec_fn=begin, env=env, stdin=subprocess.DEVNULL, stdout=out, stderr=out)


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
    """A free TCP port: the wanted one where it is free. Raises OSError where it is not."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        probe.bind((host, wanted))
        return int(probe.getsockname()[1])
