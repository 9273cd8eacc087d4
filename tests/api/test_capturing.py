"""Quick input through the API: what is understood, what is kept, capture addresses, and what is sent twice."""

from __future__ import annotations

import re
import smtplib
import subprocess
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from email.message import EmailMessage

import httpx2 as httpx
import pytest

from kelvix.connectors import guarded_http
from kelvix.core.collection import PermanentError
from kelvix.engine import reading_pages
from reference.test_articles import PAGE
from reference.test_lists_of_links import BOOKMARKS, EXTENSIVE


@pytest.fixture
def tasks(orla):
    fields = {"name": "Name", "type": "text"}, {"name": "Due", "type": "date"}, {"name": "Page", "type": "link"}
    who = {"name": "Who", "type": "choice", "choices": ["Orla", "Ivo"]}
    made = orla.database("Tasks", *fields, who)
    return orla, made, {f["name"]: str(f["id"]) for f in made["fields"]}


def address(orla, database=None, name="My phone"):
    return orla.api("POST", "/capture/addresses", json={"name": name, "database": database})[-1]["address"]


def tomorrow():
    return (datetime.now(UTC) + timedelta(days=1)).date().isoformat()


def test_what_a_line_means_is_said_before_it_is_kept(tasks):
    orla, made, ids = tasks
    body = {"database": made["id"], "text": "Ring the verger tomorrow @ivo\nabout the key\n\nnew ladder", "caret": 0}
    said = orla.api("POST", "/capture/understand", json=body)
    [line] = said["lines"]
    assert line["title"] == "Ring the verger" and line["text"] == "about the key\n\nnew ladder" and not line["wrong"]
    assert [(p["name"], p["said"]) for p in line["pieces"]][1] == ("Who", "Ivo")
    assert orla.records(made["id"]) == []
    kept = orla.api("POST", "/capture", json={"database": made["id"], "text": body["text"]})
    assert kept["record"]["values"] | {ids["Due"]: tomorrow()} == kept["record"]["values"]
    each = orla.api("POST", "/capture/understand", json=body | {"each": True})
    assert [ln["title"] for ln in each["lines"]] == ["Ring the verger", "about the key", "new ladder"]


def test_many_lines_are_kept_together_or_not_at_all(tasks):
    orla, made, ids = tasks
    text = "\n".join(f"- line {n}" for n in range(30))
    kept = orla.api("POST", "/capture", json={"database": made["id"], "text": text, "each": True})
    assert len(kept["records"]) == len(kept["changes"]) == 30
    names = [r["values"][ids["Name"]] for r in reversed(orla.records(made["id"]))]
    assert names == [f"line {n}" for n in range(30)]
    orla.api("PATCH", f"/databases/{made['id']}/fields/{ids['Due']}", json={"required": True})
    wrong = orla.api("POST", "/capture", 422, json={"database": made["id"], "text": "one tomorrow\ntwo", "each": True})
    assert "also needs Due" in wrong["title"] and "two" in wrong["detail"]
    assert len(orla.records(made["id"])) == 30
    many = "\n".join("x tomorrow" for _ in range(201))
    assert (
        "at most 200" in orla.api("POST", "/capture", 422, json={"database": made["id"], "text": many, "each": True})["detail"]
    )


def test_it_learns_the_database_that_one_uses(tasks):
    orla, made, _ = tasks
    other = orla.database("Concerts", {"name": "Name", "type": "text"})
    for n in range(3):
        orla.api("POST", "/capture", json={"database": made["id"], "text": f"tune the organ at Holm {n}"})
        orla.api("POST", "/capture", json={"database": other["id"], "text": f"recital of Buxtehude {n}"})
    for text, database in (("tune Marl", made), ("a recital", other), ("something else", other)):
        assert orla.api("POST", "/capture/understand", json={"text": text})["database"] == database["id"], text
    assert orla.api("POST", "/capture", json={"text": "tune Sedge Hill"})["database"] == made["id"]


