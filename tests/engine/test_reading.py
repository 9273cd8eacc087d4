"""Saved articles: from a list of practice Reading to records, through every process."""

from __future__ import annotations

import pytest

from reference.test_articles import PAGE
from reference.test_lists_of_links import BOOKMARKS
from support import until


@pytest.fixture
def notes(orla):
    connection = orla.connect("To read", app="reading")
    fields = ("Name", "text"), ("Author", "text"), ("Published", "date"), ("Address", "link"), ("Minutes", "number")
    made = orla.database("Notes", *({"name": n, "type": t} for n, t in fields), {"name": "Marked", "type": "long_text"},
                         {"name": "Tags", "type": "labels", "grows": True})  # fmt: skip
    ids = {f["name"]: f["id"] for f in made["fields"]}
    from_ = {"Name": "title", "Author": "author", "Published": "published", "Address": "bare_link", "Minutes": "minutes"}
    from_ |= {"Marked": "highlight_texts", "Tags": "tags"}
    fillings = [{"field": ids[n], "filling": [{"ref": {"line": "w", "value": v}}]} for n, v in from_.items()]
    fillings.append({"field": "0", "filling": [{"ref": {"line": "w", "value": "text"}}]})
    when = {"verb": "when", "id": "w", "app": "reading", "event": "any_change", "connection": connection,
            "container": str(orla.container("reading", "To read"))}  # fmt: skip
    keep = {"verb": "add_or_update", "id": "k", "database": made["id"], "by": [ids["Address"]], "fillings": fillings}
    workflow = orla.workflow("Notes", {"lines": [when, keep]})
    orla.api("POST", f"/workflows/{workflow}/on")
    named = {str(i): n for n, i in ids.items()}

    def rows():
        return [{named[k]: v for k, v in r["values"].items()} for r in reversed(orla.records(made["id"]))]

    def labels(values):
        field = next(f for f in orla.api("GET", f"/databases/{made['id']}")["fields"] if f["name"] == "Tags")
        return [c["name"] for c in field["choices"] if c["id"] in (values or [])]

    return orla, rows, labels


def test_a_saved_article_becomes_a_note_and_follows_its_tags_and_highlights(notes):
    orla, rows, labels = notes
    where = f"/reading/lists/{orla.container('reading', 'To read')}"
    with orla.practice_page() as page:
        form = {"address": "https://wick.example/hair?utm_source=letter", "tags": "leather", "page": PAGE}
        assert page.post(where, data=form).status_code == 303
        [row] = until(rows)
        assert (row["Name"], row["Author"], row["Published"], row["Minutes"]) == (
            "Hair sheep leather",
            "Nell Sparrow",
            "2026-03-04",
            "1",
        )
        assert row["Address"] == "https://wick.example/hair" and "## Glue" in row["Text"] and labels(row["Tags"]) == ["leather"]
        [article] = orla.kelvix.practice.items(orla.container("reading", "To read"), 5)
        marked = {"text": "Hide glue, warm", "note": "ask Ruth"}
        assert page.post(f"/reading/articles/{article['id']}/highlight", data=marked).status_code == 303
        until(lambda: rows()[0]["Marked"] == "“Hide glue, warm” (ask Ruth)")
        again = {"address": "https://wick.example/hair?utm_campaign=other#part", "tags": "bellows"}
        page.post(where, data=again)
        until(lambda: labels(rows()[0]["Tags"]) == ["leather", "bellows"])
    assert len(rows()) == 1, "the same article, whatever its address tracks"


def test_a_bookmark_file_is_imported(notes):
    orla, rows, labels = notes
    where = f"/reading/lists/{orla.container('reading', 'To read')}/import"
    with orla.practice_page() as page:
        assert page.post(where, files={"file": ("b.html", BOOKMARKS)}).status_code == 303
        until(lambda: len(rows()) == 2)
        refused = page.post(where, files={"file": ("b.html", b"no web links")})
    assert refused.status_code == 422 and "this is not a feed, an OPML or a bookmark file" in refused.text
    found = {r["Name"]: r for r in rows()}
    assert set(found) == {"Glue & size", "At the top"} and labels(found["Glue & size"]["Tags"]) == ["Workshop", "glue", "hide"]
