"""Experience by species given out without names, and that of others taken in beside one's own."""

from __future__ import annotations

from collections import defaultdict
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError
from sqlalchemy import delete, select

from mirvo.core.errors import BadInput
from mirvo.core.rootwork import opens_ball
from mirvo.core.standing.answer import Answer, experience_of
from mirvo.records.database import DbSession
from mirvo.records.models import SharedExperience
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import keep_deleted
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.species import species_of
from mirvo.studio.standing.tree_list import list_trees

FORMAT: Literal["mirvo-experience"] = "mirvo-experience"
VERSION: Literal[1] = 1
# One session says who it was; three begin to say what a species bears.
LEAST_SESSIONS = 3
MAX_BYTES, MOST_SPECIES, MOST_SOURCES = 1 << 20, 2000, 100
Count = Annotated[int, Field(ge=0, le=100_000)]
Key = Annotated[str, StringConstraints(min_length=1, max_length=60)]


class SpeciesExperience(BaseModel):
    """What sessions on a species came to. median_share : of the feeding root, 0 to 1."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    species: Key
    scientific: Annotated[str, StringConstraints(max_length=80)] = ""
    sessions: Count
    median_share: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] | None
    good: Count
    fair: Count
    poor: Count
    died: Count


class ExperienceFile(BaseModel):
    """What a studio gives out: counts, shares and answers by species, no tree and no day."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    format: Literal["mirvo-experience"]
    version: Literal[1]
    species: Annotated[tuple[SpeciesExperience, ...], Field(max_length=MOST_SPECIES)]


def experience_file(db: DbSession, studio: Studio) -> ExperienceFile:
    """The studio's own experience, of species with enough sessions to hide each of them."""
    yard = yard_of(db)
    by_species: dict[str, list[tuple[float | None, Answer | None]]] = defaultdict(list)
    for row in list_trees(db, studio.today):
        for session in row.stands.sessions:
            if opens_ball(session.kind):
                answer = row.stands.answers.get(session.id)
                by_species[row.tree.species_key].append((session.share, answer))
    found = []
    for key, sessions in sorted(by_species.items()):
        if len(sessions) < LEAST_SESSIONS:
            continue
        came_to = experience_of(sessions)
        median = came_to.median_share
        found.append(
            SpeciesExperience(
                species=key,
                scientific=species_of(yard, key).scientific,
                sessions=came_to.sessions,
                median_share=None if median is None else round(median, 3),
                **came_to.answers,
            )
        )
    return ExperienceFile(format=FORMAT, version=VERSION, species=tuple(found))


def take_experience(studio: Studio, content: bytes, source: str) -> int:
    """Keep what others gave out, in place of what the same source gave before; how many species.

    Raises
    ------
    BadInput : it has no source, or is no such file.
    """
    source = " ".join(source.split())[:80]
    if not source:
        raise BadInput("source", "Say whose experience it is.")
    if not content or len(content) > MAX_BYTES:
        raise BadInput("experience", "Choose a file of experience first.")
    try:
        found = ExperienceFile.model_validate_json(content)
    except ValidationError:
        raise BadInput("experience", "This is no file of experience.") from None
    with studio.writing() as db:
        sources = set(db.scalars(select(SharedExperience.source).distinct()))
        if source not in sources and len(sources) >= MOST_SOURCES:
            raise BadInput("source", f"{MOST_SOURCES} sources are kept; drop one first.")
        db.execute(delete(SharedExperience).where(SharedExperience.source == source))
        # Of two lines on one species the last counts.
        for one in {each.species: each for each in found.species}.values():
            said = one.model_dump(exclude={"species", "scientific"})
            db.add(
                SharedExperience(
                    source=source, species_key=one.species, taken_in_on=studio.today, **said
                )
            )
    return len(found.species)


def drop_experience(studio: Studio, source: str) -> None:
    """Delete what a source gave."""
    with studio.writing() as db:
        given = select(SharedExperience).where(SharedExperience.source == source)
        for row in db.scalars(given):
            label = f"Experience of {source} with {row.species_key}"
            keep_deleted(db, studio.now, row, label)


def sources_of(db: DbSession) -> list[tuple[str, int]]:
    """Whose experience is here, and of how many species."""
    counted: dict[str, int] = defaultdict(int)
    for source in db.scalars(select(SharedExperience.source)):
        counted[source] += 1
    return sorted(counted.items())


def experience_of_others(db: DbSession, key: str) -> list[SharedExperience]:
    """What others' sessions on a species came to, by source."""
    query = select(SharedExperience).where(SharedExperience.species_key == key)
    return list(db.scalars(query.order_by(SharedExperience.source)))
