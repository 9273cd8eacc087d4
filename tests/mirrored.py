"""A mirror as its user sees it, by the API, with two items on each side of which one is the same."""

from __future__ import annotations

from sides import Own
from support import until


class Mirrored:
    """A mirror as its user sees it, by the API."""

    def __init__(self, orla, left, right):
        self.orla, self.left, self.right = orla, left, right
        self.id = self.api("POST", "", json={"left": left.id, "right": right.id})["id"]

    def api(self, method, where, **more):
        under = f"/mirrors{where}" if not hasattr(self, "id") else f"/mirrors/{self.id}{where}"
        return self.orla.api(method, under, **more)

    def set_up(self, **changes):
        now = self.api("GET", "/set-up")
        body = {
            k: v for k, v in now.items() if k not in ("id", "version", "left", "right", "problems", "windows", "access")
        } | changes
        return self.api("PUT", "/set-up", json=body, headers={"if-match": str(now["version"])})

    def now(self):
        return self.api("GET", "")

    def plan(self):
        self.api("POST", "/plan")
        until(lambda: self.now()["state"] == "planned")
        return self.now()["plan"]

    def carry_out(self):
        self.api("POST", "/carry-out")
        self.settles()

    def settles(self):
        until(lambda: (n := self.now())["stage"] is None and not n["waiting"])
        return self.now()["counts"]

    def rows(self, state=None):
        return self.api("GET", "/rows" + (f"?state={state}" if state else ""))

    def row(self, title):
        return next(r for r in self.rows() if title in ((r["left"] or {}).get("title"), (r["right"] or {}).get("title")))


def make(orla, right, **more):
    own, theirs = Own(orla, "Workshop"), right(orla, "Restoration")
    own.create({own.title: "Voice the Principal"})
    theirs.create({theirs.title: "Voice the Principal"})
    own.create({own.title: "Order leather"})
    theirs.create({theirs.title: "Blower hums"})
    made = Mirrored(orla, own, theirs)
    made.set_up(quiet=0, **more)
    return made
