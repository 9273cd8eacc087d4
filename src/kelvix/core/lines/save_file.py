"""Save a file lines: which file goes into which folder of an app, under which name."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from kelvix.core import file_name
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.fields.file import linked
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, GoOn, Problem, Saving, StoreFile
from kelvix.core.schema import CarriedField
from kelvix.core.values import File, Type, Unfit, Value, as_text, shorten
from kelvix.core.workflow import Filling, Line


@dataclass(frozen=True)
class SaveFile(Line):
    """Save a file into a folder: the chosen one, else the one that has the name which `folder` is filled with, made where there
    is none if the line `makes` it. Without a `name` it keeps its own; its extension it keeps in any case. `collision`: what
    becomes of one of the same name that is there."""

    id: str
    connection: int | None = None
    container: str | None = None
    container_name: str = ""
    folder: Filling = ()
    makes: bool = False
    file: Filling = ()
    name: Filling = ()
    collision: Literal["number", "replace", "skip"] = "number"
    within: str = ""
    verb: Literal["save_file"] = "save_file"


FIELDS = (
    CarriedField("name", ("Saved file", "Name"), "text"),
    CarriedField("link", ("Saved file", "Link that opens it"), "link"),
    CarriedField("folder", ("Saved file", "Folder"), "text"),
    CarriedField("happened", ("Saved file", "What happened"), "text"),
    CarriedField("identifier", ("Saved file", "Identifier"), "text"),
)


HAPPENED = {"added": "added", "replaced": "replaced an existing file", "there": "already existed"}


def saving(line: SaveFile, carried: Carried, env: Env) -> Saving | None:
    """Return what would be saved with a sample; nothing where it has no file. Raises Unfit."""
    file = compute(line.file, carried, env)
    if file is None:
        return None
    if not isinstance(file, File):
        file = linked(as_text(file, env.zone))
    name = as_text(compute(line.name, carried, env), env.zone).strip() if is_filled(line.name) else str(file)
    if not name:
        raise Unfit("the name is empty in this item")
    folder = line.container_name
    if line.container is None:
        folder = " ".join(as_text(compute(line.folder, carried, env), env.zone).split())
        if not folder:
            raise Unfit("the folder’s name is empty in this item")
        folder = file_name.clean(folder)
    return Saving(file, file_name.with_extension(name, str(file)), folder)


def step(line: SaveFile, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    below = carried.plus(line.id, FIELDS, {})
    if line.connection is None or (line.container is None and not is_filled(line.folder)):
        return Cell(line.id, UNREADY, "choose a folder"), below
    if not is_filled(line.file):
        return Cell(line.id, UNREADY, "choose a file"), below
    try:
        made = saving(line, carried, env)
    except Unfit as unfit:
        return Cell(line.id, Problem(), shorten(str(unfit), 120)), below
    if made is None:
        return Cell(line.id, GoOn("found_none"), "no file to save"), below
    note = f"{shorten(made.name, 60)} → {shorten(made.folder, 40)}"
    cell = Cell(line.id, StoreFile(made), note)
    return cell, carry_on(line, {"name": made.name, "folder": made.folder}, carried)


def carry_on(line: SaveFile, saved: Mapping[str, str | None], carried: Carried) -> Carried:
    """Return what lines below can use of what was saved."""
    values: dict[str, Value] = {key: saved.get(key) for key in ("name", "link", "folder", "identifier")}
    return carried.plus(line.id, FIELDS, {**values, "happened": HAPPENED.get(saved.get("happened") or "")})


def _may_be_file(code: Type) -> bool:
    """Whether a value may be a file, or a link that downloads one."""
    return TYPES[code].family == "file" or TYPES[code].is_text or TYPES[code].is_address


def check(line: SaveFile, carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    found: list[Finding] = []
    if line.connection is None:
        found.append(Finding(line.id, "choose a connection to save with", key="connection"))
    if line.container is None and not is_filled(line.folder):
        found.append(Finding(line.id, "choose a folder", key="folder"))
    if not is_filled(line.file):
        found.append(Finding(line.id, "choose a file", key="file"))
    elif any(not _may_be_file(carried.fields[ref].type) for ref in references(line.file) if ref in carried.fields):
        found.append(Finding(line.id, "this is not a file. Choose a file value, or a link that downloads one", key="file"))
    for key, filling in (("file", line.file), ("name", line.name), ("folder", line.folder)):
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, "this uses a value that is not available here", key=key))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, "this formula has an error", key=key))
    return found


class SaveFileKind(Kind[SaveFile]):
    line, verb = SaveFile, "save_file"
    acts = True

    def step(self, line: SaveFile, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context.env)

    def makes(self, line: SaveFile, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, FIELDS, {})

    def check(self, line: SaveFile, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, carried)

    def fillings(self, line: SaveFile) -> Iterator[Filling]:
        yield line.file
        yield line.name
        yield line.folder

    def connections(self, line: SaveFile) -> tuple[int | None, ...]:
        return (line.connection,)

    def says(self, line: SaveFile, names: Mapping[int, str]) -> str:
        return "save a file"


KIND = SaveFileKind()
