"""A workflow that is on."""

from __future__ import annotations

import pytest

from support import On, Person, turn_on


@pytest.fixture
def on(orla: Person) -> On:
    return turn_on(orla)
