"""Jumping to any tree or place by a few letters."""

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from mirvo.core.almanac import Species
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.species import all_species
from mirvo.studio.standing.tree_list import tree_names
from mirvo.web.access import Role, only
from mirvo.web.places import Known, KnownTree, find, known_places
from mirvo.web.reader import Reader

router = APIRouter(dependencies=only(Role.HELPER))


@router.get("/find")
def jump(reader: Reader, q: str = "") -> Response:
    """While letters are typed a list of what they may mean; sent off, the first of it."""
    trees = [KnownTree(*names) for names in tree_names(reader.db)]
    species = (
        Known(f"{one.name} in the almanac", f"/almanac/species/{one.key}", other_names(one))
        for one in all_species(yard_of(reader.db))
    )
    found = find(q, [*known_places(), *species], trees)
    if reader.wants_part:
        return reader.page("yard/_found.html", {"found": found, "q": q})
    # Enter takes the first: it is what the list showed on top.
    if found:
        return RedirectResponse(found[0].address, 303)
    return reader.page("yard/not_found.html", {"q": q}, 404)


def other_names(species: Species) -> str:
    """What a species is called beside its own name."""
    return " ".join([species.scientific, *species.synonyms])