def test_an_address_takes_text_json_and_forms_and_says_what_it_understood(tasks):
    orla, made, ids = tasks
    at = address(orla, made["id"])
    with httpx.Client(trust_env=False) as outside:
        plain = outside.post(at, content="Ring the verger tomorrow Ivo", headers={"content-type": "text/plain"})
        assert plain.status_code == 201
        [record] = plain.json()["records"]
        assert set(record["understood"]) == {"Name", "Due", "Who"} and record["understood"]["Who"] == "Ivo"
        page = {"title": "Leather for bellows", "url": "https://w.example/l", "selection": "Hair sheep.\nCut across."}
        assert outside.post(at, json=page).json()["records"][0]["understood"]["Page"] == "https://w.example/l"
        assert outside.post(at, data={"text": "one\ntwo", "each": "1"}).json()["kept"] == 2
        assert outside.post(at + "?each=1", content=b"a\n  more\nb").json()["kept"] == 2
        assert outside.post(at, json={"text": ["first of a list\nits text", "second"]}).json()["kept"] == 2
        for body, kind, status in (
            (b"", "text/plain", 422), (b"\xff", "text/plain", 400), (b"{", "application/json", 400), (b"{}", "application/json", 422),
            (b"x" * (9 << 20), "text/plain", 413), (b"<a/>", "application/xml", 415), (b'{"text": {"a": 1}}', "application/json", 422),
        ):  # fmt: skip
            answer = outside.post(at, content=body, headers={"content-type": kind})
            assert answer.status_code == status and answer.json()["title"], (body[:20], answer.text)
        long = "word " * 200_000
        answer = outside.post(at, content=long, headers={"content-type": "text/plain"})
        assert answer.json()["records"][0]["understood"]["Name"].startswith("word word") and answer.status_code == 201
        assert outside.post(at + "?each=1", content="a\n" * 400_000).status_code == 422
        assert outside.post(at[:-3] + "xyz", content=b"x").status_code == 404
        assert outside.post(re.sub(r"/capture/\d+/", "/capture/999/", at), content=b"x").status_code == 404
    texts = {r["values"][ids["Name"]]: r["values"]["0"] for r in orla.records(made["id"])}
    assert texts["Leather for bellows"] == "> Hair sheep.\n> Cut across." and texts["a"] == "more"
    assert texts["first of a list"] == "its text" and texts["second"] is None
    first = orla.records(made["id"])[-1]["id"]
    detail = orla.api("GET", f"/databases/{made['id']}/records/{first}")
    assert "“My phone”" in detail["captured"]["words"]


def test_an_address_takes_fields_by_their_names_and_says_what_it_did_not_understand(tasks):
    orla, made, _ = tasks
    to = address(orla, made["id"])
    sent = {"Name": "Order felt", "due": "2026-12-03", "Who": "Ivo", "Colour": "red"}
    answer = orla.web.post(to, json=sent)
    assert answer.status_code == 201, answer.text
    [record] = answer.json()["records"]
    assert record["understood"] == {"Name": "Order felt", "Due": "3 Dec 2026", "Who": "Ivo", "Text": "Colour: red"}
    assert record["not_understood"] == ["Tasks has no field “Colour”; its value was added to the text"]
    again = orla.web.post(to, data={"text": "Ring the verger by 31 Feb", "Who": "Nobody"}).json()["records"][0]
    assert len(again["not_understood"]) == 2 and again["not_understood"][1] == "“31 Feb” is not a valid date"
    assert again["not_understood"][0].startswith("Who: “Nobody” is ")
    assert "Who: Nobody" in again["understood"]["Text"] and again["understood"]["Name"] == "Ring the verger by 31 Feb"
    assert (
        orla.web.post(to, json={"Due": "2026-12-03", "Who": "Ivo"}).json()["records"][0]["understood"]["Name"] == "2026-12-03"
    )
    assert orla.web.post(to, json={"Due": {"day": 3}}).status_code == 422
    keyed = {"idempotency-key": "one"}
    assert orla.web.post(to, json=sent, headers=keyed).status_code == 201
    assert orla.web.post(to, json=sent | {"Who": "Orla"}, headers=keyed).status_code == 422, (
        "another request under the same key"
    )


