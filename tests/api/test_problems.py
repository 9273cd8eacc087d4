"""Errors as problem documents (RFC 9457): a mistake of ours never reads as something that somebody deleted."""

from __future__ import annotations

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from pydantic import TypeAdapter
from structlog.testing import capture_logs

from kelvix.api import problems
from kelvix.core.not_found import NotFoundError


def missed_key():
    return {}["mail"]


def missed_place():
    return [][3]


def formed_wrongly():
    return TypeAdapter(int).validate_python("many")


@pytest.mark.parametrize("mistake", [missed_key, missed_place, formed_wrongly])
def test_a_mistake_of_ours_is_told_with_a_reference_that_stands_in_the_log(mistake):
    app = FastAPI()
    problems.install(app)
    app.get("/mistake")(mistake)
    with capture_logs() as logged:
        answer = TestClient(app, raise_server_exceptions=False).get("/mistake")
    document = answer.json()
    assert answer.status_code == 500 and answer.headers["content-type"] == "application/problem+json"
    assert document["title"] == "Kelvix had an internal error." and document["reference"] in document["detail"]
    [line] = [one for one in logged if one.get("reference") == document["reference"]]
    assert line["path"] == "/mistake" and line["log_level"] == "error" and line["exc_info"]
    assert "mail" not in answer.text


def test_what_is_not_there_is_told_as_that():
    app = FastAPI()
    problems.install(app)

    @app.get("/gone")
    def gone() -> None:
        raise NotFoundError("database not found")

    answer = TestClient(app).get("/gone")
    assert answer.status_code == 404 and answer.json()["title"] == "Database not found."
