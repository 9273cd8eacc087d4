"""What is declared of a request, what it brings, and what it brings that nobody declared."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core import requests
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env
from kelvix.core.requests import Request
from kelvix.core.workflow import Address, BadDocument, Input, InputList, When, Workflow

NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)
ENV = Env(NOW, ZoneInfo("Europe/London"))
BODY = {
    "order": {"number": 12.5, "lines": ["reeds", "leather"], "paid": True},
    "name": "Ada",
    "when": "2026-11-25",
    "extra": None,
}
ADDRESS = Address(
    (
        Input("name", "text", True),
        Input("order.number", "number"),
        Input("order.lines", "labels"),
        Input("order.paid", "yes_no"),
        Input("when", "date"),
        Input("order.lines.1", "text"),
    )
)


def test_the_declared_values_of_a_body_are_taken_however_deep_they_lie():
    assert requests.values_of(ADDRESS, Request(BODY), NOW, ENV) == {
        "received": "2026-11-25T09:00:00Z",
        "name": "Ada",
        "order.number": "12.5",
        "order.lines": ["reeds", "leather"],
        "order.paid": True,
        "when": "2026-11-25",
        "order.lines.1": "leather",
    }


@pytest.mark.parametrize(
    "body, fields",
    [
        ({}, {"name": "is missing"}),
        ({"name": ""}, {"name": "is missing"}),
        ({"name": "Ada", "when": "soon"}, {"when": "“soon” is not a date"}),
        ({"name": {"first": "Ada"}}, {"name": "is nested. Add its inner values, with dots between names"}),
    ],
)
def test_what_is_missing_or_does_not_fit_is_named(body, fields):
    with pytest.raises(requests.BadRequest) as found:
        requests.values_of(ADDRESS, Request(body), NOW, ENV)
    assert list(found.value.fields) == list(fields)
    assert all(found.value.fields[k].startswith(v) for k, v in fields.items())
    assert "name" in str(found.value) or "when" in str(found.value)


def test_names_and_types_are_learned_from_a_body():
    body = BODY | {"mail": "a@x.example", "page": "https://x.example", "note": "a\nb"}
    inputs, lists = requests.learned(Request(body))
    assert {i.key: i.type for i in inputs} == {
        "order.number": "number",
        "order.lines": "labels",
        "order.paid": "yes_no",
        "name": "text",
        "when": "date",
        "extra": "text",
        "mail": "email",
        "page": "link",
        "note": "long_text",
    }
    assert lists == ()
    many, _ = requests.learned(Request({f"k{n}": n for n in range(500)}))
    assert len(many) == requests.MAX_INPUTS


ORDER = {
    "number": "R-7",
    "lines": [
        {"what": "reeds", "many": 61, "at": {"rank": "Trumpet"}},
        {"what": "leather", "many": "some", "notes": ["thin", "white"]},
    ],
    "sizes": [1, 2.5],
}


def test_a_list_of_objects_stays_a_list():
    inputs, lists = requests.learned(Request(ORDER))
    assert [i.key for i in inputs] == ["number"]
    assert [(one.key, [(f.key, f.type) for f in one.fields]) for one in lists] == [
        ("lines", [("what", "text"), ("many", "text"), ("at.rank", "text"), ("notes", "labels")]),
        ("sizes", [("value", "number")]),
    ]
    own = Address(inputs, lists)
    assert requests.values_of(own, Request(ORDER), NOW, ENV) == {
        "received": "2026-11-25T09:00:00Z",
        "number": "R-7",
        "lines": [
            {"what": "reeds", "many": "61", "at.rank": "Trumpet", "notes": None},
            {"what": "leather", "many": "some", "at.rank": None, "notes": ["thin", "white"]},
        ],
        "sizes": [{"value": "1"}, {"value": "2.5"}],
    }
    assert requests.values_of(own, Request({}), NOW, ENV)["lines"] == []
    [lines, _] = requests.lists_of(own)
    assert lines.name == ("Request", "lines") and [f.key for f in lines.fields] == ["what", "many", "at.rank", "notes"]


@pytest.mark.parametrize(
    "raw, says",
    [
        ({"lines": "reeds"}, "is not a list"),
        ({"lines": [{"many": 1}, {"many": "some"}]}, "row 2, “many”: “some” is not a number"),
        ({"lines": [{}] * 501}, "has 501 rows, more than 500"),
    ],
)
def test_a_row_that_does_not_fit_is_named(raw, says):
    own = Address((), (InputList("lines", (Input("many", "number"),)),))
    with pytest.raises(requests.BadRequest) as found:
        requests.values_of(own, Request(raw), NOW, ENV)
    assert says in found.value.fields["lines"]


def test_query_and_headers_are_taken_and_learned_but_for_what_any_client_sends():
    headers = {"X-Event": "order.paid", "User-Agent": "bot", "Authorization": "Bearer x", "webhook-signature": "v1,x"}
    request = Request.of({"a": "1"}, {"page": "2"}, headers)
    assert request.headers == {"x-event": "order.paid"}
    inputs, _ = requests.learned(request)
    assert [(i.place, i.key, i.type) for i in inputs] == [
        ("body", "a", "text"),
        ("query", "page", "text"),
        ("header", "x-event", "text"),
    ]
    own = Address((Input("page", "number", True, "query"), Input("X-Event", "text", True, "header")))
    assert requests.values_of(own, request, NOW, ENV) == {
        "received": "2026-11-25T09:00:00Z",
        "query:page": "2",
        "header:X-Event": "order.paid",
    }
    with pytest.raises(requests.BadRequest, match="“query:page” is missing"):
        requests.values_of(own, Request({}), NOW, ENV)
    assert [f.name for f in requests.fields_of(own)][:2] == [("Query", "page"), ("Header", "X-Event")]


def test_what_nobody_declared_is_told():
    own = Address((Input("number"), Input("order.lines.1")), (InputList("lines", (Input("what"),)),))
    request = Request(ORDER | {"more": 1, "order": {"lines": ["a", "b"]}}, {"page": "2"}, {"x-event": "paid"})
    assert requests.not_declared(own, request) == [
        "more",
        "query page",
        "header x-event",
        "lines: many",
        "lines: at.rank",
        "lines: notes",
        "sizes",
    ]
    inputs, lists = requests.learned(request)
    assert requests.not_declared(Address(inputs, lists), request) == []
    assert len(requests.not_declared(Address(), Request({f"k{n}": n for n in range(90)}))) == requests.MAX_TOLD


@pytest.mark.parametrize(
    "ranges, client, does",
    [
        ((), "203.0.113.9", True),
        (("192.0.2.0/24",), "192.0.2.77", True),
        (("192.0.2.0/24",), "::ffff:192.0.2.77", True),
        (("192.0.2.0/24",), "192.0.3.1", False),
        (("192.0.2.1", "2001:db8::/32"), "2001:db8:1::5", True),
        (("192.0.2.0/24",), "", False),
    ],
)
def test_who_may_call(ranges, client, does):
    """The addresses are those that RFC 5737 and RFC 3849 set aside for documentation."""
    assert requests.is_from(Address(ranges=ranges), client) is does


@pytest.mark.parametrize(
    "own, says",
    [
        (Address((Input("a"), Input("a", place="query"))), ""),
        (Address((Input("a"),), (InputList("a", (Input("b"),)),)), "a unique name"),
        (Address((), (InputList("a"),)), "the rows of “a” need values"),
        (Address((), (InputList("a", (Input("b"), Input("b"))),)), "the rows of “a” need values"),
        (Address((), (InputList("a", (Input("b", "choice"),)),)), "of this type"),
        (Address(ranges=("here",)), "“here” is not an address range"),
    ],
)
def test_what_is_unfinished_is_said(own, says):
    found = check(Workflow((When("w", own=own),)), Context((), {}, ENV))
    assert says in found[0].sentence if says else all(f.key != "inputs" for f in found)


def test_bounds_of_what_can_be_declared():
    many = tuple(Input(f"k{n}") for n in range(101))
    lists = tuple(InputList(f"k{n}", (Input("a"),)) for n in range(21))
    for own in (Address(many), Address((), (InputList("a", many),)), Address((), lists)):
        with pytest.raises(BadDocument):
            check_shape(Workflow((When("w", own=own),)))