def test_what_a_line_leaves_open_is_said_when_it_is_kept(tasks):
    orla, made, _ = tasks
    body = {"database": made["id"], "text": "Ring the verger 5/6"}
    said = ["“5/6” could be 5 June or 6 May; write the month as a word"]
    assert orla.api("POST", "/capture/understand", json=body)["lines"][0]["unclear"] == said
    assert orla.api("POST", "/capture", json=body)["not_understood"] == said


def test_mail_to_an_address_is_kept_once(tasks):
    orla, made, ids = tasks
    orla.api("POST", "/capture/addresses", json={"name": "By mail", "database": made["id"]})
    [kept] = orla.api("GET", "/capture/addresses")
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Subject"] = "ada@st.example", kept["mail"], "Fwd: Ring the verger tomorrow Ivo"
    mail["Message-ID"] = "<once@st.example>"
    mail.set_content("About the key.\n-- \nAda Pell")
    mail.add_attachment(b"x", maintype="application", subtype="pdf", filename="key.pdf")
    with smtplib.SMTP("127.0.0.1", orla.kelvix.settings.capture_smtp_port, timeout=30) as smtp:
        for _ in range(2):
            smtp.send_message(mail)
        for nobody in ("works@works.example", kept["mail"].replace("capture-", "capture-9"), "capture-1-x@y.example"):
            with pytest.raises(smtplib.SMTPRecipientsRefused):
                smtp.sendmail("ada@st.example", nobody, mail.as_bytes())
        empty = EmailMessage()
        empty["Subject"] = "Re: "
        with pytest.raises(smtplib.SMTPDataError, match="There is no text to save"):
            smtp.sendmail("ada@st.example", kept["mail"].upper(), empty.as_bytes())
        bare = b"Subject: Without a number\r\n\r\n"
        for _ in range(2):  # a mail server that was not answered sends it again
            smtp.sendmail("ada@st.example", kept["mail"], bare)
    bare_one, record = orla.records(made["id"])
    values = record["values"]
    assert bare_one["values"][ids["Name"]] == "Without a number"
    assert values[ids["Name"]] == "Ring the verger" and values[ids["Due"]] == tomorrow()
    assert values["0"] == "About the key.\nNot saved: key.pdf"


def test_what_is_sent_twice_is_kept_once(tasks):
    orla, made, _ = tasks
    at = address(orla, made["id"])
    with httpx.Client(trust_env=False) as outside:
        answers = [outside.post(at, json={"text": "once", "key": "a1"}).json() for _ in range(3)]
    assert answers[0] == answers[1] == answers[2] and len(orla.records(made["id"])) == 1
    body = {"database": made["id"], "text": "twice"}
    again = [orla.api("POST", "/capture", json=body, headers={"idempotency-key": "k"})["records"] for _ in range(2)]
    assert again[0] == again[1] and len(orla.records(made["id"])) == 2


def test_an_address_that_is_flooded_says_when_to_come_again(tasks):
    orla, made, _ = tasks
    at = address(orla, made["id"])
    with httpx.Client(trust_env=False) as outside:
        answers = [outside.post(at, content=b"x") for _ in range(130)]
    codes = {a.status_code for a in answers}
    kept = len(orla.records(made["id"]))
    assert codes == {201, 429} and kept == sum(a.status_code == 201 for a in answers) <= 120, (
        "a minute may have turned meanwhile"
    )
    assert next(a for a in answers if a.status_code == 429).headers["retry-after"] == "60"


