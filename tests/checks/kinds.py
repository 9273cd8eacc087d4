"""Where the source names a kind of line: imports its class or its module, or looks at a line's verb, where it should ask the kind
itself. A kind's own folder counts once."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from collections.abc import Iterator, Mapping
from pathlib import Path

DECLARES = ("demo", "practice", "connectors", "formats")  # what makes documents, or has nothing to do with them
HOMES = ("kelvix.core.lines", "kelvix.engine.effects")
OWN = re.compile(r"(?:core/lines|engine/effects)/(\w+)\.py|lines/(\w+)/")
VERB_IN_TYPESCRIPT = re.compile(r'verb\w*\)?\s*[!=]==\s*"(\w+)"|verb: "(\w+)"')
LIST_IN_TYPESCRIPT = re.compile(r'\[((?:"\w+",? ?)+)\]\.includes\(\w+\.verb')
IMPORTED = re.compile(r'import (?:type )?\{([^}]*)\} from "[^"]*model"')


def python(source: str, classes: Mapping[str, str]) -> Iterator[str]:
    """The verbs of the kinds that a module names."""
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.ClassDef) and node.name in classes:
            yield classes[node.name]
        elif isinstance(node, ast.ImportFrom) and node.module == "kelvix.core.workflow":
            yield from (classes[a.name] for a in node.names if a.name in classes)
        elif isinstance(node, ast.ImportFrom) and node.module in HOMES:
            yield from (a.name for a in node.names)
        elif isinstance(node, ast.ImportFrom) and (node.module or "").startswith(HOMES):
            yield (node.module or "").rpartition(".")[2]
        elif isinstance(node, ast.Compare) and "verb" in ast.unparse(node):
            yield from (c.value for c in ast.walk(node) if isinstance(c, ast.Constant) and isinstance(c.value, str))


def typescript(source: str, classes: Mapping[str, str]) -> Iterator[str]:
    for found in VERB_IN_TYPESCRIPT.finditer(source):
        yield found[1] or found[2]
    for several in LIST_IN_TYPESCRIPT.findall(source):
        yield from re.findall(r'"(\w+)"', several)
    for names in IMPORTED.findall(source):
        yield from (classes[n] for name in names.split(",") if (n := name.strip().removeprefix("type ").strip()) in classes)


def files_by_kind(top: Path, classes: Mapping[str, str]) -> dict[str, set[str]]:
    """The files that name each kind, by its verb. `classes`: verbs by the names of their classes."""
    found: dict[str, set[str]] = defaultdict(set)
    verbs = set(classes.values())
    for folder, pattern in (("src/kelvix", "*.py"), ("web/src", "*.ts*")):
        for path in sorted((top / folder).rglob(pattern)):
            at = path.relative_to(top / folder).as_posix()
            if path.name == "schema.d.ts" or at.startswith(DECLARES):
                continue
            own = next((name for m in [OWN.match(at)] if m for name in m.groups() if name), None)
            named = set((python if pattern == "*.py" else typescript)(path.read_text(), classes)) & verbs
            for verb in named - {own}:
                found[verb].add(f"{folder}/{at}")
            if own in verbs:
                found[own].add(f"{folder}/{at}" if pattern == "*.py" else f"{folder}/lines/{own}/")
    return found
