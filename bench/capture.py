"""Reading what is captured: 1,000 mails with attachments and 1,000 articles, each as carried values, beside the bare parsing
libraries (CPython's email, trafilatura) giving the same content. Median of interleaved rounds. Claim: at most 2 times as long."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict
from datetime import UTC, datetime
from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from functools import partial
from random import Random
from typing import Any
from unittest.mock import patch
from zoneinfo import ZoneInfo

from _report import keep, median, table, verdict
from trafilatura import extract
from trafilatura.metadata import extract_metadata

from kelvix.connectors.listed import ListedAccount
from kelvix.connectors.mail import Mail
from kelvix.connectors.reading import Reading
from kelvix.core.feel import Env
from kelvix.demo.papers import paper
from kelvix.formats import rfc5322
from kelvix.settings import TOP

NUMBER, ROUNDS, AT_MOST = 1000, 5, 2.0
WORDS = (TOP / "README.md").read_text("utf-8").split()


def prose(random: Random, words: int) -> str:
    return " ".join(random.choices(WORDS, k=words)).replace("<", "").replace("&", "and")


def mails() -> list[bytes]:
    """Each in both forms, with a PDF and a picture's worth of bytes beside it."""
    random = Random(5)
    pdf = paper("Condition survey", "Ada Pell", [prose(random, 8) for _ in range(60)])
    made = []
    for n in range(NUMBER):
        message = EmailMessage()
        message["From"], message["To"] = f"Revd Ada Pell {n} <ada{n}@stbride.example>", "Works <works@brackenfell.example>"
        message["Subject"], message["Date"] = f"Quote {n} – tremulant", "Mon, 23 Nov 2026 17:02:00 +0000"
        message["Message-ID"] = f"<{n}@stbride.example>"
        text = "\n\n".join(prose(random, 60) for _ in range(5))
        message.set_content(text)
        message.add_alternative("".join(f"<p>{p}</p>" for p in text.split("\n\n")), subtype="html")
        message.add_attachment(pdf, maintype="application", subtype="pdf", filename=f"Survey {n}.pdf")
        message.add_attachment(random.randbytes(30_000), maintype="image", subtype="jpeg", filename=f"Case {n}.jpg")
        made.append(message.as_bytes(policy=policy.SMTP))
    return made


def pages() -> list[bytes]:
    """Articles of about 1,200 words, with what usually stands around one."""
    random = Random(7)
    menu = "".join(f'<li><a href="/{n}">Section {n}</a></li>' for n in range(40))
    made = []
    for n in range(NUMBER):
        body = "".join(f"<h2>Part {k}</h2><p>{prose(random, 80)}</p><p>{prose(random, 70)}</p>" for k in range(8))
        made.append(
            f'<!doctype html><html lang="en-GB"><head><title>Leather {n} | The Wick</title>'
            f'<meta property="og:title" content="Leather {n}"><meta property="og:site_name" content="The Wick">'
            f'<meta name="author" content="Nell Sparrow"><meta property="article:published_time" content="2026-03-04T10:00:00Z">'
            f"</head><body><nav><ul>{menu}</ul></nav><article><h1>Leather {n}</h1>{body}</article>"
            f"<aside><ul>{menu}</ul></aside><footer>Imprint</footer></body></html>".encode()
        )
    return made


def bare_mail(source: bytes) -> tuple[Any, ...]:
    message = BytesParser(_class=EmailMessage, policy=policy.default).parsebytes(source)
    heads = tuple(str(message[h]) for h in ("from", "to", "cc", "subject", "date", "message-id"))
    body, html = message.get_body(("plain",)), message.get_body(("html",))
    assert body and html
    return (
        heads,
        body.get_content(),
        html.get_content(),
        [(a.get_filename(), a.get_content()) for a in message.iter_attachments()],
    )


def our_mail(account: ListedAccount, source: bytes) -> Any:
    read = asdict(rfc5322.parse(source))
    read["date"] = read["date"].isoformat()
    context = {
        "id": "1",
        "container": "1",
        "container_name": "Enquiries",
        "link": "https://w.example/1",
        "received": NOW,
        "seq": 1,
    }
    return account.read(read | context)


def bare_page(page: bytes) -> tuple[Any, ...]:
    about = extract_metadata(page)
    return about.title, about.author, about.date, extract(
        page, output_format="markdown", include_links=True, include_comments=False, favor_recall=True)  # fmt: skip


def our_page(account: ListedAccount, given: list[bytes], page: bytes) -> Any:
    given[:] = [page]
    raw = {"id": "1", "revision": 1, "container": "1", "container_name": "To read", "link": "https://w.example/1", "received": NOW,
           "seq": 1, "address": "https://wick.example/a?utm_source=x", "bare": "https://wick.example/a", "title": "https://wick.example/a",
           "tags": ["leather"], "highlights": [], "has_page": True}  # fmt: skip
    return account.read(raw)


NOW = datetime(2026, 11, 23, 17, 2, tzinfo=UTC).isoformat()


def seconds(read: Callable[[bytes], Any], sources: list[bytes]) -> float:
    began = time.perf_counter()
    for source in sources:
        read(source)
    return time.perf_counter() - began


def main() -> None:
    rows, result = [], {}
    app, env = Reading("http://localhost"), Env(datetime.now(UTC), ZoneInfo("Europe/London"))
    mail, reading = Mail("http://localhost").account("", "", env), app.account("", "", env)
    app.pages.most = 0  # nothing is remembered from round to round
    given: list[bytes] = []  # what Reading would fetch
    for name, sources, bare, ours in (
        ("mails with two attachments", mails(), bare_mail, partial(our_mail, mail)),
        ("articles", pages(), bare_page, partial(our_page, reading, given)),
    ):
        with patch.object(app.caller, "content", side_effect=lambda *_: iter(given)):
            assert ours(sources[0]).values["text"]
            times = [(seconds(bare, sources), seconds(ours, sources)) for _ in range(ROUNDS)]
        ratio = median([o / b for b, o in times])
        b, o = (median(list(t)) for t in zip(*times, strict=True))
        rows.append([f"{NUMBER:,} {name}", f"{o:.2f} s", f"{b:.2f} s", f"{ratio:.2f}"])
        result[name] = {"times": times, "ratio": ratio}
    table("capture: reading what comes", ["", "Kelvix", "libraries alone", "times as long"], rows)
    verdict(all(r["ratio"] <= AT_MOST for r in result.values()), f"at most {AT_MOST:.0f} times as long as the libraries alone")
    keep("capture", result)


if __name__ == "__main__":
    main()
