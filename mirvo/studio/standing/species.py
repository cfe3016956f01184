"""The studio's almanac: the shipped entries, the studio's own figures of them, and its own ones."""

from __future__ import annotations

import logging
import re
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, or_, select

from mirvo.core.almanac import Entry, Species, differing, figures_of, on_understock, with_own
from mirvo.core.almanac import species as shipped_species
from mirvo.core.almanac.entry import Figures
from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import DbSession
from mirvo.records.documents import OwnSpecies
from mirvo.records.models import FigureChange, Tree, Yard
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard, yard_of

log = logging.getLogger(__name__)

# Long enough for a slip to be noticed, short enough that the list stays clean.
PUT_BACK_DAYS = 30
# The almanac page shows all of them at once.
MAX_OWN = 300
MAX_KEY = 50
MAX_WHY, MOST_CHANGES = 300, 100


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
    """A tree's species as this studio keeps it.

    One that no almanac knows any more is treated as the tenderest of all, and says so: its trees
    must be seen, and nothing must be planned for them that they may not bear.
    """
    shipped, kept = _shipped(key), (yard.own_species or {}).get(key)
    if shipped is None and kept is not None:
        # Laid aside or not: a tree that is of it still has its figures.
        try:
            return Entry.model_validate(kept.figures).species(key)
        except (BadInput, ValidationError) as error:
            log.warning("the species %s cannot be read: %s", key, error)
            return _unknown(key)
    if shipped is None:
        return _unknown(key)
    own = _own(yard, key)
    try:
        # Of a shipped species only what differs is kept, so that a better almanac reaches it.
        return shipped if own is None else with_own(shipped, own)
    except (BadInput, ValidationError) as error:
        log.warning("own figures of %s cannot be used: %s", key, error)
        return shipped


def species_of_tree(yard: Yard, tree: Tree) -> Species:
    """The species a tree is treated as: of a grafted one the roots follow the understock."""
    species = species_of(yard, tree.species_key)
    stock = tree.understock_key
    if not stock or stock == tree.species_key:
        return species
    return on_understock(species, species_of(yard, stock))


def _unknown(key: str) -> Species:
    tenderest = min(shipped_species(), key=lambda species: species.budget.bold)
    return tenderest.model_copy(
        update={
            "key": key,
            "name": f"unknown species “{key[:40]}”",
            "wash_allowed": False,
            "top_work_together": False,
            "root_cuttings": False,
            "ground_layers": False,
            "note": "The almanac does not know this species. Give the tree another one; until "
            "then it is treated as the tenderest of all.",
        }
    )


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


def keep_entry(studio: Studio, key: str, entry: Entry, why: str = "") -> None:
    """Keep an entry as filled in; of a shipped species only what differs. Raises NotFound.

    why : said once for all figures that change, and kept with each of them.
    """
    with studio.writing() as db:
        found = entry_of(db, key)
        _check_name(db, entry.name, key)
        kept = entry.model_dump() if found.shipped is None else differing(found.shipped, entry)
        _note_changes(db, found.species, entry.model_dump(), why, studio.today)
        _keep(db, studio.today, key, OwnSpecies(figures=kept) if kept else None)


def _note_changes(db: DbSession, before: Species, figures: Figures, why: str, today: date) -> None:
    """Keep what each figure was and became."""
    for figure, was in figures_of(before).items():
        became = figures[figure]
        if became != was:
            db.add(
                FigureChange(
                    species_key=before.key,
                    figure=figure,
                    was=_said(was),
                    became=_said(became),
                    why=why.strip()[:MAX_WHY],
                    changed_on=today,
                )
            )


def _said(value: Any) -> str:
    """A figure as it is read again by the form."""
    if isinstance(value, bool):
        return "on" if value else ""
    return f"{value:g}" if isinstance(value, float) else str(value)


def changes_of(db: DbSession, key: str) -> list[FigureChange]:
    """What was changed of a species, the latest first."""
    query = select(FigureChange).where(FigureChange.species_key == key)
    return list(db.scalars(query.order_by(FigureChange.id.desc()).limit(MOST_CHANGES)))


def take_back(studio: Studio, key: str, change_id: int) -> None:
    """Set one figure to what it was before a change.

    Raises
    ------
    NotFound : there is no such change. BadInput : it would contradict another figure.
    """
    with studio.reading() as db:
        change = db.get(FigureChange, change_id)
        if change is None or change.species_key != key:
            raise NotFound("change", "there is no such change")
        figures = {**figures_of(entry_of(db, key).species), change.figure: change.was}
        why = f"taken back: {change.why}" if change.why else "taken back"
    keep_entry(studio, key, Entry.model_validate(figures), why)


def add_entry(studio: Studio, name: str, like: str) -> str:
    """A species of the studio's own that begins with the figures of another one; its key.

    Raises
    ------
    BadInput : the name is empty or taken, or there is no species it could be like.
    """
    with studio.writing() as db:
        yard = yard_of(db)
        name = name.strip()[:60]
        if like not in {species.key for species in all_species(yard)}:
            # The complaint belongs to the form of a new species, not to the entry it is like.
            raise BadInput("new_name", f"the almanac has no species '{like}' to begin with")
        figures = {**figures_of(species_of(yard, like)), "name": name, "scientific": ""}
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
    BadInput : trees of the yard, or on its compost heap, are of that own species.
    """
    with studio.writing() as db:
        found = entry_of(db, key)
        # Its trees would be left without window, budget and cautions; those on the heap too, once
        # they are put back.
        of_it = or_(Tree.species_key == key, Tree.understock_key == key)
        count = db.scalar(select(func.count()).where(of_it)) or 0
        if found.shipped is None and count:
            trees = "one tree is" if count == 1 else f"{count} trees are"
            if not found.trees:
                trees += " deleted but can still be restored, and"
            raise BadInput("laid_aside", f"{trees} of this species; give them another one first.")
        kept = yard_of(db).own_species.get(key)
        if kept is not None:
            aside = kept.model_copy(update={"laid_aside": studio.today})
            _keep(db, studio.today, key, aside)
            if found.shipped is not None:
                shipped = figures_of(found.shipped)
                _note_changes(db, found.species, shipped, "shipped figures", studio.today)
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
            aside.append((key, str(kept.figures.get("name", key))))
    return sorted(aside, key=lambda pair: pair[1].lower())


def _entry(yard: Yard, species: Species, trees: int) -> AlmanacEntry:
    own = _own(yard, species.key)
    shipped = _shipped(species.key)
    changed = [] if shipped is None else list(own or {})
    aside = species.key in yard.own_species and own is None
    return AlmanacEntry(species, trees, shipped, changed, aside)


def _own(yard: Yard, key: str) -> Figures | None:
    """The studio's own figures of a species that hold, None without any."""
    kept = (yard.own_species or {}).get(key)
    return None if kept is None or kept.laid_aside is not None else kept.figures


def _shipped(key: str) -> Species | None:
    return next((entry for entry in shipped_species() if entry.key == key), None)


def _keep(db: DbSession, today: date, key: str, kept: OwnSpecies | None) -> None:
    """Keep or drop what is the studio's own of a species; what lay aside too long goes."""
    every = yard_of(db).own_species
    # Forgotten here, at the next change, since nobody else ever looks at old ones.
    used = set(db.scalars(select(Tree.species_key).distinct()))
    used |= set(db.scalars(select(Tree.understock_key).distinct()))
    used -= {entry.key for entry in shipped_species()}
    own = {
        name: its
        for name, its in every.items()
        if name != key and (_still(its, today) or name in used)
    }
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
