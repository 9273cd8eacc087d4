"""Web request lines: what is sent to which address, made of values and never by pasting text together; what counts as success;
and what lines below can use of the answer."""

from __future__ import annotations

import ipaddress
import json
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, Literal
from urllib.parse import quote, urlencode, urlsplit

from kelvix.core import requests
from kelvix.core.cells import Cell, Finding, PartResult
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields.link import split_address
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, Problem, SendRequest, WebCall
from kelvix.core.schema import CarriedField
from kelvix.core.values import Unfit, Value, as_text, shorten, to_wire
from kelvix.core.workflow import BadDocument, Filling, Given, Input, Line


@dataclass(frozen=True)
class Header:
    """A header of a web request: what it is filled with, or the number of a secret that is kept and not shown again."""

    name: str
    filling: Filling = ()
    secret: int | None = None


Method = Literal["POST", "PUT", "PATCH", "GET", "DELETE"]


@dataclass(frozen=True)
class WebRequest(Line):
    """Send values to a web address. `body` are the values by their names in it, nested ones with dots; with GET and DELETE they
    go into the address. `success` are the answers that count as such, as in 2xx, 404. `recognises`: whether the receiver
    recognises a repeat by its Idempotency-Key. `takes` are values that are read out of the answer."""

    id: str
    method: Method = "POST"
    address: Filling = ()
    headers: tuple[Header, ...] = ()
    body: tuple[Given, ...] = ()
    success: str = "2xx"
    recognises: bool = False
    takes: tuple[Input, ...] = ()
    within: str = ""
    verb: Literal["web_request"] = "web_request"


MAX_VALUES = 100
MAX_BODY = 256 * 1024  # bytes
FIELDS = (
    CarriedField("status", ("Answer", "Status"), "number"),
    CarriedField("answer", ("Answer", "Text"), "long_text"),
)
TOKEN = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")  # RFC 9110, 5.6.2
OURS = frozenset(  # headers that are set by what is sent, or that say how
    ["host", "content-length", "content-type", "transfer-encoding", "connection", "te", "trailer", "upgrade", "expect"]
) | {"idempotency-key", "kelvix-attempt", "kelvix-source"}


IN_ADDRESS = ("GET", "DELETE")  # methods whose values go into the address
REPEATABLE = ("GET", "PUT", "DELETE")  # RFC 9110, 9.2.2: done twice, they come to the same
SUCCESS = re.compile(r"[1-5](?:xx|\d\d)")


@dataclass(frozen=True)
class Answered:
    """An answer; `values` are those that the line takes out of it."""

    status: int | None
    text: str
    values: Mapping[str, Value]


def fields_of(line: WebRequest) -> tuple[CarriedField, ...]:
    """Return what lines below can use of the answer."""
    return (*FIELDS, *(CarriedField(f"takes.{i.key}", ("Answer", i.key or "Unnamed"), i.type) for i in line.takes))


def repeatable(line: WebRequest) -> bool:
    """Whether a request of which it is not known that it arrived can be sent again."""
    return line.recognises or line.method in REPEATABLE


def codes(success: str) -> tuple[str, ...]:
    """Return the answers that count as success, as in 2xx, 404. Raises Unfit."""
    found = tuple(c for c in re.split(r"[\s,;]+", success.lower()) if c)
    for code in found:
        if not SUCCESS.fullmatch(code):
            raise Unfit(f"“{shorten(code)}” is not a status; write for example 2xx, 404")
    return found or ("2xx",)


def succeeds(line: WebRequest, status: int) -> bool:
    return any(code in (str(status), f"{status // 100}xx") for code in codes(line.success))


