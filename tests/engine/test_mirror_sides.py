"""Any two places as the sides of a mirror: none has code of its own for another one."""

from __future__ import annotations

import pytest

from mirrored import Mirrored
from sides import Issues, Outside, Own, Sheets, Tables, Tasks
from support import until


class Folder(Outside):
    """A folder of Files, which is a list that is only read."""

    app = "files"

    def __init__(self, orla, name):
        super().__init__(orla, name)
        self.name = name

    def create(self, values):
        self.orla.put_files(self.name, {values[self.title]: b"Wind pressure 72 mm"})
        return next(i.id for i in self.items() if i.title == values[self.title])

    def edit(self, id, values):
        self._post(f"/files/files/{id}/rename", name=values[self.title])

    def delete(self, id):
        self._post(f"/files/files/{id}/delete")

    def _post(self, where, **data):
        with self.orla.practice_page() as page:
            assert page.post(where, data=data).status_code == 303


class Articles(Folder):
    """A list of Reading, which is only read, too."""

    app = "reading"

    def create(self, values):
        title = values[self.title]
        self._post(f"/reading/lists/{self.place}", address=f"https://wick.example/{len(title)}", title=title, tags="reeds")
        return next(i.id for i in self.items() if i.title == title)

    def edit(self, id, values):
        self._post(f"/reading/articles/{id}/highlight", text=values["highlight_texts"])

    def delete(self, id):
        self._post(f"/reading/articles/{id}/delete")


def titles(side):
    return sorted(str(i.values.get(side.title)) for i in side.items())


def of(side, title):
    return next(i for i in side.items() if i.values.get(side.title) == title)


def carried_out(orla, left, right, **plan):
    mirror = Mirrored(orla, left, right)
    mirror.set_up(quiet=0)
    assert {kind: n for kind, n in mirror.plan().items() if n} == plan
    mirror.carry_out()
    return mirror


def read_both(mirror):
    """Have both sides read in full, as is done every night: what some apps do not tell is found then."""
    done = len(mirror.api("GET", "/parity"))
    mirror.api("POST", "/parity")
    until(lambda: len(mirror.api("GET", "/parity")) > done, 60)
    mirror.settles()
    return mirror.api("GET", "/parity")[0]


@pytest.mark.parametrize(
    ("left", "right"), [(Sheets, Own), (Tables, Sheets), (Tasks, Tables), (Issues, Sheets)], ids=lambda side: side.__name__
)
def test_two_places_are_kept_the_same(orla, left, right):
    left, right = left(orla, "Workshop"), right(orla, "Restoration")
    for side, name in ((left, "Order leather"), (right, "Blower hums")):
        side.create({side.title: "Voice the Principal"})
        side.create({side.title: name})
    mirror = carried_out(orla, left, right, pair=1, create_left=1, create_right=1)
    assert titles(left) == titles(right) == ["Blower hums", "Order leather", "Voice the Principal"]

    left.edit(of(left, "Blower hums").id, {left.title: "Blower whistles"})
    right.edit(of(right, "Order leather").id, {right.title: "Order goat leather"})
    left.create({left.title: "Ring the verger"})
    read_both(mirror)
    everything = ["Blower whistles", "Order goat leather", "Ring the verger", "Voice the Principal"]
    assert titles(left) == titles(right) == everything

    right.delete(of(right, "Voice the Principal").id)
    report = read_both(mirror)
    assert mirror.now()["counts"]["asked"] == 1 and titles(left) == everything, "nobody said what becomes of the other one"
    assert report["different"] == 0


def test_a_folder_is_kept_as_a_list_with_its_files(orla):
    folder, own = Folder(orla, "Surveys"), Own(orla, "Surveys")
    for name in ("Wickham.txt", "Harbour.txt"):
        folder.create({folder.title: name})
    own.create({own.title: "Wickham.txt"})
    mirror = carried_out(orla, folder, own, pair=1, create_right=1)
    kept = next(f.id for f in own.source.schema().fields if f.type == "file")
    assert titles(own) == ["Harbour.txt", "Wickham.txt"] and all(str(i.values[kept]) == i.title for i in own.items())
    folder.edit(of(folder, "Harbour.txt").id, {folder.title: "Harbour, west.txt"})
    own.edit(of(own, "Wickham.txt").id, {own.title: "Wickham, by us.txt"})
    read_both(mirror)
    assert titles(own) == ["Harbour, west.txt", "Wickham, by us.txt"], "nothing is written to where nothing can be written"
    row = mirror.row("Wickham, by us.txt")
    assert row["state"] == "in_step" and [one["state"] for one in row["open"]] == ["drift"]


def test_saved_articles_are_kept_as_a_list(orla):
    articles, own = Articles(orla, "To read"), Own(orla, "Reading")
    article = articles.create({articles.title: "Hair sheep leather"})
    mirror = carried_out(orla, articles, own, create_right=1)
    assert titles(own) == ["Hair sheep leather"]
    articles.delete(article)
    read_both(mirror)
    assert mirror.now()["counts"] == {"asked": 1} and len(own.items()) == 1
