"""The report somebody sends when asking for help names nothing of theirs."""

import logging

from mirvo.records.database import FILE_NAME
from mirvo.studio.yard.repair import keep_log
from mirvo.studio.yard.report import trouble_report
from tests.studio_case import StudioCase


class ReportTest(StudioCase):
    def report(self):
        return trouble_report(self.studio.folder)

    def test_versions_sizes_and_rows(self):
        self.photo(self.tree(), size=(400, 300))
        text = self.report()
        self.assertRegex(text, r"Mirvo \d+\.\d+\.\d+\nPython 3\.")
        self.assertIn("photos/originals: 1 files", text)
        self.assertIn("\ntrees: 1 rows\n", text)

    def test_the_log_is_told_without_its_words(self):
        root = logging.getLogger()
        keep_log(self.studio.folder)
        handler = root.handlers[-1]
        self.addCleanup(root.removeHandler, handler)
        self.addCleanup(handler.close)
        try:
            raise ValueError("Aunt Agatha's elm")
        except ValueError:
            logging.getLogger("mirvo.web").exception("the tree Secret elm could not be shown")
        text = self.report()
        self.assertIn("ERROR mirvo.web", text)
        self.assertIn("test_report.py:", text)
        self.assertIn("  ValueError", text)
        for words in ("Agatha", "elm", "could not be shown", str(self.studio.folder)):
            self.assertNotIn(words, text)

    def test_names_of_the_yard_stand_nowhere_in_it(self):
        self.tree(name="Hidden larch", note="by the shed")
        self.assertNotRegex(self.report(), "larch|shed")

    def test_a_damaged_folder_has_one_too(self):
        (self.studio.folder / FILE_NAME).write_bytes(b"no database at all")
        self.assertIn("It cannot be used", self.report())
        (self.studio.folder / FILE_NAME).unlink()
        self.assertIn("is missing", self.report())
