"""Exchange as a person does it: three lists of different habits in, a studio out and in again."""

import io
import tempfile
from pathlib import Path

from openpyxl import Workbook

from tests.browser.stage import BrowserCase
from tests.studio.exchange.test_tables import CONTINENT, OVERSEAS


class ExchangeTest(BrowserCase):
    def setUp(self):
        super().setUp()
        self.place = Path(tempfile.mkdtemp())

    def file(self, name, content):
        path = self.place / name
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return path

    def send(self, path):
        page = self.page
        page.goto("/exchange")
        page.locator("#table").set_input_files(path)
        page.get_by_role("button", name="Look at it").click()
        page.wait_for_url("**/exchange/table")

    def test_three_lists_of_different_habits_are_taken_in(self):
        page = self.page
        self.send(self.file("continent.csv", CONTINENT))
        page.get_by_text("The almanac has no species “Blue wonder bush”").wait_for()
        page.get_by_role("button", name="Import the 2 good rows").click()
        page.wait_for_url("**/trees")
        self.send(self.file("overseas.csv", OVERSEAS))
        page.get_by_text("“next spring” is no day").wait_for()
        # One row that cannot be, and all were asked for: nothing is kept, and it is said.
        page.get_by_role("button", name="All rows or none").click()
        page.get_by_role("alert").filter(has_text="nothing was taken in").wait_for()
        page.get_by_role("button", name="Import the 2 good rows").click()
        page.wait_for_url("**/trees")
        book = Workbook()
        for row in (
            ("Pflanze", "Am", "Was"),
            ("Alte Ulme", "12/3/2024", "repot"),
            ("Old elm", "25/3/2024", "repot"),
        ):
            book.active.append(row)
        out = io.BytesIO()
        book.save(out)
        self.send(self.file("sessions.xlsx", out.getvalue()))
        page.get_by_label("Its rows are").select_option("sessions")
        page.get_by_role("button", name="Apply").click()
        for column, meaning in (("Pflanze", "tree"), ("Am", "done_on"), ("Was", "kind")):
            page.get_by_label(f"What {column} says").select_option(meaning)
        page.get_by_role("button", name="Apply").click()
        page.get_by_role("button", name="Import the 2 good rows").click()
        page.wait_for_url("**/trees")
        names = {row.tree.name: row.last_session for row in self.list_trees()}
        self.assertEqual(len(names), 4)
        # The second day told which comes first.
        self.assertEqual(str(names["Alte Ulme"]), "2024-03-12")

    def test_a_studio_goes_out_and_comes_back_changed(self):
        page = self.page
        self.tree(name="Elm")
        page.goto("/exchange")
        with page.expect_download() as download:
            page.get_by_role("button", name="The whole studio").click()
        path = self.place / "studio.zip"
        download.value.save_as(path)
        page.goto("/trees/1/edit")
        page.get_by_label("Name").fill("Great elm")
        page.get_by_role("button", name="Save").click()
        page.wait_for_url("**/trees/1")
        page.goto("/exchange")
        page.locator("#exchange").set_input_files(path)
        page.get_by_role("button", name="See what it changes").click()
        page.wait_for_url("**/exchange/coming")
        page.get_by_label("Which is kept of Elm trees").select_option("theirs")
        page.get_by_role("button", name="Take it in").click()
        page.wait_for_url("**/trees")
        self.assertEqual([row.tree.name for row in self.list_trees()], ["Elm"])
