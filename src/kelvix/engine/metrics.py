"""What Prometheus reads: counters of each process, and what is waiting as the database knows it. No content, no names."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from wsgiref.simple_server import WSGIServer

from prometheus_client import CollectorRegistry, Counter, Histogram, start_http_server
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.process_collector import ProcessCollector
from prometheus_client.registry import Collector

from kelvix.store import ready, runs
from kelvix.store.directory import Directory

REGISTRY = CollectorRegistry()
ProcessCollector(registry=REGISTRY)
ENDED = Counter("kelvix_runs_taken_up", "Runs started, by outcome", ["outcome"], registry=REGISTRY)
SECONDS = Histogram(
    "kelvix_run_seconds", "Run duration per attempt", registry=REGISTRY,
    buckets=(0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60, 300),
)  # fmt: skip
TAKEN_IN = Counter("kelvix_events_taken_in", "Events received, by source", ["by"], registry=REGISTRY)
REFUSED = Counter("kelvix_calls_limited", "App calls refused by rate limits", registry=REGISTRY)


class Waiting(Collector):
    """Asked when Prometheus asks."""

    def __init__(self, directory: Directory):
        self.directory = directory

    def collect(self) -> Iterator[Metric]:
        waits = GaugeMetricFamily("kelvix_ready", "Due work that has not started", labels=["server"])
        oldest = GaugeMetricFamily("kelvix_ready_oldest_seconds", "Age of the oldest due work", labels=["server"])
        states = GaugeMetricFamily("kelvix_runs_not_ended", "Unfinished runs, by state", labels=["server", "state"])
        for name, server in self.directory.servers.items():
            number, age = server.read(ready.waiting)
            waits.add_metric([name], number)
            oldest.add_metric([name], age)
            for state, count in server.read(runs.not_ended).items():
                states.add_metric([name, state], count)
        yield from (waits, oldest, states)


def serve(port: int, directory: Directory | None = None, host: str = "127.0.0.1") -> WSGIServer | None:
    """Answer at /metrics, on an address of its own and without sign-in: it listens on loopback unless told otherwise, and says
    nothing about anybody. Nothing where the port is taken: metrics are not worth a process."""
    if directory is not None:
        REGISTRY.register(Waiting(directory))
    with contextlib.suppress(OSError):
        server, _ = start_http_server(port, host, REGISTRY)
        return server
    return None
