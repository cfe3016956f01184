"""The exchange file: a studio or one tree as a zip of JSON and original photos."""

from mirvo.formats.exchange.archive import (
    Archive,
    Header,
    KnownTree,
    exchange_pieces,
    open_archive,
)
from mirvo.formats.exchange.tables import (
    COUNTED_APART,
    STUDIO_TABLES,
    TREE_TABLES,
    as_json,
    columns_of,
    row_type,
)

__all__ = [
    "COUNTED_APART",
    "STUDIO_TABLES",
    "TREE_TABLES",
    "Archive",
    "Header",
    "KnownTree",
    "as_json",
    "columns_of",
    "exchange_pieces",
    "open_archive",
    "row_type",
]
