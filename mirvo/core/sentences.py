"""How what is said begins."""

from __future__ import annotations


def first_upper(text: str) -> str:
    """A text begun with a capital; months and names in it keep theirs."""
    return text[:1].upper() + text[1:]
