"""What the child processes run: the web application, the practice apps, a worker."""

from __future__ import annotations

import gc

import uvicorn

from kelvix import settings as settings_module
from kelvix.commands.joining import settings_of


def web(words: list[str]) -> None:
    from kelvix.api.app import build
    from kelvix.engine.engine import make

    settings = settings_module.read()
    app = build(make(settings))
    gc.freeze()  # what is loaded by now stays; going through it again and again held up requests
    gc.set_threshold(20_000, 20, 20)
    uvicorn.run(
        app,
        host=settings.host,
        port=settings.port,
        access_log=False,
        log_level="warning",
        timeout_graceful_shutdown=1,
        server_header=False,
    )


def practice(words: list[str]) -> None:
    from kelvix.practice.app import build

    settings = settings_module.read()
    uvicorn.run(
        build(settings),
        host="127.0.0.1",
        port=settings.practice_port,
        access_log=False,
        log_level="warning",
        timeout_graceful_shutdown=1,
        server_header=False,
    )


def worker(words: list[str]) -> None:
    from kelvix.engine.engine import make
    from kelvix.engine.worker import main

    main(make(settings_of(words)))
