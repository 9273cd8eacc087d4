"""Functions that are ours and not the standard's: what shaping values needs. They know the workspace's language and zone.

Nothing here guesses where two readings are possible: it gives nothing, and says why. All are in the group "Ours".
"""

from kelvix.core.feel.added import dates, files, finding, people, texts  # noqa: F401 - they register
