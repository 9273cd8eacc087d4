"""What a file contains, wherever it lies: with us, or in an app, by a connection to its account."""

from __future__ import annotations

from collections.abc import Iterator

from kelvix.core.collection import PermanentError
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import File
from kelvix.engine import linked_files
from kelvix.engine.engine import Engine
from kelvix.store import connections, kept_files
from kelvix.store.directory import Space


def content(engine: Engine, space: Space, file: File, prefer: int | None = None) -> Iterator[bytes]:
    """Yield what a file contains, by the connections to its account: it may be shared with one of them only. One that was
    kept before accounts were is looked for in all of its app's. Raises TransientError, PermanentError."""
    code, locator, identity = file.place
    if code == kept_files.SOURCE:
        try:
            yield from kept_files.content(space, file)
        except NotFoundError:
            raise PermanentError(f"“{file}” no longer exists", "item") from None
        return
    if file.is_linked:
        yield linked_files.fetch(engine, file).content
        return
    kept = [
        c for c in space.read(lambda t: connections.list_all(t, space.id)) if c.app == code and identity in (None, c.account)
    ]
    failure: PermanentError | None = None
    for one in sorted(kept, key=lambda c: c.id != prefer):
        came = False
        try:
            for piece in engine.account(space, one.id).open(locator):
                came = True
                yield piece
            return
        except PermanentError as refused:
            if came:  # what came cannot be taken back: another connection would begin anew
                raise
            failure = failure or refused
    where = f"the account {identity}" if identity else "an app"
    raise failure or PermanentError(f"“{file}” is in {where}, which is no longer connected", "item")
