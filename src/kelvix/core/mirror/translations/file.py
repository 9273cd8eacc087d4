"""Files: what one contains is copied to the other side, which keeps it in its own place. Compared are names and sizes."""

from __future__ import annotations

from dataclasses import dataclass, field

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Lens
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import File, Value


@dataclass(frozen=True)
class Document:
    """A file as both sides are compared. `size` in bytes; `kind` and `source`, where it lies, differ by side."""

    name: str
    size: int
    kind: str = field(default="", compare=False)
    source: str = field(default="", compare=False)

    def __str__(self) -> str:
        return self.name


class AsFile(Lens):
    def get(self, raw: Value) -> Canonical:
        return Document(str(raw), raw.size, raw.kind, raw.source) if isinstance(raw, File) else None

    def fresh(self, raw: Value, value: Canonical) -> Value:
        return File(value.name, value.size, value.kind, value.source) if isinstance(value, Document) else None


class Files(Translation):
    code, words = "file", "a file"

    def fits(self, left: Field, right: Field) -> float | None:
        return 1.0 if all(TYPES[f.type].keeps is File and not TYPES[f.type].has_many for f in (left, right)) else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        return Domain(AsFile(), AsFile(), left.type)

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        return (f"A file of {left.name} that is replaced by one of the same name and size doesn’t cross.",)


TRANSLATION = Files()
