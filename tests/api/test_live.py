"""The stream of what should be read anew."""

from __future__ import annotations

import json


def first_topics(person) -> set[str]:
    """What a stream that is opened now tells first."""
    with person.web.stream("GET", "/api/v1/live") as stream:
        for line in stream.iter_lines():
            if line.startswith("data: "):
                return set(json.loads(line.removeprefix("data: ")))
    raise AssertionError("the stream ended")


def test_what_changed_between_reading_a_page_and_opening_its_stream_is_told(kelvix, orla):
    """On a slow machine seconds lie between; what came meanwhile would never be shown."""
    other = kelvix.person("Bran")
    other.api("POST", "/workflows", json={"name": "Not theirs"})
    orla.database("Tasks", {"name": "Name", "type": "text"})
    assert first_topics(orla) == {"databases"}
    assert "databases" not in first_topics(other)
