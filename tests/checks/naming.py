"""Where the source names a type of field: looks at one by its code, where it should ask the type itself.

Only places count in which a text can be nothing but a type's code: "link" is a word of many meanings. What an app, a kind of
line or the demo says of its own values is no rule, and is left out; so are the standard's own types, in core/feel."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator
from pathlib import Path

DECLARES = ("connectors", "practice", "demo", "formats", "core/feel")
DECLARED = ("CarriedField", "CarriedList", "Input")
TAKES_A_TYPE = ("coerce", "take", "from_wire", "NewField", "open", "type_of", "Field")
TYPED = re.compile(r"type|TYPES", re.I)
IN_TYPESCRIPT = re.compile(r"[tT]ype\w*\)*\??\.?\s*[!=]==|types=\{\[|first\(|new Set\(\[|[tT]ype\w*: |setType|of\[.type.\]")
ATTRIBUTE = re.compile(r"""\b(?:type|variant|role|color|className|rel|name|component)="[^"]*\"""")


def python(source: str) -> Iterator[str]:
    """The texts that stand where a type's code does."""
    tree = ast.parse(source)
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare | ast.IfExp):
            whole = node if isinstance(node, ast.Compare) else node.test
            if TYPED.search(ast.unparse(whole).replace("isinstance", "")):
                yield from _texts(node)
        elif isinstance(node, ast.AnnAssign | ast.Assign):
            said = ast.unparse(node.annotation) if isinstance(node, ast.AnnAssign) else ""
            names = " ".join(ast.unparse(t) for t in (node.targets if isinstance(node, ast.Assign) else [node.target]))
            if ("Type" in said or re.search(r"\bfits|\bcode\b", names)) and node.value is not None:
                yield from _texts(node.value)
        elif isinstance(node, ast.FunctionDef) and node.returns is not None and "Type" in ast.unparse(node.returns):
            for inner in ast.walk(node):
                if isinstance(inner, ast.Return) and inner.value is not None:
                    yield from _texts(inner.value)
        elif isinstance(node, ast.Call) and ast.unparse(node.func).rpartition(".")[2] in TAKES_A_TYPE:
            yield from _texts(*node.args)
        elif isinstance(node, ast.Subscript) and "TYPES" in ast.unparse(node.value):
            yield from _texts(node.slice)


def _texts(*nodes: ast.AST) -> Iterator[str]:
    for node in nodes:
        if isinstance(node, ast.Call) and ast.unparse(node.func) in DECLARED:
            continue
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield node.value
        yield from _texts(*ast.iter_child_nodes(node))


def typescript(source: str) -> Iterator[str]:
    for line in source.splitlines():
        if IN_TYPESCRIPT.search(line):
            yield from re.findall(r'"(\w+)"', ATTRIBUTE.sub("", line))


def files_by_type(top: Path, codes: Iterable[str]) -> dict[str, set[str]]:
    """The files that name each type."""
    found: dict[str, set[str]] = defaultdict(set)
    known = set(codes)
    for path in sorted((top / "src/kelvix").rglob("*.py")):
        at = path.relative_to(top / "src/kelvix").as_posix()
        if not at.startswith(DECLARES):
            for code in known & set(python(path.read_text())):
                found[code].add(at)
    for path in sorted((top / "web/src").rglob("*.ts*")):
        if path.name != "schema.d.ts":
            for code in known & set(typescript(path.read_text())):
                found[code].add(path.relative_to(top).as_posix())
            folder = path.relative_to(top / "web/src").as_posix()
            found_folder = re.match(r"fields/(\w+)/", folder)
            if found_folder and found_folder[1] in known:
                found[found_folder[1]].add(f"web/src/fields/{found_folder[1]}/")
    return found
