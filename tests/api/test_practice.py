"""Practice Mail as a service of its own: scoped tokens, the feed, idempotency keys, its pages and their guard."""

from __future__ import annotations

import mailbox
import re
from email.message import EmailMessage

import httpx2 as httpx
import pytest


@pytest.fixture
def mail(orla):
    """Mail's API with a token that was given for Enquiries only."""
    token = orla.token(orla.connect("Enquiries"))
    base = f"{orla.kelvix.settings.practice_address}/mail/api"
    with httpx.Client(base_url=base, headers={"authorization": f"Bearer {token}"}, trust_env=False) as client:
        yield orla, client


def test_a_token_reaches_the_shared_folders_only(mail):
    orla, api = mail
    orla.deliver("Shared")
    orla.deliver("Not shared", folder="Suppliers")
    mine, others = (orla.kelvix.practice.items(orla.folders[f], 1)[0]["id"] for f in ("Enquiries", "Suppliers"))
    me = api.get("/me").json()
    assert [f["name"] for f in me["shared"]] == ["Enquiries"] and set(me["not_shared"]) == {"Suppliers", "Empty"}
    assert api.get(f"/messages/{mine}").json()["subject"] == "Shared"
    assert api.get(f"/messages/{others}").status_code == 403
    assert api.get(f"/folders/{orla.folders['Suppliers']}/messages").status_code == 403
    assert (
        api.post("/subscriptions", json={"container": str(orla.folders["Suppliers"]), "url": "http://127.0.0.1:1/"}).status_code
        == 403
    )
    assert {c["container"] for c in api.get("/feed").json()["changes"]} == {str(orla.folders["Enquiries"])}
    assert api.get("/messages/99999999").status_code == 404
    assert httpx.get(f"{api.base_url}me", trust_env=False).status_code == 401


def test_the_feed_goes_on_from_a_cursor_and_never_beyond_its_head(mail):
    orla, api = mail
    start = api.get("/feed", params={"after": 2**53}).json()
    assert start["changes"] == [] and start["cursor"] < 2**53
    for n in range(5):
        orla.deliver(f"m{n}")
    seen, cursor = [], start["cursor"]
    while True:
        page = api.get("/feed", params={"after": cursor, "limit": 2}).json()
        seen += page["changes"]
        cursor = page["cursor"]
        if not page["more"]:
            break
    assert len(seen) == 5 and [c["seq"] for c in seen] == sorted({c["seq"] for c in seen})
    assert api.get("/feed", params={"after": cursor}).json()["changes"] == []


def test_the_same_idempotency_key_makes_one_message(mail):
    orla, api = mail
    where = f"/folders/{orla.folders['Enquiries']}/messages"
    source = b"Subject: once\r\nFrom: a@b.example\r\n\r\nx"
    first, second = (api.post(where, content=source, headers={"idempotency-key": "k"}).json()["id"] for _ in range(2))
    other = api.post(where, content=source, headers={"idempotency-key": "l"}).json()["id"]
    assert first == second != other and len(api.get(where).json()["items"]) == 2


def test_an_attachment_is_fetched_by_its_index(mail):
    orla, api = mail
    raw = b"Subject: x\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n--b\r\n\r\nhi\r\n--b\r\nContent-Type: text/csv; name=a.csv\r\n\r\n1;2\r\n--b--"
    made = api.post(f"/folders/{orla.folders['Enquiries']}/messages", content=raw).json()["id"]
    [attached] = api.get(f"/messages/{made}").json()["attachments"]
    part = api.get(f"/messages/{made}/parts/{attached['index']}")
    assert part.content == b"1;2" and part.headers["content-disposition"] == "attachment"
    assert api.get(f"/messages/{made}/parts/99").status_code == 404


def test_messages_are_written_read_moved_and_deleted_on_its_pages(orla):
    folder = orla.folders["Enquiries"]
    with orla.practice_page() as page:
        sent = page.post(
            f"/mail/folders/{folder}",
            data={"sender": "Ida <ida@post.example>", "subject": "By hand <b>", "text": "Hello"},
            files={"files": ("a.txt", b"abc")},
        )
        assert sent.status_code == 303
        [row] = orla.kelvix.practice.items(folder, 10)
        shown = page.get(f"/mail/messages/{row['id']}").text
        assert "By hand &lt;b&gt;" in shown and "a.txt" in shown
        assert page.post(f"/mail/messages/{row['id']}/move", data={"to": orla.folders["Suppliers"]}).status_code == 303
        assert orla.kelvix.practice.items(folder, 10) == []
        assert page.post(f"/mail/messages/{row['id']}/delete").status_code == 303
        assert page.get(f"/mail/messages/{row['id']}").status_code == 404
        refused = page.post(
            f"/mail/folders/{folder}",
            data={"sender": "a\r\nBcc: x@y.example", "subject": "x", "text": "x"},
            files={"files": ("a.txt", b"x")},
        )
        assert refused.status_code == 422 and "can’t be sent" in refused.text


