"""An entry of the almanac as it is filled in: one flat figure each, with its limits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, model_validator

from mirvo.core.almanac.loader import rules
from mirvo.core.almanac.species import Budgets, GrowthPrior, Species
from mirvo.core.errors import BadInput
from mirvo.core.limits.base import Limits

Vigour = Literal["strong", "moderate", "slow"]
Percent = Annotated[float, Field(gt=0, le=85, allow_inf_nan=False)]
Years = Annotated[float, Field(ge=0.5, le=15, allow_inf_nan=False)]
AYear = Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)]
Week = Annotated[int, Field(ge=-26, le=40)]
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)]

# Figures of an entry by name.
Figures = dict[str, Any]


class Entry(Limits):
    """All figures of a species.

    interval : years between sessions. budget : % of the feeding root in one session.
    spread, trunk : mm a year per mm of trunk diameter, in a wide training pot. first_week,
    last_week, best_week : from the usual last frost. night_floor_c : °C.
    """

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    scientific: Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)] = ""
    group: str
    vigour: Vigour = "moderate"
    interval_young: Years
    interval_mature: Years
    budget_gentle: Percent
    budget_steady: Percent
    budget_bold: Percent
    spread: AYear
    trunk: AYear
    first_week: Week
    last_week: Week
    best_week: Week
    night_floor_c: Annotated[float, Field(ge=-30, le=25, allow_inf_nan=False)]
    wash_allowed: bool = False
    top_work_together: bool = False
    root_cuttings: bool = False
    ground_layers: bool = False
    caution: Line = ""
    note: Line = ""

    # Each complaint names the field that is to be changed, the later of the two.
    @model_validator(mode="after")
    def _in_order(self) -> Entry:
        if self.group not in groups():
            raise BadInput("group", f"'{self.group}' is not one of {', '.join(groups())}")
        if self.interval_mature < self.interval_young:
            raise BadInput("interval_mature", "A mature tree does not wait less than a young one.")
        if not self.budget_gentle <= self.budget_steady:
            raise BadInput("budget_steady", "Steady takes at least as much as gentle.")
        if not self.budget_steady <= self.budget_bold:
            raise BadInput("budget_bold", "Bold takes at least as much as steady.")
        if self.last_week <= self.first_week:
            raise BadInput("last_week", "The window must end after the week in which it starts.")
        if not self.first_week <= self.best_week <= self.last_week:
            raise BadInput("best_week", "The best week lies between the first and the last.")
        return self

    def species(self, key: str) -> Species:
        """The entry as the rest of Mirvo reads it."""
        return Species(
            key=key,
            name=self.name,
            scientific=self.scientific,
            group=self.group,
            vigour=self.vigour,
            interval_years=(self.interval_young, self.interval_mature),
            # People write percent, the rules reckon with parts of one.
            budget=Budgets(
                gentle=self.budget_gentle / 100,
                steady=self.budget_steady / 100,
                bold=self.budget_bold / 100,
            ),
            growth=GrowthPrior(spread=self.spread, trunk=self.trunk),
            window_weeks=(self.first_week, self.last_week),
            best_week=self.best_week,
            night_floor_c=self.night_floor_c,
            wash_allowed=self.wash_allowed,
            top_work_together=self.top_work_together,
            root_cuttings=self.root_cuttings,
            ground_layers=self.ground_layers,
            caution=self.caution or None,
            note=self.note,
        )


def groups() -> list[str]:
    """Groups of species, each with rules of its own."""
    # Every group has a heat ceiling, so this table is the list of groups.
    return list(rules().season.heat_ceiling_c)


def figures_of(species: Species) -> Figures:
    """A species as the flat figures of an `Entry`."""
    return {
        "name": species.name,
        "scientific": species.scientific,
        "group": species.group,
        "vigour": species.vigour,
        "interval_young": species.interval_years[0],
        "interval_mature": species.interval_years[1],
        # Rounded, because 0.35 * 100 is not 35 and would be taken for a change of the artist's.
        "budget_gentle": round(species.budget.gentle * 100, 3),
        "budget_steady": round(species.budget.steady * 100, 3),
        "budget_bold": round(species.budget.bold * 100, 3),
        "spread": species.growth.spread,
        "trunk": species.growth.trunk,
        "first_week": species.window_weeks[0],
        "last_week": species.window_weeks[1],
        "best_week": species.best_week,
        "night_floor_c": species.night_floor_c,
        "wash_allowed": species.wash_allowed,
        "top_work_together": species.top_work_together,
        "root_cuttings": species.root_cuttings,
        "ground_layers": species.ground_layers,
        "caution": species.caution or "",
        "note": species.note,
    }


def with_own(shipped: Species, own: Mapping[str, Any]) -> Species:
    """A shipped species with the studio's own figures in place of some. Raises BadInput."""
    # Through the same checks as a new entry: a changed figure may contradict one that was kept.
    found = Entry.model_validate({**figures_of(shipped), **own}).species(shipped.key)
    # It is still the same species, whatever the studio calls it.
    kept = {"synonyms": shipped.synonyms, "sheds_leaves": shipped.sheds_leaves}
    return found.model_copy(update=kept)


def on_understock(scion: Species, stock: Species) -> Species:
    """A grafted tree: its roots follow the understock, its buds and their window the scion.

    Of both the more cautious counts where both are concerned: the colder floor is no use to the
    tenderer half, and crown and roots are worked together only where both bear it.
    """
    cautions = dict.fromkeys(said for said in (scion.caution, stock.caution) if said)
    return scion.model_copy(
        update={
            "roots_group": stock.group,
            "vigour": stock.vigour,
            "interval_years": stock.interval_years,
            "budget": stock.budget,
            "growth": GrowthPrior(spread=stock.growth.spread, trunk=scion.growth.trunk),
            "night_floor_c": max(scion.night_floor_c, stock.night_floor_c),
            "wash_allowed": stock.wash_allowed,
            "top_work_together": scion.top_work_together and stock.top_work_together,
            "root_cuttings": stock.root_cuttings,
            "ground_layers": stock.ground_layers,
            "caution": " ".join(cautions) or None,
            "note": f"Grafted: its roots are those of {stock.name}. {scion.note}".strip(),
        }
    )


def differing(shipped: Species, entry: Entry) -> Figures:
    """What an entry says otherwise than the species as shipped."""
    base = figures_of(shipped)
    return {name: value for name, value in entry.model_dump().items() if value != base[name]}
