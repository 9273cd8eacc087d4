"""Mirrors as workers carry them out: a database of ours and a list of an app, both changed by their users."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from kelvix.core.mirror import proposals
from kelvix.core.mirror.document import Mirror, MirrorSide
from kelvix.engine.mirrors import planning
from kelvix.store import crossings, mirror_looks, mirrors, pace, pairs
from sides import Issues, Own, Tasks
from support import until


class Two:
    """A mirror between two sides, as a person sets it up."""

    def __init__(self, orla, left, right, **choices):
        self.orla, self.left, self.right = orla, left, right
        schemas = left.source.schema(), right.source.schema()
        fields = choices.pop("fields", None) or tuple(
            p for p in proposals.field_pairs(*schemas) if p.left == left.title or choices.get("all")
        )
        choices.pop("all", None)
        rule = proposals.match_rule(*schemas, fields)
        chosen = Mirror(MirrorSide(left.id), MirrorSide(right.id), fields, rule, **({"quiet": 0.0} | choices))
        self.space = orla.space
        self.id = self.space.transact(lambda t: mirrors.create(t, self.space.id, "Tasks and list", chosen, "Orla"))

    @property
    def kept(self):
        return self.space.read(lambda t: mirrors.get(t, self.space.id, self.id))

    def plan(self):
        planning.begin(self.orla.kelvix.engine, self.space, self.id)
        until(lambda: self.kept.state == "planned")
        return self.space.read(lambda t: pairs.plan_counts(t, self.id))

    def carry_out(self):
        planning.carry_out(self.orla.kelvix.engine, self.space, self.id)
        self.settles()

    def settles(self):
        def is_over():
            kept = self.kept
            return kept.state == "stopped" or (kept.stage is None and not self.waiting())

        until(is_over, 30)

    def waiting(self):
        return self.space.read(lambda t: mirror_looks.waiting(t, self.id))

    def counts(self):
        return self.space.read(lambda t: pairs.counts(t, self.id))

    def crossed(self):
        return self.space.read(lambda t: crossings.page(t, self.id, None, 100))

    def titles(self, side):
        return sorted(str(i.values.get(side.title)) for i in side.items())


@pytest.fixture
def two(orla):
    own, tasks = Own(orla, "Workshop tasks"), Tasks(orla, "Foreman")
    for name in ("Voice the Principal", "Clean the trunk"):
        own.create({own.title: name})
        tasks.create({tasks.title: name})
    own.create({own.title: "Order leather"})
    tasks.create({tasks.title: "Ring the verger"})
    return Two(orla, own, tasks)


def test_a_plan_is_read_and_nothing_is_written_before_it_is_carried_out(two):
    assert two.plan() == {"pair": 2, "create_right": 1, "create_left": 1}
    assert len(two.left.items()) == 3 and len(two.right.items()) == 3


def test_a_plan_that_is_carried_out_pairs_what_is_the_same_and_creates_what_is_missing(two):
    two.plan()
    two.carry_out()
    assert two.titles(two.left) == two.titles(two.right) and len(two.left.items()) == 4
    assert two.counts() == {"in_step": 4}
    assert sorted(c.kind for c in two.crossed()) == ["create", "create"], "what is equal is not written"


def test_edits_cross_both_ways_and_deletions_are_asked(two):
    two.plan()
    two.carry_out()
    [ours] = [i for i in two.left.items() if i.title == "Clean the trunk"]
    [theirs] = [i for i in two.right.items() if i.title == "Voice the Principal"]
    two.left.edit(ours.id, {two.left.title: "Clean the great trunk"})
    two.right.edit(theirs.id, {two.right.title: "Voice the Principal 4′"})
    until(lambda: two.titles(two.left) == two.titles(two.right), 20)
    two.settles()
    assert {"Clean the great trunk", "Voice the Principal 4′"} <= set(two.titles(two.left))
    two.right.delete(theirs.id)
    until(lambda: two.counts().get("asked") == 1, 20)
    assert len(two.left.items()) == 4, "nothing is deleted before a person said so"


def test_what_waited_for_its_turn_is_looked_at_however_many_wait(two):
    """An app asks for fewer calls while many items are to be looked at: each waits for its turn once, and has it then."""
    two.plan()
    two.carry_out()
    two.space.transact(lambda t: pace.refused(t, two.space.id, two.right.connection, 1.0))
    for n in range(30):
        two.left.create({two.left.title: f"Task {n}"})
    two.settles()
    assert len(two.titles(two.right)) == 34
    assert not two.space.read(pace.kept) & {(two.space.id, two.right.connection)}


def an_hour_ago(task):
    """Let what was said of a task be an hour old."""
    at = (datetime.now(UTC) - timedelta(hours=1)).isoformat()
    return task | {"comments": [one | {"at": at} for one in task["comments"]]}


def test_comments_cross_once_and_those_from_before_stay(orla):
    """Tasks knows keys, Issues does not: what is said on either is said on the other, with who said it; a new task takes what was
    said about it along, and what was said before two were paired stays."""
    tasks, issues = Tasks(orla, "Foreman"), Issues(orla, "Works")
    for side in (tasks, issues):
        made = side.create({side.title: "Voice the Principal"})
        side.source.comment(made, f"From before, {side.app}", "before")
        orla.kelvix.practice.change(int(made), "commented", an_hour_ago)
    two = Two(orla, tasks, issues, comments="both")
    two.plan()
    two.carry_out()

    def said(side, title="Voice the Principal"):
        item = next(i for i in side.items() if i.title == title)
        return item.id, [c.text for c in side.source.comments(item.id)]

    assert said(tasks)[1] == ["From before, tasks"] and said(issues)[1] == ["From before, issues"]
    with orla.practice_page() as page:
        page.post(f"/tasks/tasks/{said(tasks)[0]}/comment", data={"text": "The reeds are in."})
    until(lambda: len(said(issues)[1]) == 2, 30)
    assert said(issues)[1][1] == "Orla: The reeds are in."
    issues.source.comment(said(issues)[0], "Thank you.", "later")
    until(lambda: len(said(tasks)[1]) == 3, 60)
    assert said(tasks)[1][1] == "The reeds are in." and said(tasks)[1][2].endswith(": Thank you.")
    new = issues.create({issues.title: "Ring the verger"})
    issues.source.comment(new, "Before noon.", "new")
    until(lambda: any(i.title == "Ring the verger" and i.comments for i in tasks.items()), 60)
    two.settles()
    crossed = [one for one in two.crossed() if one.kind == "comment"]
    assert len(crossed) == 3
    first = crossed[-1]
    undone = orla.api("POST", f"/mirrors/{two.id}/history/{first.n}/undo")
    assert undone["undone"] == 1 and said(issues)[1] == ["From before, issues", "Thank you."]
    two.settles()
    assert said(issues)[1] == ["From before, issues", "Thank you."], "what was undone is not said again"
