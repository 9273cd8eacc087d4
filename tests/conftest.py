"""One whole Kelvix per test worker, each with a MariaDB of its own; a workspace of its own per test."""

from __future__ import annotations

import os
from collections.abc import Iterator

import pytest
from hypothesis import HealthCheck, settings

from kelvix import processes
from support import Kelvix, Person

# A machine that runs servers and browsers beside the tests is slow at times; that says nothing about what is tested.
settings.register_profile("kelvix", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("kelvix")


os.environ["KELVIX_RECOVER_EVERY"] = "1"
os.environ["KELVIX_FIGURES_FRESH"] = "0"  # figures of weeks are counted anew each time
os.environ["KELVIX_PRACTICE_LINK_SECONDS"] = "3"  # links to contents that expire within a test


@pytest.fixture(scope="session")
def kelvix(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Kelvix]:
    other = processes.free_port()
    running = Kelvix(tmp_path_factory.mktemp("kelvix"), reachable=(f"localhost:{other}",))
    running.other_port = other  # where a test may start a server that Kelvix reaches
    yield running
    running.stop()


@pytest.fixture
def orla(kelvix: Kelvix) -> Person:
    return kelvix.person("Orla")
