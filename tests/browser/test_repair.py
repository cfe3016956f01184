"""A backup with rows that cannot be, restored, named and mended in the browser; and signing out,
which leaves nothing behind."""

import hashlib
import json
import re
import sqlite3
import zipfile
from contextlib import closing
from datetime import date

from playwright.sync_api import expect

from mirvo.core.limits.sessions import SessionFields
from mirvo.formats.bundle import MANIFEST, bundle_pieces
from mirvo.records.database import FILE_NAME
from mirvo.studio.ground.people import PersonFields, add_person
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.yard.restoring import put_waiting_in_place
from tests.browser.stage import BrowserCase
from tests.studio_case import TODAY

NOW = TODAY.replace(tzinfo=None)
PHRASE = "four words of ours"
KEPT = "caches.keys().then(async names => (await Promise.all(names.map(async name => " \
    "(await (await caches.open(name)).keys()).map(one => one.url)))).flat())"  # fmt: skip


class RepairTest(BrowserCase):
    service_workers = "allow"

    def prepare(self):
        self.tree(name="Elm", acquired_on=date(2020, 1, 1))
        record_session(self.studio, 1, SessionFields(done_on=date(2026, 3, 1)))

    def poisoned_backup(self):
        path, records = self.folder / "yard.zip", self.folder / "records.sqlite3"
        path.write_bytes(b"".join(bundle_pieces(self.studio.folder, NOW)))
        with zipfile.ZipFile(path) as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        records.write_bytes(files[FILE_NAME])
        with closing(sqlite3.connect(records)) as kept:
            kept.execute("PRAGMA ignore_check_constraints = ON")
            kept.execute("UPDATE root_sessions SET done_on = '9999-12-31'")
            kept.execute("UPDATE trees SET height_mm = 9e8")
            kept.commit()
        files[FILE_NAME] = records.read_bytes()
        manifest = json.loads(files[MANIFEST])
        manifest["records_sha256"] = hashlib.sha256(files[FILE_NAME]).hexdigest()
        files[MANIFEST] = json.dumps(manifest).encode()
        with zipfile.ZipFile(path, "w") as packed:
            for name, content in files.items():
                packed.writestr(name, content)
        return path

    def test_poisoned_rows_are_named_and_mended(self):
        page = self.open_page()
        page.goto("/repair")
        page.get_by_label("Restore a backup").set_input_files(self.poisoned_backup())
        page.get_by_role("button", name="Check it").click()
        page.goto("/repair")
        expect(page.get_by_text("31 Dec 9999 is in the future")).to_be_visible()
        expect(page.get_by_text("Must be at most 20000.")).to_be_visible()
        # At the next start it is in its place.
        self.served.stop()
        self.studio.close()
        put_waiting_in_place(self.studio.folder, NOW)
        self.studio = self.served.studio = self.opened()
        self.served.start()
        page.goto("/trees/1/sessions")
        expect(page.get_by_text("No session is recorded yet")).to_be_visible()
        page.goto("/repair")
        session = page.locator(".set-aside", has_text="Root session 1 of Elm")
        session.get_by_label("Done on").fill("1 mar 2031")
        session.get_by_role("button", name="Put it back").click()
        expect(page.get_by_role("alert")).to_contain_text("1 Mar 2031 is in the future")
        session.get_by_label("Done on").fill("1 mar 2026")
        session.get_by_role("button", name="Put it back").click()
        height = page.locator(".set-aside", has_text="Tree Elm")
        height.get_by_label("Height, mm").fill("450")
        height.get_by_role("button", name="Put it back").click()
        expect(page.get_by_text("Nothing was set aside")).to_be_visible()
        page.goto("/trees/1/sessions")
        expect(page.get_by_text("1 Mar 2026")).to_be_visible()
        self.assertEqual(self.load_tree(1).height_mm, 450)

    def test_signing_out_leaves_no_page_on_the_device(self):
        form = PersonFields(person_name="Ada", role="owner", passphrase=PHRASE)
        add_person(self.studio, form)
        page = self.open_page(extra_http_headers={"X-Forwarded-For": "another device"})
        page.goto("/sign-in?to=/trees")
        page.get_by_label("Name").fill("Ada")
        page.get_by_label("Passphrase").fill(PHRASE)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("heading", level=1, name="Trees").wait_for()
        page.wait_for_function("navigator.serviceWorker.controller !== null")
        page.goto("/trees/1")
        page.wait_for_function(f"{KEPT}.then(kept => kept.some(one => one.endsWith('/trees/1')))")
        page.get_by_role("button", name="Sign out").click()
        page.get_by_label("Passphrase").wait_for()
        kept = [one for one in page.evaluate(KEPT) if re.search(r"/(trees|photos)", one)]
        self.assertEqual(kept, [])
