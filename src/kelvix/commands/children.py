"""What the child processes run: the web application, the practice apps, a worker."""

from __future__ import annotations

import gc

from kelvix import doors, processes
from kelvix import settings as settings_module
from kelvix.commands.joining import settings_of
from kelvix.readers.pool import POOL

MAX_WORKERS = 16  # on one host, each with an address of its own for its metrics


def settle() -> None:
    """Keep what is loaded by now from the collector, which went through it again and again and held up work."""
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


def web(words: list[str]) -> None:
    from kelvix.api.app import build
    from kelvix.engine import metrics
    from kelvix.engine.engine import make

    settings = settings_module.read()
    engine = make(settings)
    app = build(engine)
    if settings.metrics_port:
        metrics.serve(settings.metrics_port, engine.directory)
    POOL.warm()
    settle()
    doors.serve(app, settings.host, settings.port)


def practice(words: list[str]) -> None:
    from kelvix.practice.app import build

    settings = settings_module.read()
    app = build(settings)
    settle()
    doors.serve(app, "127.0.0.1", settings.practice_port)


def worker(words: list[str]) -> None:
    from kelvix.engine import metrics
    from kelvix.engine.engine import make
    from kelvix.engine.worker import main

    settings = settings_of(words)
    engine = make(settings)
    if settings.metrics_port:
        any(metrics.serve(settings.metrics_port + n) for n in range(1, MAX_WORKERS + 1))
    POOL.warm()
    settle()
    processes.keep_beating()
    main(engine)
