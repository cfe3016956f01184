"""The studio's almanac: the shipped entries, the studio's own figures of them, and its own ones."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy import func, select

from mirvo.core.almanac import Entry, Species, differing, figures_of, species_by_key, with_own
from mirvo.core.almanac import species as shipped_species
from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import DbSession
from mirvo.records.documents import OwnSpecies
from mirvo.records.models import Tree, Yard
from mirvo.studio.context import Studio
from mirvo.studio.yard.settings import put_yard, yard_of

# Long enough for a slip to be noticed, short enough that the list stays clean.
PUT_BACK_DAYS = 30
# The almanac page shows all of them at once.
MAX_OWN = 300
MAX_KEY = 50


@dataclass(frozen=True)
class AlmanacEntry:
    """One line of the almanac.

    trees : how many of the yard are of it. shipped : as it came, None for an own species.
    changed : which figures are the studio's own. laid_aside : they are, and can be put back.
    """

    species: Species
    trees: int
    shipped: Species | None
    changed: list[str]
    laid_aside: bool


def species_of(yard: Yard, key: str) -> Species:
    """A species as this studio keeps it. Raises NotFound."""
    own = _own(yard, key)
    if own is None:
        return species_by_key(key)
    # Of a shipped species only what differs is kept, so that a better almanac reaches it.
    shipped = _shipped(key)
    return Entry.model_validate(own).species(key) if shipped is None else with_own(shipped, own)


def all_species(yard: Yard) -> list[Species]:
    """Every species a tree can be of, by name."""
    keys = {entry.key for entry in shipped_species()}
    keys |= {key for key, kept in yard.own_species.items() if kept.laid_aside is None}
    return sorted((species_of(yard, key) for key in keys), key=lambda species: species.name.lower())


def almanac(db: DbSession) -> list[AlmanacEntry]:
    """All entries by name, with what the yard has of each."""
    yard = yard_of(db)
    query = select(Tree.species_key, func.count()).where(Tree.kept()).group_by(Tree.species_key)
    trees = {key: int(count) for key, count in db.execute(query)}
    return [_entry(yard, species, trees.get(species.key, 0)) for species in all_species(yard)]


def entry_of(db: DbSession, key: str) -> AlmanacEntry:
    """One entry. Raises NotFound."""
    for entry in almanac(db):
        if entry.species.key == key:
            return entry
    raise NotFound("species", "the almanac has no such species")


def keep_entry(studio: Studio, key: str, entry: Entry) -> None:
    """Keep an entry as filled in; of a shipped species only what differs. Raises NotFound."""
    with studio.writing() as db:
        found = entry_of(db, key)
        _check_name(db, entry.name, key)
        kept = entry.model_dump() if found.shipped is None else differing(found.shipped, entry)
        _keep(db, studio.today, key, OwnSpecies(figures=kept) if kept else None)


def add_entry(studio: Studio, name: str, like: str) -> str:
    """A species of the studio's own that begins with the figures of another one; its key.

    Raises
    ------
    BadInput : the name is empty or taken, or there is no species it could be like.
    """
    with studio.writing() as db:
        yard = yard_of(db)
        name = name.strip()[:60]
        try:
            figures = {**figures_of(species_of(yard, like)), "name": name}
        # The complaint belongs to the form of a new species, not to the entry it is like.
        except NotFound as error:
            raise BadInput("new_name", f"{error.message} to begin with") from None
        if not name:
            raise BadInput("new_name", "Give the species a name.")
        _check_name(db, name, None, "new_name")
        if len(yard.own_species) >= MAX_OWN:
            raise BadInput("new_name", f"The almanac takes {MAX_OWN} own species.")
        key = _free_key(yard, name)
        own = OwnSpecies(figures=Entry.model_validate(figures).model_dump())
        _keep(db, studio.today, key, own)
    return key


def lay_aside(studio: Studio, key: str) -> bool:
    """Take the shipped figures again, or an own species away; for 30 days it can be put back.

    True when it was a species of the studio's own.

    Raises
    ------
    BadInput : trees of the yard are of that own species.
    """
    with studio.writing() as db:
        found = entry_of(db, key)
        # Its trees would be left without window, budget and cautions.
        if found.shipped is None and found.trees:
            trees = "one tree is" if found.trees == 1 else f"{found.trees} trees are"
            raise BadInput("laid_aside", f"{trees} of this species; give them another one first.")
        kept = yard_of(db).own_species.get(key)
        if kept is not None:
            aside = kept.model_copy(update={"laid_aside": studio.today})
            _keep(db, studio.today, key, aside)
    return found.shipped is None


def put_back(studio: Studio, key: str) -> None:
    """Undo `lay_aside`. Raises NotFound when nothing was laid aside."""
    with studio.writing() as db:
        kept = yard_of(db).own_species.get(key)
        if kept is None or kept.laid_aside is None:
            raise NotFound("species", "nothing of this species was laid aside")
        # Meanwhile another one may have taken its name.
        _check_name(db, str(kept.figures.get("name", "")), key, "laid_aside")
        _keep(db, studio.today, key, OwnSpecies(figures=kept.figures))


def laid_aside(db: DbSession) -> list[tuple[str, str]]:
    """Key and name of own species that can still be put back."""
    aside = []
    for key, kept in yard_of(db).own_species.items():
        if kept.laid_aside is not None and _shipped(key) is None:
            aside.append((key, str(kept.figures["name"])))
    return sorted(aside, key=lambda pair: pair[1].lower())


def _entry(yard: Yard, species: Species, trees: int) -> AlmanacEntry:
    own = _own(yard, species.key)
    shipped = _shipped(species.key)
    changed = [] if shipped is None else list(own or {})
    aside = species.key in yard.own_species and own is None
    return AlmanacEntry(species, trees, shipped, changed, aside)


def _own(yard: Yard, key: str) -> dict[str, Any] | None:
    """The studio's own figures of a species that hold, None without any."""
    kept = (yard.own_species or {}).get(key)
    return None if kept is None or kept.laid_aside is not None else kept.figures


def _shipped(key: str) -> Species | None:
    return next((entry for entry in shipped_species() if entry.key == key), None)


def _keep(db: DbSession, today: date, key: str, kept: OwnSpecies | None) -> None:
    """Keep or drop what is the studio's own of a species; what lay aside too long goes."""
    every = yard_of(db).own_species
    # Forgotten here, at the next change, since nobody else ever looks at old ones.
    own = {name: its for name, its in every.items() if name != key and _still(its, today)}
    put_yard(db, own_species=own if kept is None else {**own, key: kept})


def _still(kept: OwnSpecies, today: date) -> bool:
    aside = kept.laid_aside
    return aside is None or aside >= today - timedelta(days=PUT_BACK_DAYS)


def _check_name(db: DbSession, name: str, key: str | None, field: str = "name") -> None:
    for species in all_species(yard_of(db)):
        if species.key != key and species.name.lower() == name.lower():
            raise BadInput(field, f"The almanac has a species called {species.name} already.")


def _free_key(yard: Yard, name: str) -> str:
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:MAX_KEY] or "species"
    # A name laid aside keeps its key: it can still be put back.
    taken = {entry.key for entry in shipped_species()} | set(yard.own_species)
    return next(
        key
        for key in (f"own-{plain}", *(f"own-{plain}-{n}" for n in range(2, MAX_OWN + 3)))
        if key not in taken
    )
