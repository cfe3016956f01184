"""The yard's own settings: frosts as they are typed."""

import unittest

from mirvo.core.errors import BadInput
from mirvo.studio.ground.settings import YardFields


class FrostsTest(unittest.TestCase):
    def test_the_first_frost_may_be_left_out_or_lie_in_the_next_year(self):
        for last, typed, kept in (
            ("20 apr", "", ""),
            ("20 apr", "30 oct", "10-30"),
            ("5 oct", "20 may", "05-20"),
        ):
            found = YardFields(last_frost=last, first_frost=typed)
            self.assertEqual(found.first_frost, kept)

    def test_frosts_that_leave_no_season_between_them_are_asked_about(self):
        for last, first in (("20 apr", "20 apr"), ("20 apr", "1 jun"), ("5 oct", "30 oct")):
            with self.assertRaises(BadInput) as said:
                YardFields(last_frost=last, first_frost=first)
            self.assertEqual(said.exception.field, "first_frost")
        # Where no frost ever comes they say nothing.
        YardFields(last_frost="20 apr", first_frost="1 jun", frost_free=True)
