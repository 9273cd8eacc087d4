"""Files by their links: fetched when they are written, of the kind that their content says, and no web page taken for one."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from io import BytesIO

import pytest
from PIL import Image

from kelvix.core.query import Query
from kelvix.engine import linked_files
from kelvix.settings import Settings
from support import document

PAGE = b"<!DOCTYPE html><title>Sign in</title><p>Sign in to see this file."


def picture() -> bytes:
    out = BytesIO()
    Image.new("RGB", (3, 3)).save(out, "PNG")
    return out.getvalue()


PNG = picture()
ANSWERS: dict[str, tuple[int, dict[str, str], bytes]] = {
    "/survey.png": (200, {"content-type": "text/plain"}, PNG),
    "/download": (200, {"content-disposition": "attachment; filename*=UTF-8''Loft%20at%20noon.png"}, PNG),
    "/bare": (200, {}, PNG),
    "/list.csv": (200, {"content-type": "application/octet-stream"}, b"Part,Left\nReed,12\n"),
    "/moved": (302, {"location": "/survey.png"}, b""),
    "/plan.pdf": (200, {"content-type": "text/html"}, PAGE),
    "/page.html": (200, {"content-type": "text/html"}, PAGE),
    "/large": (200, {}, b"x" * 5000),
    "/busy": (503, {"retry-after": "7"}, b""),
}


class Handler(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        status, headers, content = ANSWERS.get(self.path, (404, {}, b""))
        self.send_response(status)
        for name, value in {**headers, "content-length": str(len(content))}.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, *_: object) -> None: ...


@pytest.fixture
def site(monkeypatch) -> Iterator[str]:
    """A web server that may be reached, though it is on this machine."""
    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    host = f"127.0.0.1:{server.server_port}"
    monkeypatch.setattr(Settings, "may_reach", property(lambda _: frozenset((host,))))
    yield f"http://{host}"
    server.shutdown()
    server.server_close()


class Papers:
    """A database with a field of a file and one of several; what comes by mail says where they are."""

    def __init__(self, orla, by_hand):
        self.orla, self.by_hand, mail = orla, by_hand, orla.connect("Enquiries")
        fields = ({"name": "Name", "type": "text"}, {"name": "Copy", "type": "file"}, {"name": "All", "type": "several_files"})
        self.database = orla.database("Papers", *fields)
        self.when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]

    def carry(self, text: str, field: int = 1):
        ids = [f["id"] for f in self.database["fields"]]
        refs = {ids[0]: "subject", ids[field]: "text"}
        fills = [{"field": f, "filling": [{"ref": {"line": "w", "value": v}}]} for f, v in refs.items()]
        add = {"verb": "add", "id": "a", "database": self.database["id"], "fillings": fills}
        flow = self.orla.workflow("By link", {"lines": [self.when, add]})
        return self.by_hand.carry(self.by_hand.begin(flow, {"subject": "A paper", "text": text}))

    def file(self, field: int = 1):
        [record] = self.orla.records(self.database["id"])
        return record["values"][self.database["fields"][field]["id"]]

    def content(self, place: int = 0, field: int = 1) -> bytes:
        [record] = self.orla.records(self.database["id"])
        where = f"/api/v1/databases/{self.database['id']}/records/{record['id']}"
        answer = self.orla.web.get(f"{where}/files/{self.database['fields'][field]['id']}", params={"place": place})
        assert answer.status_code == 200, answer.text
        return answer.content


@pytest.fixture
def papers(orla, by_hand) -> Papers:
    return Papers(orla, by_hand)


@pytest.mark.parametrize(
    ("path", "name", "kind"),
    [
        ("/survey.png", "survey.png", "image/png"),
        ("/download", "Loft at noon.png", "image/png"),
        ("/bare", "bare.png", "image/png"),
        ("/moved", "survey.png", "image/png"),
        ("/list.csv", "list.csv", "text/csv"),
        ("/page.html", "page.html", "text/html"),
    ],
)
def test_a_link_becomes_the_file_behind_it_of_the_kind_that_it_is(papers, site, path, name, kind):
    run = papers.carry(f"{site}{path}")
    assert run["state"] == "done", run["problem"]
    file = papers.file()
    assert (file[0], file[2]) == (name, kind)
    ANSWERS["/gone"] = ANSWERS.pop(path)  # it is kept here: what becomes of the link since does not matter
    try:
        assert papers.content() == (PNG if kind == "image/png" else ANSWERS["/gone"][2])
    finally:
        ANSWERS[path] = ANSWERS.pop("/gone")


def test_several_links_become_several_files(papers, site):
    run = papers.carry(f"{site}/survey.png\n\n{site}/list.csv", 2)
    assert run["state"] == "done", run["problem"]
    assert [file[0] for file in papers.file(2)] == ["survey.png", "list.csv"]
    assert papers.content(1, 2) == b"Part,Left\nReed,12\n"


@pytest.mark.parametrize(
    ("path", "said"),
    [
        ("/plan.pdf", "leads to a web page, not to a file. Use the link that downloads the file itself"),
        ("/none", "has no such file (404)"),
        ("/large", "is larger than 0 MB"),
    ],
)
def test_what_is_no_file_stops_with_what_to_do(papers, site, monkeypatch, path, said):
    monkeypatch.setattr(linked_files, "MAX_BYTES", 4000)
    run = papers.carry(f"{site}{path}")
    assert run["state"] == "failed" and said in run["problem"]
    assert papers.orla.records(papers.database["id"]) == []


def test_a_server_that_is_busy_is_asked_again(papers, site):
    run = papers.carry(f"{site}/busy")
    assert run["state"] not in ("done", "failed") and papers.orla.records(papers.database["id"]) == []


def test_a_link_into_a_private_network_is_not_followed(papers):
    run = papers.carry("http://127.0.0.1:9/secret.pdf")
    assert run["state"] == "failed" and "private network" in run["problem"]


def test_a_text_that_is_no_link_is_said_to_be_none(papers):
    run = papers.carry("see the attachment")
    assert run["state"] == "failed" and "is not a file, and no link to one" in run["problem"]


def test_a_file_behind_a_link_is_saved_in_an_app_with_the_ending_of_its_content(orla, by_hand, site):
    folder = orla.container("files", "Papers")
    mail, connection = orla.connect("Enquiries"), orla.connect("Papers", app="files", send=True)
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    ref = [{"ref": {"line": "w", "value": "text"}}]
    save = {"verb": "save_file", "id": "s", "connection": connection, "container": str(folder), "container_name": "Papers",
            "file": ref, "name": [{"text": "Loft"}]}  # fmt: skip
    flow = orla.workflow("Saves", {"lines": [when, save]})
    run = by_hand.carry(by_hand.begin(flow, {"subject": "x", "text": f"{site}/bare"}))
    assert run["state"] == "done", run["problem"]
    [item] = orla.source(connection, str(folder)).query(Query(limit=5)).items
    assert item.title == "Loft.png"