def test_files_that_are_sent_are_kept_where_there_are_fields_for_them(orla):
    made = orla.database("Receipts", {"name": "Name", "type": "text"}, {"name": "Paper", "type": "file"})
    paper = str(made["fields"][1]["id"])
    at = address(orla, made["id"])
    with httpx.Client(trust_env=False) as outside:
        alone = outside.post(at, files={"photo": ("../Leather.jpg", b"picture", "image/jpeg")})
        assert alone.status_code == 201 and alone.json()["records"][0]["understood"] == {
            "Name": "Leather",
            "Paper": "Leather.jpg",
        }
        two = [("a", ("one.pdf", b"1", "application/pdf")), ("b", ("two.pdf", b"2", "application/pdf"))]
        for _ in range(2):
            assert outside.post(at, data={"text": "one.pdf", "key": "1"}, files=two).status_code == 201
    assert len(orla.space.rows("SELECT id FROM kept_file WHERE workspace_id=%s", (orla.space.id,))) == 2, "none for nothing"
    newest, first = orla.records(made["id"])
    assert newest["values"][str(made["fields"][0]["id"])] == "one.pdf"
    assert newest["values"]["0"] == "Not saved: two.pdf" and newest["values"][paper][0] == "one.pdf"
    copy = orla.web.get(f"/api/v1/databases/{made['id']}/records/{first['id']}/files/{paper}")
    assert copy.content == b"picture" and first["values"][paper][2] == "image/jpeg"


def test_a_stream_that_never_ends_is_cut_off(tasks):
    orla, made, _ = tasks
    at = address(orla, made["id"])
    with httpx.Client(trust_env=False, timeout=30) as outside, pytest.raises(httpx.HTTPError):
        answer = outside.post(at, content=iter(lambda: b"on and on " * 6000, b""), headers={"content-type": "text/plain"})
        answer.raise_for_status()
    assert orla.records(made["id"]) == []
    assert outside_works(at), "and the next one is taken"


def outside_works(at: str) -> bool:
    with httpx.Client(trust_env=False) as outside:
        return outside.post(at, content=b"short", headers={"content-type": "text/plain"}).status_code == 201


def test_addresses_are_ones_own_and_end_when_they_are_taken_away(tasks, kelvix):
    orla, made, _ = tasks
    at = address(orla, made["id"])
    [kept] = orla.api("GET", "/capture/addresses")
    ran = subprocess.run(["sh", "-c", kept["example"]], capture_output=True, text=True, timeout=30)
    assert '"kept":1' in ran.stdout, ran.stdout + ran.stderr
    other = kelvix.person("Nell")
    assert other.api("GET", "/capture/addresses") == []
    other.api("DELETE", f"/capture/addresses/{kept['id']}", 404)
    orla.api("DELETE", f"/capture/addresses/{kept['id']}")
    with httpx.Client(trust_env=False) as outside:
        assert outside.post(at, content=b"x").status_code == 404


# Pages


@pytest.fixture
def pages(orla):
    """A database for pages, and the address of one that anyone can see."""
    fields = ("Name", "text"), ("Author", "text"), ("Published", "date"), ("Address", "link"), ("Minutes", "number")
    made = orla.database("Notes", *({"name": n, "type": t} for n, t in fields))
    reading = orla.container("reading", "Anything")
    with orla.practice_page() as page:
        page.post(f"/reading/lists/{reading}", data={"address": "https://wick.example/hair", "page": PAGE})
    [row] = orla.kelvix.practice.items(reading, 5)
    at = f"{orla.kelvix.settings.practice_address}/reading/pages/{row['id']}"
    return orla, made, {f["name"]: str(f["id"]) for f in made["fields"]}, at


