"""Documents in columns: checked when read, with their version; a damaged one breaks nothing."""

import json
import unittest

from mirvo.core.errors import Damaged
from mirvo.core.record import Record
from mirvo.records.columns import PydanticColumn


class Note(Record):
    """A document as it is now; before version 2 its text was called `words`."""

    text: str
    loud: bool = False


class ColumnTest(unittest.TestCase):
    def setUp(self):
        steps = {1: lambda body: {"text": body["words"]}}
        self.column = PydanticColumn(Note, version=2, upgrades=steps)

    def read(self, kept, column=None):
        return (column or self.column).process_result_value(json.dumps(kept), None)

    def test_what_goes_in_comes_out_with_its_version(self):
        kept = self.column.process_bind_param(Note(text="Wurzelhals", loud=True), None)
        self.assertEqual(json.loads(kept)["version"], 2)
        self.assertEqual(self.read(json.loads(kept)), Note(text="Wurzelhals", loud=True))
        self.assertIsNone(self.column.process_bind_param(None, None))

    def test_a_former_version_is_brought_up_to_date(self):
        self.assertEqual(self.read({"version": 1, "body": {"words": "old"}}), Note(text="old"))

    def test_what_nobody_can_read_is_nothing(self):
        for kept in ({"version": 2, "body": {"text": 7}}, {"version": 3, "body": {}}, [], {}):
            with self.subTest(kept=kept), self.assertLogs("mirvo.records.columns", "WARNING"):
                self.assertIsNone(self.read(kept))
        with self.assertLogs("mirvo.records.columns", "WARNING"):
            self.assertIsNone(self.column.process_result_value("{", None))

    def test_what_must_not_be_written_over_is_refused(self):
        strict = PydanticColumn(Note, when_damaged="refuse")
        with self.assertRaises(Damaged):
            self.read({"version": 1, "body": {"words": "old"}}, strict)

    def test_just_the_names_that_were_given_are_kept(self):
        exact = PydanticColumn(Note, exactly=True)
        kept = exact.process_bind_param(Note(text="a"), None)
        self.assertEqual(json.loads(kept)["body"], {"text": "a"})