def _address(text: str) -> str:
    """Check an address. Raises Unfit for what is not a web address that a request may go to."""
    if not text:
        raise Unfit("the address is empty in this item")
    parts = split_address(text)
    host = parts.hostname if parts else None
    if parts is None or parts.scheme not in ("http", "https") or not host:
        raise Unfit(f"“{shorten(text)}” is not a web address; it begins with https://")
    if parts.username is not None or parts.password is not None:
        raise Unfit("don’t put a name and password into the address; use a secret header")
    try:
        literal = ipaddress.ip_address(host)
    except ValueError:
        literal = None
    if literal is not None and literal.is_unspecified:
        raise Unfit(f"“{shorten(host)}” can’t be reached")
    path = quote(parts.path or "/", safe="/%:@!$&'()*+,;=~-._")
    query = quote(parts.query, safe="/?%:@!$&'()*+,;=~-._")
    return f"{parts.scheme}://{parts.netloc}{path}{'?' + query if query else ''}"


def json_of(value: Value) -> Any:
    """Return a value in JSON: numbers as numbers where no digit is lost, dates in ISO 8601."""
    if isinstance(value, Decimal):
        if value == value.to_integral_value():
            return int(value)
        return float(value) if Decimal(repr(float(value))) == value else f"{value:f}"
    return to_wire(value)