def test_a_page_is_read_by_its_address_and_known_again(pages):
    orla, made, ids, at = pages
    body = {"database": made["id"], "text": f"{at}?moved=2&utm_source=letter", "read_pages": True}
    values = orla.api("POST", "/capture", json=body)["record"]["values"]
    assert (values[ids["Name"]], values[ids["Author"]], values[ids["Published"]]) == (
        "Hair sheep leather",
        "Nell Sparrow",
        "2026-03-04",
    )
    assert values[ids["Address"]] == at and "## Glue" in values["0"] and values[ids["Minutes"]] == "1"
    again = orla.api("POST", "/capture", 422, json=body | {"text": f"{at}?utm_campaign=x#part"})
    assert "already in Notes" in again["title"] and "/databases/" in again["detail"] and len(orla.records(made["id"])) == 1
    own = {"database": made["id"], "text": f"My name for it https://other.example/ by\n{at}", "read_pages": False}
    assert orla.api("POST", "/capture", json=own)["record"]["values"][ids["Author"]] is None, "nothing is read unasked"


@pytest.mark.parametrize("way", ["as it is", "json", "form"])
def test_a_page_that_is_posted_is_kept_with_what_it_says_once(pages, way):
    orla, made, ids, _ = pages
    [at] = orla.api("POST", "/capture/addresses", json={"name": "Phone", "database": made["id"]})
    url = "https://wick.example/hair?utm_source=letter"

    def send(url):
        if way == "as it is":
            more = {"params": {"url": url}, "content": PAGE.encode(), "headers": {"content-type": "text/html", "origin": ""}}
        else:
            more = {way.replace("form", "data"): {"html": PAGE, "url": url}, "headers": {"origin": ""}}
        return orla.web.post(at["address"], **more)

    answer = send(url)
    assert answer.status_code == 201 and answer.json()["records"][0]["understood"]["Author"] == "Nell Sparrow"
    [record] = orla.records(made["id"])
    values = record["values"]
    assert (values[ids["Name"]], values[ids["Address"]]) == ("Hair sheep leather", "https://wick.example/hair")
    assert "## Glue" in values["0"] and "alert" not in values["0"]
    russian = "<html><title>Кожа для мехов</title><p>Кожа</p></html>".encode("cp1251")
    kind = {"content-type": "text/html; charset=windows-1251", "origin": ""}
    more = orla.web.post(at["address"], params={"url": "https://other.example/1"}, content=russian, headers=kind)
    assert more.json()["records"][0]["understood"]["Name"] == "Кожа для мехов"
    orla.api("DELETE", f"/databases/{made['id']}/records/{orla.records(made['id'])[0]['id']}")
    again = send("https://wick.example/hair?utm_campaign=other")
    assert again.status_code == 422 and "already in Notes" in again.json()["title"] and len(orla.records(made["id"])) == 1
    assert "https://" in send("").json()["detail"]


def test_a_page_that_is_sent_at_once_from_several_sides_is_kept_once(pages):
    orla, made, _, _ = pages
    [at] = orla.api("POST", "/capture/addresses", json={"name": "Phone", "database": made["id"]})
    page = {"html": PAGE, "url": "https://wick.example/hair"}

    def send(_):
        with httpx.Client(trust_env=False, timeout=30) as outside:
            return outside.post(at["address"], json=page).status_code

    with ThreadPoolExecutor(8) as many:
        codes = list(many.map(send, range(8)))
    assert sorted(codes) == [201] + [422] * 7 and len(orla.records(made["id"])) == 1
    again = [orla.web.post(at["address"], json=page | {"url": "https://wick.example/two", "key": "k"}) for _ in range(2)]
    assert again[0].json() == again[1].json() and again[1].status_code == 201, "a repeated sending is answered as before"


def test_what_was_written_about_a_page_stands_above_what_it_says(pages):
    orla, made, _, _ = pages
    [at] = orla.api("POST", "/capture/addresses", json={"name": "Phone", "database": made["id"]})
    page = {"html": PAGE, "url": "https://wick.example/hair", "selection": "Hide glue, warm", "note": "ask Ruth"}
    assert orla.web.post(at["address"], json=page, headers={"origin": ""}).status_code == 201
    [record] = orla.records(made["id"])
    assert record["values"]["0"].startswith("> Hide glue, warm\nask Ruth\n\n") and "## Glue" in record["values"]["0"]


