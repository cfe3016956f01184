"""Makes the browser's types of the marks from their schema, or checks that they are current."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from mirvo.core.measure.drafts import SideDraft, TopDraft

PLACE = Path(__file__).parent.parent / "mirvo/web/static/js/measuring/marks.d.ts"
HEAD = "/* Made by `make types` from mirvo/core/measure/drafts.py; not to be changed here. */\n"
SIMPLE = {"number": "number", "integer": "number", "string": "string", "boolean": "boolean"}


def types() -> str:
    """The declarations, those of parts before those that use them."""
    parts: dict[str, dict[str, Any]] = {}
    for draft in (TopDraft, SideDraft):
        schema = draft.model_json_schema()
        parts |= schema.pop("$defs", {})
        parts[draft.__name__] = schema
    declared = [_interface(name, schema) for name, schema in parts.items()]
    either = "/** The marks of a photo, from above or from the side. */\nexport type Marks = "
    return "\n".join([HEAD, *declared, f"{either}Partial<TopDraft & SideDraft>;\n"])


def _interface(name: str, schema: dict[str, Any]) -> str:
    required = set(schema.get("required", ()))
    lines = [
        f"  {field}{'' if field in required else '?'}: {_type(kind)};"
        for field, kind in schema.get("properties", {}).items()
    ]
    said = schema.get("description", "").split("\n")[0]
    return f"/** {said} */\nexport interface {name} {{\n" + "\n".join(lines) + "\n}\n"


def _type(kind: dict[str, Any]) -> str:
    if "$ref" in kind:
        return str(kind["$ref"]).rsplit("/", 1)[1]
    if "enum" in kind:
        return " | ".join(f'"{word}"' for word in kind["enum"])
    if "const" in kind:
        return f'"{kind["const"]}"'
    if "anyOf" in kind:
        return " | ".join(dict.fromkeys(_type(one) for one in kind["anyOf"]))
    if "prefixItems" in kind:
        return f"[{', '.join(_type(one) for one in kind['prefixItems'])}]"
    if kind.get("type") == "array":
        return f"({_type(kind.get('items', {}))})[]"
    if kind.get("type") == "object":
        return f"Record<string, {_type(kind.get('additionalProperties') or {})}>"
    return SIMPLE.get(str(kind.get("type")), "null" if kind.get("type") == "null" else "unknown")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--build", action="store_true")
    parser.add_argument("--check", action="store_true")
    if parser.parse_args().build:
        PLACE.write_text(types(), "utf-8")
    elif PLACE.read_text("utf-8") != types():
        sys.exit("The browser's types of the marks are not current: run 'make types'.")


if __name__ == "__main__":
    main()
