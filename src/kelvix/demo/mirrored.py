"""The demo's mirrors: the workshop's tasks with the customers' issues and with the foreman's list, a part of the parishes with the
deanery's tables, and saved articles as a list. Weeks of crossings, two conflicts, a held pair, and one task that both sides edited."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from functools import partial
from typing import Any

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core.collection import Schema
from kelvix.core.mirror import proposals
from kelvix.core.mirror.document import FieldPair, Mirror, MirrorSide
from kelvix.core.query import Comparison, Joined, Where
from kelvix.core.schema import Database
from kelvix.core.values import Value
from kelvix.demo.days import moved
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import listening, looking, planning, stages
from kelvix.engine.mirrors import sides as opening
from kelvix.engine.mirrors.kept import as_pair, put_pair
from kelvix.practice.apps.issues import Issues
from kelvix.store import mirror_looks, mirrors, pairs, records
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Origin

BEGAN = datetime(2026, 11, 5, 9, 0, tzinfo=UTC)
# On which day which task is edited, on which side, and what it becomes: its due day by so many days later, or its hours.
EDITS = (
    (6, "left", "Hours", "6.5"), (9, "right", "Hours", "3"), (10, "left", "Due", 3), (10, "right", "Due", 5), (11, "left", "Hours", "12"),
    (12, "right", "Hours", "2.5"), (13, "left", "Due", 1), (16, "left", "Due", 7), (16, "left", "Hours", "8"), (17, "right", "Due", 2),
    (18, "left", "Hours", "1.5"), (18, "right", "Hours", "9"), (19, "left", "Due", 4), (20, "right", "Hours", "5"), (23, "left", "Due", 2),
    (23, "right", "Hours", "7"), (24, "left", "Hours", "4"),
)  # fmt: skip


@dataclass
class Mirrors:
    """`at` sets the clock; `issues` is the practice app of the customers' project, and `project` that."""

    engine: Engine
    space: Space
    at: Callable[[datetime | None], None]
    issues: Issues
    project: int

    def make(self, tasks: Database, project: Database, bench: Database, parishes: Database, table: Database) -> None:
        """Make the mirrors of the workshop, and let weeks go by."""
        self.at(moved(BEGAN))
        field = {f.name: f for f in tasks.fields}
        is_open = Joined("all", (Comparison(field["Done"].id, "is", False),))
        restoration = self._mirror(
            "Workshop tasks and Restoration", tasks, project, ("Name", "Due", "Hours", "Text"), inside=is_open
        )
        ivo = next(c.id for c in field["Who"].choices if c.name == "Ivo")
        for_ivo = Joined("all", (Comparison(field["Done"].id, "is", False), Comparison(field["Who"].id, "is", ivo)))
        on_the_bench = Joined("all", (Comparison("done", "is", False),))
        self._mirror(
            "Workshop tasks and the bench", tasks, bench, ("Name", "Due", "Text", "Done"), inside=for_ivo, theirs=on_the_bench
        )
        by_name = {f.name: f for f in parishes.fields}
        north = next(iter(by_name["Deanery"].choices)).id
        of_north = Joined("all", (Comparison(by_name["Deanery"].id, "is", north),))
        self._mirror("Parishes for the deanery", parishes, table, ("Name", "Organ", "Last tuned"), inside=of_north, creates="right",
                     direction="to_right")  # fmt: skip
        self._weeks(restoration, tasks)
        self.at(None)

    def articles(self, shelf: Database, notes: Database) -> None:
        """Make a list of the saved articles, one way."""
        self.at(moved(BEGAN))
        self._mirror("Reading list", notes, shelf, ("Name", "Address", "Author"), creates="left", direction="to_left")
        self.at(None)

    def _mirror(
        self, name: str, left: Database, right: Database, fields: tuple[str, ...], direction: Any = "both", creates: Any = "both",
        inside: Where | None = None, theirs: Where | None = None,
    ) -> int:  # fmt: skip
        """Make a mirror of the named fields of the left side, and carry out its plan."""
        schemas = [opening.open_side(self.engine, self.space, side.id).schema for side in (left, right)]
        matched = self._matched(schemas[0], schemas[1], left, fields, direction)
        chosen = Mirror(
            MirrorSide(left.id, inside),
            MirrorSide(right.id, theirs),
            matched,
            proposals.match_rule(schemas[0], schemas[1], matched),
            creates,
            deletes="ask",
            quiet=0.0,
        )
        made = self.space.transact(lambda t: mirrors.create(t, self.space.id, name, chosen, "Orla Fenwick"))
        planning.begin(self.engine, self.space, made)
        self._stages()
        planning.carry_out(self.engine, self.space, made)
        self._stages()
        self._cross()
        self._stages()
        return made

    def _matched(
        self, left: Schema, right: Schema, of: Database, fields: tuple[str, ...], direction: Any
    ) -> tuple[FieldPair, ...]:
        wanted = {f.id for f in of.fields if f.name in fields}
        proposed = [one for one in proposals.field_pairs(left, right) if one.left in wanted]
        return tuple(one if direction == "both" else replace(one, direction=direction) for one in proposed)

    def _stages(self) -> None:
        while stages.work_due(self.engine, self.space.server):
            continue

    def _cross(self, when: datetime | None = None, n: int = 0) -> None:
        """Let cross what is to cross. `when`: the clock, which goes on by the time that it takes; `n` makes that another each
        time."""
        while True:
            read = listening.follow(self.space.server, self.engine)
            if when is not None:
                when += timedelta(milliseconds=240 + n * 137 % 480)
                self.at(when)
            if not read + looking.look_at_all(self.engine, self.space):
                break

    # Weeks of edits

    def _weeks(self, mirror: int, tasks: Database) -> None:
        rows = self.space.read(lambda t: pairs.page(t, mirror, ("in_step",), 0, 200))
        both = [as_pair(row) for row in rows]
        for n, (day, side, name, value) in enumerate(EDITS):
            when = moved(datetime(2026, 11, day, 8 + n % 9, 7 * n % 60, tzinfo=UTC))
            self.at(when)
            pair = both[n * 3 % len(both)]
            if side == "left":
                self._edit_task(tasks, pair.left, name, value, "Petra")
            else:
                self._edit_issue(pair.right, name, value, "Ada Pell")
                self.space.transact(
                    partial(mirror_looks.stir, workspace_id=self.space.id, mirror_id=mirror, side="right", items=[pair.right])
                )  # as a push would
            self._cross(when, n)
        self.at(today := moved(datetime(2026, 11, 24, 9, 40, tzinfo=UTC)))
        merged, one, other, held = both[1], both[4], both[7], both[10]
        self._edit_task(tasks, merged.left, "Due", 6, "Orla Fenwick")  # both sides, and both edits stand
        self._edit_issue(merged.right, "Hours", "11.25", "Ada Pell")
        self._edit_task(tasks, one.left, "Due", 9, "Orla Fenwick")  # both sides, and they clash
        self._edit_issue(one.right, "Due", 4, "Hanne Ruud")
        self._edit_task(tasks, other.left, "Hours", "14.25", "Ivo Carrow")
        self._edit_issue(other.right, "Hours", "10.75", "Ada Pell")
        self._cross(today, 3)
        kept = self.space.read(lambda t: mirrors.get(t, self.space.id, mirror))
        assert kept
        self.space.transact(lambda t: put_pair(t, self.space, kept, replace(held, state="held")))
        self._edit_task(tasks, held.left, "Hours", "20", "Maren")
        self._cross(today, 5)

    def _edit_task(self, tasks: Database, id: str, name: str, value: Any, by: str) -> None:
        field = next(f for f in tasks.fields if f.name == name)

        def work(t: Transaction) -> None:
            one = records.get(t, tasks, int(id), lock=True)
            assert one
            was = one.values[field.id]
            new: Value = was + timedelta(days=value) if isinstance(was, date) else field.take(value, self.space.zone, None)
            write.change(t, self.space.id, tasks, one, {field.id: new}, Actor(Origin(person=by)))

        self.space.transact(work)

    def _edit_issue(self, id: str, name: str, value: Any, by: str) -> None:
        row = self.issues.store.item("issues", int(id))
        assert row
        project = self.issues.project(self.project)
        number = str(next(f["id"] for f in project["fields"] if f["name"] == name))
        own: Mapping[str, Any] = self.issues.as_json(row)["fields"]
        if name == "Due":
            value = (date.fromisoformat(own[number]) + timedelta(days=value)).isoformat()
        else:
            value = float(value)
        self.issues.edit(row, by, {"fields": {number: value}})
