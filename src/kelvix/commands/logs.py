"""Structured logs: one JSON object a line, with the time, the process, and what the work at hand is about. What libraries log
comes out the same way. What runs carry is never logged."""

from __future__ import annotations

import logging
import sys

import structlog

QUIET = ("mail.log", "urllib3")


def set_up(process: str, plain: bool = False) -> None:
    """`plain`: for people at a terminal, one readable line each."""
    shared: list[structlog.typing.Processor] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.add_log_level,
        structlog.stdlib.add_logger_name,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        structlog.stdlib.PositionalArgumentsFormatter(),
        structlog.processors.StackInfoRenderer(),
        structlog.processors.format_exc_info,
    ]
    structlog.configure(
        processors=[*shared, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        wrapper_class=structlog.stdlib.BoundLogger,
        logger_factory=structlog.stdlib.LoggerFactory(),
        cache_logger_on_first_use=True,
    )
    render: structlog.typing.Processor = (
        structlog.dev.ConsoleRenderer(colors=False) if plain else structlog.processors.JSONRenderer(ensure_ascii=False)
    )

    def of_process(_: object, __: str, event: structlog.typing.EventDict) -> structlog.typing.EventDict:
        event["process"] = process
        return event

    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(
        structlog.stdlib.ProcessorFormatter(
            foreign_pre_chain=shared,
            processors=[structlog.stdlib.ProcessorFormatter.remove_processors_meta, of_process, render],
        )
    )
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.INFO)
    for name in QUIET:
        logging.getLogger(name).setLevel(logging.WARNING)
