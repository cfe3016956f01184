"""The almanac's data make sense."""

import unittest

from pydantic import ValidationError

from mirvo.core.almanac import (
    Entry,
    differing,
    figures_of,
    groups,
    rules,
    species,
    species_by_key,
    with_own,
)
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork import KINDS, kind_by_key


def filled_in(**changes):
    return Entry.model_validate({**figures_of(species_by_key("privet")), **changes})


class EntryTest(unittest.TestCase):
    def test_what_contradicts_itself_is_said_at_its_figure(self):
        for field, changes in {
            "group": {"group": "cactus"},
            "interval_mature": {"interval_young": 5, "interval_mature": 4},
            "budget_steady": {"budget_gentle": 60, "budget_steady": 50},
            "budget_bold": {"budget_steady": 70, "budget_bold": 60},
            "last_week": {"first_week": 3, "last_week": 3, "best_week": 3},
            "best_week": {"best_week": 9},
        }.items():
            with self.subTest(field=field), self.assertRaises(BadInput) as said:
                filled_in(**changes)
            self.assertEqual(said.exception.field, field)

    def test_figures_out_of_range(self):
        for field, value in (
            ("budget_bold", 86),
            ("spread", 0),
            ("trunk", float("nan")),
            ("interval_young", 0),
            ("first_week", -27),
            ("night_floor_c", 26),
            ("name", ""),
            ("note", "x" * 301),
        ):
            with self.subTest(field=field), self.assertRaises(ValidationError):
                filled_in(**{field: value})

    def test_own_figures_over_shipped_ones(self):
        privet = species_by_key("privet")
        own = differing(privet, filled_in(budget_bold=70, wash_allowed=False))
        self.assertEqual(own, {"budget_bold": 70.0, "wash_allowed": False})
        found = with_own(privet, own)
        self.assertEqual((found.key, found.budget.bold, found.wash_allowed), ("privet", 0.7, False))
        self.assertEqual(found.growth, privet.growth)


class AlmanacTest(unittest.TestCase):
    def test_budgets_rise_from_gentle_to_bold_and_stay_below_the_ceiling(self):
        for entry in species():
            budget = entry.budget
            self.assertTrue(0 < budget.gentle < budget.steady < budget.bold <= 0.85, entry.name)

    def test_mature_trees_wait_at_least_as_long(self):
        for entry in species():
            young, mature = entry.interval_years
            self.assertTrue(0 < young <= mature <= 6, entry.name)
            self.assertEqual(entry.interval_for("young"), young)
            self.assertEqual(entry.interval_for("old"), mature)

    def test_the_best_week_lies_in_the_window(self):
        for entry in species():
            first, last = entry.window_weeks
            self.assertTrue(first <= entry.best_week <= last, entry.name)

    def test_the_flare_outgrows_the_trunk(self):
        for entry in species():
            self.assertGreater(entry.growth.spread, entry.growth.trunk, entry.name)

    def test_entries_are_within_their_own_limits_and_come_out_as_they_went_in(self):
        for entry in species():
            self.assertEqual(with_own(entry, {}), entry)
            changed = with_own(entry, {"note": "Ours."})
            self.assertEqual((changed.note, changed.synonyms), ("Ours.", entry.synonyms))

    def test_names_and_groups(self):
        names = [entry.name.lower() for entry in species()]
        self.assertEqual(len(set(names)), len(names))
        self.assertEqual({entry.group for entry in species()}, set(groups()))

    def test_unknown_species(self):
        with self.assertRaises(NotFound):
            species_by_key("triffid")

    def test_offered_containers_are_known(self):
        self.assertLessEqual(set(rules().plan.offered), set(rules().containers))

    def test_kinds_have_one_key_each_and_unknown_ones_are_refused(self):
        keys = [kind.key for kind in KINDS]
        self.assertEqual(len(set(keys)), len(keys))
        self.assertEqual(kind_by_key("emergency").own_budget, 0.0)
        with self.assertRaises(BadInput):
            kind_by_key("haircut")