@pytest.mark.parametrize(("app", "container", "item"), [("files", "folders", "files"), ("reading", "lists", "articles")])
def test_files_and_articles_are_moved_and_deleted_on_their_pages(orla, app, container, item):
    with orla.practice_page() as page:
        made = page.post(f"/{app}/{container}", data={"name": "Made by hand"}).headers["location"]
        assert "Made by hand" in page.get(f"/{app}").text
        form = {"address": "https://wick.example/glue", "title": "Glue"}
        assert page.post(made, data=form, files={"files": ("Glue", b"hide")}).status_code == 303
        [row] = orla.kelvix.practice.items(int(made.rpartition("/")[2]), 5)
        shown, to = f"/{app}/{item}/{row['id']}", orla.container(app, "Elsewhere")
        assert page.post(f"{shown}/move", data={"to": to}).headers["location"] == shown
        assert "Elsewhere" in page.get(shown).text and len(orla.kelvix.practice.items(to, 5)) == 1
        assert page.post(f"{shown}/delete").headers["location"] == f"/{app}/{container}/{to}"
        assert page.get(shown).status_code == 404 and orla.kelvix.practice.items(to, 5) == []


def test_its_pages_ask_for_a_sign_in_and_take_forms_of_their_own_only(orla):
    base = orla.kelvix.settings.practice_address
    away = httpx.get(f"{base}/mail", trust_env=False)
    assert away.status_code == 303 and away.headers["location"].startswith("/sign-in")
    with orla.practice_page() as page:
        forged = page.post(
            "/faults", data={"name": "mail", "mode": "down", "push": "never"}, headers={"origin": "http://evil.example"}
        )
        assert forged.status_code == 403
        assert page.post("/sign-in", data={"account": orla.account, "to": "//evil.example"}).headers["location"] == "/"
        assert "default-src 'self'" in page.get("/").headers["content-security-policy"]


def test_the_consent_window_refuses_what_is_not_right(orla):
    """RFC 6749, 4.1.2.1: a wrong client or redirect address is not sent on; RFC 7636: no code without its verifier."""
    asked = orla.api("POST", "/connections/consent", json={"app": "mail"})["address"]
    base = orla.kelvix.settings.practice_address
    with orla.practice_page() as page:
        for wrong in (re.sub("redirect_uri=[^&]+", "redirect_uri=http%3A%2F%2Fevil.example", asked), asked.replace("client_id=kelvix", "client_id=other"),
                      re.sub("&?code_challenge=[^&]+", "", asked), asked.replace("scope=mail", "scope=everything")):  # fmt: skip
            answer = page.get(wrong)
            assert answer.status_code == 400 and "not valid" in answer.text, wrong
        code = re.search(
            r"code=([^&]+)",
            page.post(asked, data={"share": str(orla.folders["Enquiries"]), "answer": "allow"}).headers["location"],
        )[1]
    callback = f"{orla.kelvix.address}/api/v1/connections/callback"
    for verifier in ("x" * 50, None):
        form = {"grant_type": "authorization_code", "code": code, "client_id": "kelvix", "redirect_uri": callback} | (
            {"code_verifier": verifier} if verifier else {}
        )
        assert httpx.post(f"{base}/oauth/token", data=form, trust_env=False).status_code == 400


def test_folders_of_another_account_cannot_be_shared(kelvix):
    orla, eve = kelvix.person("Orla"), kelvix.person("Eve")
    asked = eve.api("POST", "/connections/consent", json={"app": "mail"})["address"]
    with eve.practice_page() as page:
        back = page.post(asked, data={"share": str(orla.folders["Enquiries"]), "answer": "allow"}).headers["location"]
    landed = eve.web.get(back.removeprefix(kelvix.address)).headers["location"]
    assert eve.api("GET", f"/connections/{landed.rpartition('/')[2]}/sight")["finding"] == "nothing_shared"


def test_the_feed_says_that_there_is_more_also_where_what_is_not_shared_lies_between(orla):
    """What the connection cannot see counts for how far a page goes, not for whether there is another one."""
    connection = orla.connect("Enquiries")
    for n in range(3):
        orla.deliver(f"Hidden {n}", "Suppliers")
    orla.deliver("Seen")
    address = f"{orla.kelvix.settings.practice_address}/mail/api/feed"
    headers = {"authorization": f"Bearer {orla.token(connection)}"}
    first = httpx.get(address, params={"after": 0, "limit": 2}, headers=headers, trust_env=False).json()
    assert first["changes"] == [] and first["more"]
    assert orla.source(connection, str(orla.folders["Enquiries"])).changes(str(first["cursor"])).changes


def test_messages_are_imported_from_files_once(orla, tmp_path):
    box = mailbox.mbox(tmp_path / "box")
    for subject in ("One", "Two"):
        made = EmailMessage()
        made["From"], made["Subject"], made["Date"] = "a@b.example", subject, "Mon, 02 Nov 2026 09:00:00 +0000"
        made.set_content("Good morning.")
        box.add(made)
    box.close()
    folder = orla.folders["Enquiries"]
    with orla.practice_page() as page:
        for _ in range(2):
            sent = {"file": ("box", (tmp_path / "box").read_bytes())}
            assert page.post(f"/mail/folders/{folder}/import", files=sent).status_code == 303
        refused = page.post(f"/mail/folders/{folder}/import", files={"file": ("x", b"no mail")})
        shown = page.get(f"/mail/folders/{folder}").text
    assert refused.status_code == 422 and "Not all was imported" in refused.text
    assert shown.count(">One<") == shown.count(">Two<") == 1 and "2026-11-02 09:00" in shown
