"""The one error family.

MirvoError
└── BadInput        what was given cannot be used; names the place and says what to do
    ├── NotFound    the thing asked for is not there
    └── Conflict    somebody else saved in between
"""


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


class NotFound(BadInput):
    """The thing asked for is not there."""


class Conflict(BadInput):
    """Somebody else saved in between; nothing of either side is lost."""
