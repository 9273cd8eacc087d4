"""What a person or a script does in a workspace, by subject: each function is of one workspace, and ends what it begins. The
API parses, calls these, and answers."""

from kelvix.store.directory import Space

__all__ = ["Space"]
