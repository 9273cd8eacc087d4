"""Files that people put into records by hand: kept here, given back whole, and in nobody else's sight."""

from __future__ import annotations

from http.client import HTTPConnection
from urllib.parse import urlsplit

import pytest

from kelvix.store import kept_files
from support import Person


@pytest.fixture
def papers(orla: Person):
    made = orla.database("Papers", {"name": "Name", "type": "text"}, {"name": "Paper", "type": "file"})
    name = str(made["fields"][0]["id"])
    record = orla.api("POST", f"/databases/{made['id']}/records", json={"values": {name: "Holm"}})["record"]
    return f"/databases/{made['id']}/records/{record['id']}", str(made["fields"][1]["id"])


def send(person: Person, content: bytes, name: str = "Holm.pdf"):
    return person.web.post("/api/v1/files", params={"name": name}, content=content)


def fill(person: Person, where: str, field: str, wire, version: int = 1, expect: int | None = None):
    return person.api("PATCH", where, expect, json={"values": {field: wire}}, headers={"if-match": str(version)})


def test_a_file_is_kept_whole_and_its_field_can_be_undone(orla, papers):
    where, field = papers
    content = bytes(range(256)) * 10_000  # more than two pieces
    assert len(content) > 2 * kept_files.PIECE
    kept = send(orla, content, "../Holm\u202e.pdf").json()["file"]
    assert kept[:3] == ["Holm.pdf", str(len(content)), "application/pdf"]
    made = fill(orla, where, field, kept)
    assert made["record"]["values"][field] == kept
    copy = orla.web.get(f"/api/v1{where}/files/{field}")
    assert copy.content == content and "attachment" in copy.headers["content-disposition"]
    fill(orla, where, field, None, version=2)
    emptied = orla.api("GET", where)["history"]
    orla.api("POST", f"/changes/{max(c['seq'] for c in emptied)}/undo")
    assert orla.web.get(f"/api/v1{where}/files/{field}").content == content


def test_what_a_caller_says_of_a_file_does_not_count(orla, papers):
    where, field = papers
    kept = send(orla, b"four").json()["file"]
    made = fill(orla, where, field, ["other.exe", "9", "text/html", kept[3]])
    assert made["record"]["values"][field] == kept


@pytest.mark.parametrize("source", ["kept:999999", "kept:x", "kept:", "files:1", "mail:1:2", ""])
def test_a_file_that_is_not_here_is_refused(orla, papers, source):
    where, field = papers
    refused = fill(orla, where, field, ["a", "1", "text/plain", source], expect=422)
    assert "uploaded to /api/v1/files" in refused["detail"]


def test_nobody_else_gets_at_it(orla, papers):
    where, field = papers
    kept = send(orla.kelvix.person("Ivo"), b"his own").json()["file"]
    fill(orla, where, field, kept, expect=422)


def test_one_that_is_too_large_is_refused_before_it_is_sent(orla):
    calling = HTTPConnection(urlsplit(orla.kelvix.address).netloc, timeout=10)
    calling.putrequest("POST", "/api/v1/files?name=large.bin")
    for name, value in {
        "cookie": f"kelvix={orla.web.cookies['kelvix']}",
        "content-length": str((200 << 20) + 1),
    }.items():
        calling.putheader(name, value)
    calling.endheaders()
    answer = calling.getresponse()
    assert answer.status == 413 and b"at most 200 MB" in answer.read()


def test_one_that_breaks_off_is_none_and_goes(orla):
    def breaks_off():
        yield b"x" * (kept_files.PIECE + 1)
        raise ConnectionError

    with pytest.raises(ConnectionError):
        kept_files.keep(orla.space, "half.txt", "text/plain", breaks_off())
    [begun] = orla.space.read(lambda t: t.rows("SELECT id FROM kept_file WHERE name='half.txt' AND whole=0"))
    source = f"{kept_files.SOURCE}:{begun['id']}"
    assert orla.space.read(lambda t: kept_files.get(t, orla.space.id, source)) is None
    orla.space.transact(
        lambda t: t.execute("UPDATE kept_file SET created_at=NOW(3) - INTERVAL 2 DAY WHERE id=%s", (begun["id"],))
    )
    orla.space.transact(kept_files.forget_broken_off)
    assert not orla.space.read(lambda t: t.rows("SELECT 1 FROM kept_file_piece WHERE file_id=%s", (begun["id"],)))


def test_an_empty_one_is_a_file_too(orla, papers):
    where, field = papers
    fill(orla, where, field, send(orla, b"", "empty.txt").json()["file"])
    assert orla.web.get(f"/api/v1{where}/files/{field}").content == b""
