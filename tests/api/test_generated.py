"""Requests that nobody thought of, made from the API's own description by Schemathesis: none is an error of ours. A bounded run;
what it finds is reproduced by its seed."""

from __future__ import annotations

import json
import re

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings

from kelvix.settings import TOP

DESCRIPTION = json.loads((TOP / "web/openapi.json").read_text())


def _takes_a_workflow(operation: dict, depth: int = 0) -> bool:
    """Whether a body holds a workflow's document, by the description."""
    told = json.dumps(operation.get("requestBody", operation if depth else {}))
    if '"lines"' in told and depth:
        return True
    names = {name.rpartition("/")[2] for name in re.findall(r'"\$ref": "([^"]+)"', told)}
    return depth < 2 and any(_takes_a_workflow(DESCRIPTION["components"]["schemas"][n], depth + 1) for n in names)


ENDLESS = ("/api/v1/live",)  # a stream
ENDS_SESSION = ("/api/v1/sign-out",)
WHOLE = schemathesis.openapi.from_dict(DESCRIPTION).exclude(path=[*ENDLESS, *ENDS_SESSION])
# What takes a whole workflow: to think of any is slow, so each gets lines of a few kinds, all kinds together.
DOCUMENTS = [
    path
    for path, methods in DESCRIPTION["paths"].items()
    if any(_takes_a_workflow(one) for one in methods.values() if isinstance(one, dict))
]


@pytest.fixture(scope="module")
def signed_in(kelvix):
    person = kelvix.person("Gene")
    database = person.database("Things", {"name": "Name", "type": "text"})
    person.workflow("Flow", {"lines": [{"verb": "when", "id": "w"}, {"verb": "add", "id": "a", "database": database["id"]}]})
    return person


def bounded(examples: int) -> settings:
    return settings(
        max_examples=examples, deadline=None, derandomize=True, database=None, phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip


@WHOLE.exclude(path=DOCUMENTS).parametrize()
@bounded(3)
def test_no_request_is_an_error_of_ours(case, signed_in):
    check(case, signed_in)


def with_few_kinds(number: int) -> schemathesis.BaseSchema:
    """The description, in which a workflow has the When line and lines of every so many kinds, from one of them on."""
    description = json.loads(json.dumps(DESCRIPTION))
    lines = description["components"]["schemas"]["Workflow"]["properties"]["lines"]["items"]
    lines["anyOf"] = [lines["anyOf"][0], *lines["anyOf"][1 + number :: len(DOCUMENTS)]]
    return schemathesis.openapi.from_dict(description)


@pytest.mark.parametrize("path", DOCUMENTS)
def test_no_workflow_that_is_made_up_is_an_error_of_ours(path, signed_in):
    for operation in with_few_kinds(DOCUMENTS.index(path))[path].values():

        @bounded(3)
        @given(case=operation.as_strategy())
        def made_up(case):
            check(case, signed_in)

        made_up()


def check(case, signed_in):
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
