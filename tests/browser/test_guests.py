"""Who comes from another device of the network: signs in, and sees what was shown."""

from datetime import date

from mirvo.core.limits.sessions import SessionFields
from mirvo.studio.ground.people import PersonFields, add_person, people_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.yard.sharing import let_guests_see
from tests.browser.stage import BrowserCase

WORDS = "four words of ours"
LINKS = "[...document.querySelectorAll('a')].filter(a => a.checkVisibility() && " \
    "getComputedStyle(a).pointerEvents != 'none').map(a => a.pathname)"  # fmt: skip


class OtherDeviceTest(BrowserCase):
    def prepare(self):
        for name in ("Shown", "Kept"):
            tree = self.tree(name=name)
            self.photo(tree, seed=3)
            form = SessionFields(done_on=date(2026, 3, 28), bud_stage="buds swelling")
            record_session(self.studio, tree.id, form)
        for name, role in (("Owner", "owner"), ("Guest", "guest")):
            add_person(self.studio, PersonFields(person_name=name, role=role, passphrase=WORDS))
        guest = next(one for one in self.read(people_of) if one.role == "guest")
        let_guests_see(self.studio, 1, [guest.id])

    def sign_in(self, name):
        page = self.open_page(extra_http_headers={"X-Forwarded-For": "another device"})
        page.goto("/trees/1")
        page.get_by_label("Name").fill(name)
        page.get_by_label("Passphrase").fill(WORDS)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("heading", level=1, name="Shown").wait_for()
        return page

    def test_an_owner_signs_in_and_has_all_of_it(self):
        page = self.sign_in("Owner")
        self.assertTrue(page.get_by_role("link", name="Start session").is_visible())
        page.get_by_role("button", name="Sign out").click()
        page.get_by_label("Passphrase").wait_for()

    def test_no_link_a_guest_sees_leads_to_a_closed_door(self):
        page = self.sign_in("Guest")
        # On their own page guests change their passphrase; it is looked at elsewhere.
        known, waiting = {"/me"}, ["/guest"]
        while waiting:
            place = waiting.pop()
            known.add(place)
            with self.subTest(place=place):
                self.assertEqual(page.goto(place).status, 200)
                self.assertEqual(page.locator("main form[method=post]:visible").count(), 0)
                waiting += set(page.evaluate(LINKS)) - known - set(waiting)
        self.assertIn("/sessions/1", known)
        self.assertIn("/photos/1", known)
        self.assertNotIn("/trees/2", known)
