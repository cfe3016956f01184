"""The one error family.

MirvoError
├── BadInput    what was given cannot be used; names the place and says what to do
├── NotFound    the thing asked for is not there
├── Conflict    somebody else saved in between
└── Damaged     what is kept cannot be read any more; it is left as it is

The four are siblings: catching one of them never swallows another.
"""

from __future__ import annotations


class MirvoError(Exception):
    """Anything Mirvo says no to on purpose.

    field : the dotted path of the place it belongs to ("trunk.outline"), "" for none.
    message : one sentence a person can act on.
    """

    def __init__(self, message: str = "", *, field: str = "") -> None:
        super().__init__(f"{field}: {message}" if field else message)
        self.field = field
        self.message = message


class _PlacedError(MirvoError):
    """An error of a place. It travels between processes as its place and its message."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message, field=field)

    def __reduce__(self) -> tuple[type[_PlacedError], tuple[str, str]]:
        return type(self), (self.field, self.message)


class BadInput(_PlacedError):
    """Input that cannot be used."""


class NotFound(_PlacedError):
    """The thing asked for is not there."""


class Conflict(_PlacedError):
    """Somebody else saved in between; nothing of either side is lost."""


class Damaged(_PlacedError):
    """What is kept cannot be read any more; nothing is written over it."""
