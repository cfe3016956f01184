"""The places of Mirvo and the parts of a tree, and finding one by a few letters."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

PLACES = (
    ("Bench", "/"),
    ("Trees", "/trees"),
    ("Shelf", "/shelf"),
    ("Almanac", "/almanac"),
    ("Eye check", "/eye"),
    ("Kit", "/kit"),
)
CORNERS = (
    ("Add a tree", "/trees/new"),
    ("Add a pot", "/shelf/pots/new"),
    ("Soil and recipes", "/shelf/soil"),
    ("Labels to print", "/shelf/labels"),
    ("Materials of the season", "/materials"),
    ("Year book", "/yearbook"),
    ("Practice profile", "/almanac/practice"),
    ("Glossary", "/almanac/glossary"),
    ("Card to print", "/kit"),
    ("Calendar", "/kit#calendar"),
    ("Backup", "/kit#backup"),
    ("Exchange with studios and spreadsheets", "/exchange"),
    ("Other devices and people", "/kit#people"),
    ("Look by day or at dusk", "/kit#preferences"),
    ("Inches or millimetres", "/kit#preferences"),
    ("Simulated camera", "/kit#preferences"),
    ("Tour in seven steps", "/?tour=1"),
    ("Compost heap", "/kit#compost"),
)
TREE_PARTS = (
    ("Plan and section", "/trees/{0}"),
    ("Photos and root desk", "/trees/{0}/photos"),
    ("Sessions", "/trees/{0}/sessions"),
    ("Is it time?", "/trees/{0}/time"),
    ("Years", "/trees/{0}/years"),
    ("Path", "/trees/{0}/path"),
    ("Pot", "/trees/{0}/pot"),
    ("Portrait", "/trees/{0}/edit"),
    ("Practice", "/trees/{0}/practice"),
)
# More are not read; one more letter is sooner typed.
MAX_FOUND = 12


@dataclass(frozen=True)
class Known:
    """Something with a page: its name, other words it goes by, and its address."""

    name: str
    address: str
    other_words: str = ""


def known_places() -> list[Known]:
    """Every place and corner of Mirvo itself."""
    return [Known(name, address) for name, address in (*PLACES, *CORNERS)]


@dataclass(frozen=True)
class KnownTree:
    """A tree by its number, name and species."""

    number: int
    name: str
    species: str

    @property
    def itself(self) -> Known:
        """The tree's own page; it bears the plain name."""
        return Known(self.name, TREE_PARTS[0][1].format(self.number), self.species)

    @property
    def parts(self) -> list[Known]:
        """The tree's other pages."""
        return [
            Known(f"{self.name} · {part}", at.format(self.number), self.species)
            for part, at in TREE_PARTS[1:]
        ]


def find(words: str, places: Iterable[Known], trees: Iterable[KnownTree]) -> list[Known]:
    """What the letters may mean: trees first, then their parts, then places.

    Each word given must begin a word of the name. A tree's parts are listed when a word
    means one of them, or when no other tree is meant.
    """
    asked = _plain(words)
    if not asked:
        return []
    listed = list(trees)
    meant = [tree for tree in listed if _begin(asked, f"{tree.name} {tree.species}")]
    # A tree that is meant among others is listed once, without all its parts.
    known = {tree.number for tree in meant} if len(meant) > 1 else set()
    # No word means a part: then only a tree that is meant can have any.
    looked_through = listed if any(map(_means_a_part, asked)) else meant
    parts = [
        part
        for tree in looked_through
        if tree.number not in known
        for part in tree.parts
        if _fits(asked, part)
    ]
    found = [
        *(tree.itself for tree in meant),
        *parts,
        *(place for place in places if _fits(asked, place)),
    ]
    return found[:MAX_FOUND]


def _means_a_part(term: str) -> bool:
    return any(word.startswith(term) for part, _ in TREE_PARTS for word in _plain(part))


def _fits(asked: tuple[str, ...], known: Known) -> bool:
    return _begin(asked, f"{known.name} {known.other_words}")


def _begin(asked: tuple[str, ...], text: str) -> bool:
    """Whether each term begins a word of a text."""
    words = _plain(text)
    return all(any(word.startswith(term) for word in words) for term in asked)


@lru_cache(maxsize=65536)
def _plain(text: str) -> tuple[str, ...]:
    """Words in small letters without accents or signs; kept, for each letter typed asks anew."""
    # Accents come apart as signs of their own and are dropped: people type without them.
    apart = unicodedata.normalize("NFKD", text.lower())
    letters = "".join(c if c.isalnum() else " " for c in apart if not unicodedata.combining(c))
    return tuple(letters.split())
