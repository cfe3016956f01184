"""The one error family.

MirvoError
└── BadInput        what was given cannot be used; names the place and says what to do
    ├── NotFound    the thing asked for is not there
    ├── Conflict    somebody else saved in between
    └── Damaged     what is kept cannot be read any more; it is left as it is
"""

from __future__ import annotations


class MirvoError(Exception):
    """Anything Mirvo says no to on purpose."""


class BadInput(MirvoError):
    """Input that cannot be used.

    `field` is the dotted path of the place it belongs to ("trunk.outline"),
    `message` one sentence a person can act on.
    """

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}" if field else message)
        self.field = field
        self.message = message

    def __reduce__(self) -> tuple[type[BadInput], tuple[str, str]]:
        """It travels between processes as the two things it was made of."""
        return type(self), (self.field, self.message)


class NotFound(BadInput):
    """The thing asked for is not there."""


class Conflict(BadInput):
    """Somebody else saved in between; nothing of either side is lost."""


class Damaged(BadInput):
    """What is kept cannot be read any more; nothing is written over it."""