def nested(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values by their names, those with dots within one another. Raises Unfit where a name is both a value and what others
    are within."""
    made: dict[str, Any] = {}
    for key, value in values.items():
        at = made
        *above, last = key.split(".")
        for name in above:
            below = at.setdefault(name, {})
            if not isinstance(below, dict):
                raise Unfit(f"“{name}” has a value, so it can’t contain {key}")
            at = below
        if last in at:
            raise Unfit(f"“{key}” is used twice")
        at[last] = value
    return made


def _header(header: Header, carried: Carried, env: Env) -> str:
    """Return what a header says with a sample. Raises Unfit."""
    text = as_text(compute(header.filling, carried, env), env.zone).strip()
    if any(ord(c) < 32 or ord(c) > 126 for c in text):
        raise Unfit(f"the header {header.name} has characters that are not allowed in a header")
    return text


def call(line: WebRequest, values: Mapping[str, Value], carried: Carried, env: Env) -> WebCall:
    """Return the request of a sample. Raises Unfit."""
    address = _address(as_text(compute(line.address, carried, env), env.zone).strip())
    headers = tuple((h.name, _header(h, carried, env)) for h in line.headers if h.secret is None)
    secrets = tuple((h.name, h.secret) for h in line.headers if h.secret is not None)
    named = {g.key: values[g.key] for g in line.body}
    if line.method in IN_ADDRESS:
        query = urlencode({k: as_text(v, env.zone) for k, v in named.items() if v is not None})
        joined = f"{address}{'&' if '?' in address else '?'}{query}" if query else address
        return WebCall(line.method, joined, headers, secrets)
    body = json.dumps(nested({k: json_of(v) for k, v in named.items()}), ensure_ascii=False, indent=2) if named else ""
    if len(body.encode()) > MAX_BODY:
        raise Unfit(f"the request is larger than {MAX_BODY // 1024} KB")
    return WebCall(line.method, address, headers, secrets, body)


def step(line: WebRequest, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    """Return what would be sent with a sample."""
    below = carry_on(line, Answered(None, "", {}), carried)
    if not is_filled(line.address):
        return Cell(line.id, UNREADY, "enter an address"), below
    parts: list[PartResult] = []
    values: dict[str, Value] = {}
    for one in line.body:
        try:
            values[one.key] = value = compute(one.filling, carried, env)
            parts.append(PartResult(one.key, "fits" if value is not None else "empty", value))
        except Unfit as unfit:
            parts.append(PartResult(one.key, "put_right", None, str(unfit)))
    wrong = [p.sentence for p in parts if p.state == "put_right"]
    made = None
    if not wrong:
        try:
            made = call(line, values, carried, env)
        except Unfit as unfit:
            wrong.append(str(unfit))
    if made is None:
        return Cell(line.id, Problem(), shorten(wrong[0], 120), parts=tuple(parts)), below
    note = f"{made.method} to {urlsplit(made.address).netloc}"
    return Cell(line.id, SendRequest(made), shorten(note, 120), parts=tuple(parts)), below


def answered(line: WebRequest, status: int, text: str, env: Env) -> Answered:
    """Return an answer with the values that the line takes out of it; those that are not there, or do not fit, are empty."""
    try:
        body = json.loads(text) if line.takes and text.strip() else None
    except ValueError:
        body = None
    values: dict[str, Value] = {}
    for one in line.takes:
        raw = requests.dig(body, one.key)
        try:
            values[one.key] = requests.value_of(raw, one, env) if raw not in (None, "") else None
        except Unfit:
            values[one.key] = None
    return Answered(status, text, values)


def carry_on(line: WebRequest, answer: Answered, carried: Carried) -> Carried:
    """Return what lines below can use of an answer."""
    values: dict[str, Value] = {f"takes.{key}": value for key, value in answer.values.items()}
    values |= {"status": Decimal(answer.status) if answer.status else None, "answer": answer.text or None}
    return carried.plus(line.id, fields_of(line), values)


def check(line: WebRequest, carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    found: list[Finding] = []

    def said(sentence: str, key: str | None = None) -> None:
        found.append(Finding(line.id, sentence, key=key))

    if not is_filled(line.address):
        said("enter an address", "address")
    for header in line.headers:
        if not TOKEN.fullmatch(header.name):
            said(f"“{shorten(header.name)}” is not the name of a header", "headers")
        elif header.name.lower() in OURS:
            said(f"the header {header.name} is set by Kelvix itself; remove it", "headers")
        elif header.secret is None and not is_filled(header.filling):
            said(f"enter a value for the header {header.name}", "headers")
    said_of = _names(line.body)
    if said_of:
        said(said_of, "body")
    try:
        codes(line.success)
    except Unfit as unfit:
        said(str(unfit), "success")
    if len({i.key for i in line.takes}) < len(line.takes) or any(not i.key.strip() for i in line.takes):
        said("each value of the answer needs a unique name", "takes")
    fillings: list[tuple[str, Filling]] = [("address", line.address)]
    fillings += [("headers", h.filling) for h in line.headers] + [(g.key, g.filling) for g in line.body]
    for key, filling in fillings:
        if any(ref not in carried.fields for ref in references(filling)):
            said("this uses a value that is not available here", key)
        if any(p.formula is not None and not p.formula.tree for p in filling):
            said("this formula has an error", key)
    return found


def _names(body: tuple[Given, ...]) -> str:
    if any(not g.key.strip(".") or ".." in g.key for g in body):
        return "each value to send needs a name"
    if len(body) > MAX_VALUES:
        return f"these are {len(body)} values, more than the {MAX_VALUES} allowed"
    if len({g.key for g in body}) < len(body):
        return "two values have the same name"
    try:
        nested({g.key: None for g in body})
    except Unfit as unfit:
        return str(unfit)
    return ""


class WebRequestKind(Kind[WebRequest]):
    line, verb = WebRequest, "web_request"
    acts = True

    def step(self, line: WebRequest, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context.env)

    def makes(self, line: WebRequest, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, fields_of(line), {})

    def check(
        self, line: WebRequest, carried: Carried, context: Context, within: Callable[[], Carried | None]
    ) -> list[Finding]:
        return check(line, carried)

    def check_document(self, line: WebRequest) -> None:
        requests.check_types(line.takes)
        if max(map(len, (line.headers, line.body, line.takes))) > MAX_VALUES:
            raise BadDocument(f"a web request has at most {MAX_VALUES} headers and values")

    def fillings(self, line: WebRequest) -> Iterator[Filling]:
        yield line.address
        yield from (h.filling for h in line.headers)
        yield from (g.filling for g in line.body)

    def says(self, line: WebRequest, names: Mapping[int, str]) -> str:
        return "send a web request"


KIND = WebRequestKind()
