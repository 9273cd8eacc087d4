"""Phrases that no screen, message or answer says: each has a plainer one beside it, which is said in its place."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator

PLAINER = {
    "where its words point": "Best match",
    "Make a database first": "Create a database first",
    "Words that go on so": "Suggestions",
    "a record of its own": "one record per line",
    "of each cause at most once an hour": "At most hourly per cause",
    "the rest goes on by itself": "Everything else is running",
    "went well": "Success rate",
    "Nothing crossed yet": "No activity yet",
    "When something comes to": "When an item arrives in",
    "on, but silent": "On, no recent items",
    "Load what was saved there": "Load other version",
    "Keep what is here": "Keep mine",
    "to put right": "1 problem",
    "make one up": "Create sample",
    "Take this sample": "Delete sample",
    "Nothing carried has that": "No matching values",
    "put such a record": "Move a record to the trash",
    "A record is the same where": "Match existing records by",
    "Where several are found": "If several match",
    "would have started it again": "ignored to prevent a loop",
    "Comes round": "Next runs",
    "make the address anew": "Replace address",
    "it would rest": "A run reaching this line would wait",
    "nobody knows whether it arrived": "If there’s no reply, the run asks you",
    "Carry it through": "Run try",
    "into what it meets": "Move into or out of a branch",
    "as it was then": "for an earlier draft",
    "to carry for real": "Choose past items to process",
    "in what they carried": "Search run content",
    "is kept no longer": "has expired",
    "carried out anew": "All lines run again",
    "so that nothing is there twice": "to avoid duplicates",
    "does not mend itself": "Questions and problems that need you appear here",
    "It is this one": "Choose",
    "It did not: send": "Not received: resend",
    "It begins with a Name": "Starts with Name and Text fields",
    "Addresses that take lines": "Capture addresses",
    "no more room for what waits": "storage is full",
    "half of a character": "an invalid character",
    "does not prove itself": "Missing or invalid signature",
    "cannot prove that it is": "has an invalid certificate",
    "failed one after the other": "failed in a row",
    "ended its worker each time": "crashed repeatedly and was stopped",
    "takes only one": "one allowed",
    "whether all is well": "check the installation",
    "take it away": "Remove",
    "taken back": "undone",
    ">Leave it<": "Cancel",
    "Go on as": "Continue as",
    "access away": "Revoke access",
    "passed by": "skipped",
    "each time the others": "retries automatically",
    "Choices, separated by commas": "entered one by one",
    "comes to nothing": "is empty",
    "cannot be read yet": "has an error",
    "no longer carry": "no longer available",
    "do not carry": "not available here",
    "carried to the end": "Done",
    "There is no such": "not found",
    "a mail": "an email",
    "makes no value yet": "has no value",
    "shall they be": "Process them too?",
    "take all": "Accept all",
    "take the newest": "use the newest",
    "goes for good": "is deleted permanently",
    "lies in": "is in",
    "comes round": "Next runs",
    "is none any more": "no longer exists",
}
COMMENT = re.compile(r"/\*.*?\*/|(?<![:\"'`])//[^\n]*", re.S)


def texts(source: str, is_python: bool) -> Iterator[str]:
    """Yield what a file may say to a person: no comments, no docstrings."""
    if not is_python:
        yield " ".join(COMMENT.sub("", source).split())
        return
    tree = ast.parse(source)
    docs = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr) and isinstance(n.value, ast.Constant)}
    yield from (
        n.value for n in ast.walk(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str) and id(n) not in docs
    )


def quaint(source: str, is_python: bool) -> set[str]:
    """Return the phrases of a file that have a plainer one."""
    said = [text.replace("’", "'") for text in texts(source, is_python)]
    return {phrase for phrase in PLAINER if any(re.search(rf"(?<!\w){re.escape(phrase)}(?!\w)", text, re.I) for text in said)}
