"""Writes docs/exchange: the schema of exchange files, and a page that explains each part.

python -m tools.exchange_docs [--check]
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, create_model
from sqlalchemy import JSON, Boolean, Column, Date, DateTime, Float, Integer, String

from mirvo.formats.exchange import STUDIO_TABLES, TREE_TABLES, Header, columns_of, row_type
from mirvo.formats.exchange.archive import VERSION
from mirvo.formats.exchange.tables import TableKind, table_of, words_of
from mirvo.records.columns import PydanticColumn, plain_type

PLACE = Path(__file__).parents[1] / "docs" / "exchange"
WORDS = (
    (Boolean, "true or false"),
    (Integer, "a whole number"),
    (Float, "a number"),
    (DateTime, "a moment, UTC, as 2026-03-14T09:30:00"),
    (Date, "a day as 2026-03-14"),
    (JSON, "any value"),
    (String, "text"),
)
DIALECT = "https://json-schema.org/draft/2020-12/schema"


def part(name: str, kinds: tuple[TableKind, ...], said: str) -> type[BaseModel]:
    """The model of one JSON file of rows by table."""
    fields: Any = {kind.__tablename__: (list[row_type(kind)], []) for kind in kinds}  # type: ignore[misc]
    return create_model(name, __config__=ConfigDict(extra="forbid"), __doc__=said, **fields)


PARTS: dict[str, tuple[type[BaseModel], tuple[TableKind, ...]]] = {
    "exchange": (Header, ()),
    "studio": (part("Studio", STUDIO_TABLES, "Rows of the studio, by table."), STUDIO_TABLES),
    "tree": (part("TreeFile", TREE_TABLES, "Rows of one tree, by table."), TREE_TABLES),
}


def schema_of(name: str) -> str:
    """The JSON Schema of a part, as text."""
    made = PARTS[name][0].model_json_schema(mode="validation")
    return json.dumps({"$schema": DIALECT, **made}, indent=1, ensure_ascii=False) + "\n"


def page_of(name: str) -> str:
    """A page on a part: each table and its columns."""
    model, kinds = PARTS[name]
    lines = [f"# `{name}.json`, version {VERSION}", "", " ".join((model.__doc__ or "").split()), ""]
    for kind in kinds:
        said = " ".join((kind.__doc__ or "").split())
        lines += [
            f"## {kind.__tablename__}",
            "",
            said,
            "",
            "| name | holds | refers to |",
            "|---|---|---|",
        ]
        words = words_of(kind)
        for column in columns_of(kind):
            refers = ", ".join(sorted(key.target_fullname for key in column.foreign_keys))
            holds = _said(column, words.get(column.name))
            lines.append(f"| {column.name} | {holds} | {refers} |")
        only = [
            " and ".join(one.name for one in rule.columns)
            for rule in table_of(kind).constraints
            if type(rule).__name__ == "UniqueConstraint"
        ]
        lines += ["", *(f"Only one row of each {names}." for names in only), ""]
    if not kinds:
        lines += [
            *(f"- `{key}`" for key in model.model_fields),
            "",
            "See the schema beside this page.",
        ]
    return "\n".join(lines).rstrip() + "\n"


def _said(column: Column[Any], words: tuple[str, ...] | None) -> str:
    """What a column holds, in words."""
    kind = plain_type(column.type)
    if words is not None:
        said = "one of " + ", ".join(words)
    elif isinstance(kind, PydanticColumn):
        said = f"a document, `{getattr(kind.kind, '__name__', kind.kind)}` in the schema"
    elif isinstance(kind, String) and kind.length:
        said = f"text of at most {kind.length} letters"
    else:
        said = next(said for type_, said in WORDS if isinstance(kind, type_))
    return said + (", or nothing" if column.nullable else "")


def files() -> dict[Path, str]:
    """Every file with what it should hold."""
    made = {PLACE / f"{name}.schema.json": schema_of(name) for name in PARTS}
    return made | {PLACE / f"{name}.md": page_of(name) for name in PARTS}


def main() -> None:
    """Write the files, or say which are not current."""
    stale = [
        path for path, text in files().items() if not path.exists() or path.read_text() != text
    ]
    if "--check" in sys.argv:
        for path in stale:
            print(f"{path.name} is not current: run python -m tools.exchange_docs", file=sys.stderr)
        raise SystemExit(bool(stale))
    for path, text in files().items():
        path.write_text(text)
    print(f"{len(stale)} files written")


if __name__ == "__main__":
    main()
