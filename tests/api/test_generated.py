"""Requests that nobody thought of, made from the API's own description by Schemathesis: none is an error of ours. A bounded run;
what it finds is reproduced by its seed."""

from __future__ import annotations

import json

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, settings

from kelvix.settings import TOP

DESCRIPTION = json.loads((TOP / "web/openapi.json").read_text())
ENDLESS = ("/api/v1/live",)  # a stream
ENDS_SESSION = ("/api/v1/sign-out",)
SCHEMA = schemathesis.openapi.from_dict(DESCRIPTION).exclude(path=[*ENDLESS, *ENDS_SESSION])


@pytest.fixture(scope="module")
def signed_in(kelvix):
    person = kelvix.person("Gene")
    database = person.database("Things", {"name": "Name", "type": "text"})
    person.workflow("Flow", {"lines": [{"verb": "when", "id": "w"}, {"verb": "add", "id": "a", "database": database["id"]}]})
    return person


@SCHEMA.parametrize()
@settings(
    max_examples=3, deadline=None, derandomize=True, database=None, phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)  # fmt: skip
def test_no_request_is_an_error_of_ours(case, signed_in):
    cookies = dict(signed_in.web.cookies.items())
    answer = case.call(base_url=signed_in.kelvix.address, cookies=cookies, timeout=60)
    assert answer.status_code < 500 or answer.status_code == 503, (case.as_curl_command(), answer.text[:500])
    if answer.status_code >= 400 and answer.content and "/in/" not in case.path:
        assert answer.headers["content-type"][0].startswith("application/problem+json"), case.as_curl_command()


def test_number_zero_is_nobody(signed_in):
    """It stood for all of them: the first database was looked at, and every sample deleted."""
    [flow] = [w["id"] for w in signed_in.api("GET", "/workflows")][:1] or [
        signed_in.workflow("F", {"lines": [{"verb": "when", "id": "w"}]})
    ]
    for method, where in (
        ("GET", "/databases/0"), ("DELETE", "/databases/0"), ("GET", "/databases/0/records"), ("GET", "/runs/0"), ("POST", "/runs/0/leave"),
        ("GET", "/workflows/0"), ("DELETE", f"/workflows/{flow}/samples/0"), ("GET", "/connections/0"),
    ):  # fmt: skip
        assert signed_in.web.request(method, f"/api/v1{where}").status_code == 404, where