def test_a_list_of_links_is_brought_in_once(pages):
    orla, made, ids, _ = pages
    tags = orla.api("POST", f"/databases/{made['id']}/fields", json={"name": "Tags", "type": "labels", "grows": True})
    where = f"/capture/links?database={made['id']}"
    assert orla.api("POST", where, 201, content=BOOKMARKS) == {"added": 2, "there": 0}
    rows = {r["values"][ids["Name"]]: r["values"] for r in orla.records(made["id"])}
    assert set(rows) == {"Glue & size", "At the top"} and rows["Glue & size"]["0"] == "Warm, and not too much."
    [field] = [f for f in orla.api("GET", f"/databases/{made['id']}")["fields"] if f["id"] == tags["id"]]
    choices = {c["id"]: c["name"] for c in field["choices"]}
    assert [choices[i] for i in rows["Glue & size"][str(tags["id"])]] == ["Workshop", "glue", "hide"]
    assert (
        rows["Glue & size"][ids["Published"]] == "2005-12-08" and rows["At the top"][ids["Address"]] == "https://w.example/top"
    )
    assert orla.api("POST", where, 201, content=BOOKMARKS) == {"added": 0, "there": 2}
    assert orla.api("POST", where, 201, content=EXTENSIVE)["added"] == 1
    glue = b"<rss version='2.0'><channel><item><title>Glue</title><link>https://w.example/again</link><description>"
    glue += (
        b"&lt;h2&gt;Warm&lt;/h2&gt;&lt;p&gt;Not too much of it, and never hot.&lt;/p&gt;</description></item></channel></rss>"
    )
    assert orla.api("POST", where, 201, content=glue)["added"] == 1
    newest = orla.records(made["id"])[0]
    assert newest["values"]["0"] == "## Warm\n\nNot too much of it, and never hot."
    said = orla.api("GET", f"/databases/{made['id']}/records/{newest['id']}")["captured"]["words"]
    assert said == "Orla, by a list of links"
    assert "or a bookmark file" in orla.api("POST", where, 422, content=b"plain words")["detail"]
    assert "no web links" in orla.api("POST", where, 422, content=b'<opml version="2.0"><body/></opml>')["title"]
    bare = orla.database("Bare", {"name": "Name", "type": "text"})
    refused = orla.api("POST", f"/capture/links?database={bare['id']}", 422, content=BOOKMARKS)
    assert "no field for links" in refused["title"] and orla.records(bare["id"]) == []


@pytest.mark.parametrize(
    ("where", "said"),
    [
        ("http://127.0.0.1:3306/", "private network"),
        ("http://169.254.169.254/latest", "private network"),
        ("http://[::ffff:10.0.0.1]/", "private network"),
        ("http://no-such-host.invalid/", "is unknown, or its name"),
        ("{at}?moved=9", "more than 4 times"),
        ("{at}99999", "no such page (404)"),
    ],
)
def test_a_page_that_cannot_be_read_says_why_and_nothing_is_lost(pages, where, said):
    orla, made, _, at = pages
    body = {"database": made["id"], "text": f"x {where.format(at=at)}", "read_pages": True}
    refused = orla.api("POST", "/capture", 422, json=body)
    assert said in refused["title"] and "without its page" in refused["detail"] and orla.records(made["id"]) == []
    orla.api("POST", "/capture", json=body | {"read_pages": False})


@pytest.mark.parametrize("to", ["http://[::1", "ftp://x.example/", "javascript:alert(1)"])
def test_a_page_that_leads_out_of_the_web_is_not_followed(orla, monkeypatch, to):
    monkeypatch.setattr(guarded_http, "send", lambda *_: guarded_http.Answer(302, b"", None, to))
    with pytest.raises(PermanentError, match="not on the web"):
        reading_pages.fetch(orla.kelvix.engine, f"{orla.kelvix.settings.practice_address}/reading/pages/1")
