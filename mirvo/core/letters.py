"""Letters of roots: A to Z, then A1 to Z1 and so on; a root keeps its letter for life."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from itertools import count, islice

ALPHABET = 26


def letters() -> Iterator[str]:
    """Every letter a root may bear, in order.

    >>> from itertools import islice
    >>> [*islice(letters(), 2), *islice(letters(), 24, 28)]
    ['A', 'B', 'Y', 'Z', 'A1', 'B1']
    """
    for number in count():
        again, place = divmod(number, ALPHABET)
        yield chr(ord("A") + place) + (str(again) if again else "")


def next_letter(used: Collection[str]) -> str:
    """The first letter no root bears yet.

    >>> next_letter({"A", "B", "D"})
    'C'
    """
    return next(letter for letter in letters() if letter not in used)


def free_letters(used: Collection[str], wanted: int) -> list[str]:
    """The first so many letters no root bears yet."""
    return list(islice((letter for letter in letters() if letter not in used), wanted))


def letter_order(letter: str) -> tuple[int, str]:
    """A key that sorts letters as they are given: A, B … Z, A1, B1."""
    return (len(letter), letter)
