"""Who comes in from other devices, what they may do, and how it ends."""

import re
from datetime import timedelta

from fastapi.testclient import TestClient

from mirvo.cli import EVERY_ADDRESS, THIS_COMPUTER, _host
from mirvo.core.errors import BadInput
from mirvo.records.models import Person, SignIn
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.yard.people import (
    LASTS,
    PersonFields,
    add_person,
    has_owner,
    people_and_devices,
    people_of,
    set_reachable,
)
from mirvo.studio.yard.sharing import link_of
from mirvo.studio.yard.throttle import Throttle
from mirvo.web.app import create_app
from mirvo.web.access import COOKIE
from tests.studio_case import TODAY, StudioCase

OWN, OTHER = "open sesame, please", "another good phrase"
PHONE = ("192.168.1.20", 40000)


class DoorTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree()
        self.app = create_app(self.studio)
        self.here = TestClient(self.app, follow_redirects=False)
        self.phone = self.device()

    def device(self, where=PHONE):
        return TestClient(self.app, follow_redirects=False, client=where)

    def person(self, name="Ada", role="owner", passphrase=OWN):
        form = {"person_name": name, "role": role, "passphrase": passphrase}
        add_person(self.studio, PersonFields.model_validate(form))

    def come_in(self, device, name="Ada", passphrase=OWN, to="/"):
        sent = {"name": name, "passphrase": passphrase, "to": to}
        return device.post("/sign-in", data=sent)

    def test_from_elsewhere_nothing_is_answered_but_the_door(self):
        self.person()
        for page in ("/", "/trees/1", "/kit", "/photos/1/large.jpg", "/no-such", "/find?q=a"):
            answer = self.phone.get(page)
            self.assertEqual(answer.status_code, 303, page)
            self.assertTrue(answer.headers["location"].startswith("/sign-in?to="))
        for change in ("/trees", "/kit/backup.zip", "/compost/tree/1", "/bench-sessions/1/entries"):
            answer = self.phone.post(change, data={"name": "x"})
            self.assertEqual(answer.status_code, 401, change)
            self.assertNotIn("Ferry", answer.text)
        self.assertEqual(self.phone.get("/sign-in").status_code, 200)
        self.assertEqual(self.here.get("/trees/1").status_code, 200)

    def test_an_owner_signs_in_and_out(self):
        self.person()
        answer = self.come_in(self.phone, to="/trees/1")
        self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/trees/1"))
        cookie = answer.headers["set-cookie"].lower()
        self.assertIn("httponly", cookie)
        self.assertIn("samesite=lax", cookie)
        page = self.phone.get("/trees/1")
        self.assertEqual(page.status_code, 200)
        self.assertIn("Ada", page.text)
        self.assertEqual(self.phone.post("/sign-out").status_code, 303)
        self.assertEqual(self.phone.get("/trees/1").status_code, 303)

    def test_a_wrong_passphrase_or_name_is_told_alike_and_soon_waits(self):
        self.person()
        said = set()
        for name, passphrase in (
            ("Ada", "wrong"),
            ("nobody", OWN),
            ("Ada", ""),
            ("Ada", "x" * 999),
        ):
            answer = self.come_in(self.phone, name, passphrase)
            self.assertEqual(answer.status_code, 403)
            said |= set(re.findall(r'role="alert">.*?</svg>\s*([^<]+)</p>', answer.text, re.S))
        self.assertEqual(len(said), 1, said)
        self.come_in(self.phone, "Ada", "wrong")
        self.assertIn("Too many tries", self.come_in(self.phone).text)
        # By name too, so that another address does not help.
        for _ in range(3):
            self.come_in(self.device(("192.168.1.21", 1)), "Ada", "wrong")
        self.assertIn("Too many tries", self.come_in(self.device(("192.168.1.22", 1))).text)
        self.studio.clock = lambda: TODAY + timedelta(hours=1)
        self.assertEqual(self.come_in(self.phone).status_code, 303)

    def test_helpers_keep_records_and_throw_nothing_away(self):
        self.person()
        self.person("Bo", "helper", OTHER)
        self.come_in(self.phone, "bo", OTHER)
        self.assertEqual(self.phone.get("/kit").status_code, 200)
        self.assertEqual(self.phone.post("/trees/1/buds", data={"stage": ""}).status_code, 303)
        for owners in (
            "/compost/tree/1", "/kit/backup.zip", "/kit/people", "/kit/people/1/remove",
            "/kit/reachable", "/kit/devices/1/end", "/sharing/trees/1/link",
        ):  # fmt: skip
            answer = self.phone.post(owners, data={})
            self.assertEqual((answer.status_code, "owner" in answer.text), (403, True), owners)
            self.assertIn("Back to the trees", answer.text)

    def test_helpers_are_offered_nothing_that_is_an_owners(self):
        self.person()
        self.person("Bo", "helper", OTHER)
        self.photo(self.load_tree(1))
        self.come_in(self.phone, "bo", OTHER)
        for page in ("/kit", "/trees/1/edit", "/trees/1/photos", "/trees/1/years"):
            owners = [f'action="{part}' for part in OWNERS_ONLY]
            for device, offers in ((self.here, True), (self.phone, False)):
                answer = device.get(page).text
                offered = [part for part in owners if part in answer]
                with self.subTest(page=page, owner=offers):
                    self.assertEqual(bool(offered), offers and page != "/trees/1/years")

    def test_guests_look_at_the_trees_they_were_shown_and_at_nothing_else(self):
        self.person()
        self.person("Cy", "guest", OTHER)
        other = self.tree(name="Quay privet", species_key="privet")
        shown, _ = self.photo(self.load_tree(1))
        hidden, _ = self.photo(other, seed=4)
        guest = next(one for one in self.read(people_of) if one.role == "guest")
        self.here.post("/sharing/trees/1", data={f"guest-{guest.id}": "yes", "guest-9": "yes"})
        self.come_in(self.phone, "Cy", OTHER)
        self.assertEqual(self.phone.get("/").headers["location"], "/guest")
        page = self.phone.get("/guest").text
        self.assertIn("Ferry zelkova", page)
        self.assertNotIn("Quay privet", page)
        for seen in ("", "/photos", "/sessions", "/years", "/path", "/time"):
            self.assertEqual(self.phone.get(f"/trees/1{seen}").status_code, 200, seen)
        for seen in (f"/photos/{shown.id}", f"/photos/{shown.id}/thumb.jpg"):
            self.assertEqual(self.phone.get(seen).status_code, 200, seen)
        for not_seen in (
            "/trees/2", "/trees", "/trees/1/edit", "/trees/new", "/kit", "/find?q=quay", "/almanac",
            f"/photos/{hidden.id}/thumb.jpg", f"/photos/{shown.id}/desk", "/trees/1/photos/..%2f..",
            "/kit/calendar.ics", "/materials", "/trees/²", "/trees/1/",
        ):  # fmt: skip
            answer = self.phone.get(not_seen)
            self.assertEqual(answer.status_code, 404, not_seen)
            self.assertNotIn("Quay", answer.text)
        for change in ("/trees/1/buds", "/trees", "/compost/tree/1", "/sharing/trees/1/link"):
            self.assertEqual(self.phone.post(change, data={"stage": ""}).status_code, 403, change)
        self.here.post("/sharing/trees/1", data={})
        self.assertEqual(self.phone.get("/trees/1").status_code, 404)

    def test_a_link_shows_one_tree_until_it_is_withdrawn(self):
        self.person()
        photo, marks = self.photo(self.load_tree(1))
        save_marks(self.studio, photo.id, marks, 0)
        hidden, _ = self.photo(self.tree(name="Quay privet", species_key="privet"), seed=4)
        self.here.post("/compost/tree/2")
        self.here.post("/sharing/trees/1/link")
        secret = self.read(link_of, 1).secret
        self.assertIn(secret, self.here.get("/trees/1/edit").text)
        page = self.phone.get(f"/shared/{secret}")
        self.assertEqual(page.status_code, 200)
        self.assertIn("Ferry zelkova", page.text)
        self.assertNotIn("<form", page.text)
        # What others may ask of a page is not told here.
        self.assertNotIn("Quay", self.phone.get(f"/shared/{secret}?laid=tree-2&tour=1").text)
        self.assertNotIn("Quay", self.phone.get("/sign-in?laid=tree-2").text)
        picture = f"/shared/{secret}/{photo.id}/thumb.jpg"
        self.assertEqual(self.phone.get(picture).headers["content-type"], "image/jpeg")
        for wrong in (f"/shared/{secret}/{hidden.id}/thumb.jpg", "/shared/x", f"/shared/{secret}x"):
            self.assertEqual(self.phone.get(wrong).status_code, 404, wrong)
        self.here.post("/sharing/trees/1/withdraw")
        self.assertEqual(self.phone.get(f"/shared/{secret}").status_code, 404)
        self.assertEqual(self.phone.get(picture).status_code, 404)
        self.here.post("/sharing/trees/1/link")
        self.assertNotEqual(self.read(link_of, 1).secret, secret)

    def test_a_device_is_signed_out_from_the_kit_and_when_long_unused(self):
        self.person()
        self.come_in(self.phone)
        [(person, [one])] = self.read(people_and_devices)
        self.assertEqual(person.name, "Ada")
        self.assertEqual(self.here.post(f"/kit/devices/{one.id}/end").status_code, 303)
        self.assertEqual(self.phone.get("/").status_code, 303)
        self.come_in(self.phone)
        self.studio.clock = lambda: TODAY + LASTS + timedelta(days=1)
        self.assertEqual(self.phone.get("/").status_code, 303)

    def test_removing_a_person_signs_all_their_devices_out(self):
        self.person()
        self.person("Bo", "helper", OTHER)
        self.come_in(self.phone, "Bo", OTHER)
        self.assertEqual(self.here.post("/kit/people/1/remove").status_code, 422)
        self.assertEqual(self.here.post("/kit/people/2/remove").status_code, 303)
        self.assertEqual(self.phone.get("/").status_code, 303)
        self.assertEqual(self.here.post("/kit/people/99/remove").status_code, 404)

    def test_what_is_kept_lets_nobody_in(self):
        self.person()
        self.come_in(self.phone)
        with self.studio.reading() as db:
            person, device = db.query(Person).one(), db.query(SignIn).one()
        self.assertTrue(person.proof.startswith("$argon2id$"))
        self.assertNotIn(OWN, person.proof)
        for shown in (device.token_hash, "", "x", "\u00e9" * 40):
            other = self.device()
            other.cookies.set(COOKIE, shown.encode("ascii", "ignore").decode())
            self.assertEqual(other.get("/").status_code, 303)

    def test_a_request_handed_on_is_not_from_this_computer(self):
        self.person()
        answer = self.here.get("/", headers={"x-forwarded-for": "127.0.0.1"})
        self.assertEqual(answer.status_code, 303)

    def test_one_is_led_to_no_other_site(self):
        self.person()
        for to in ("//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example", ""):
            answer = self.come_in(self.device(), to=to)
            self.assertEqual(answer.headers["location"], "/", to)

    def test_the_kit_turns_back_what_cannot_be(self):
        def sent(**form):
            form = {"person_name": "Ada", "role": "owner", "passphrase": OWN, **form}
            return self.here.post("/kit/people", data=form)

        self.assertEqual(sent(passphrase="short").status_code, 422)
        self.assertEqual(sent(role="helper").status_code, 422)
        self.assertEqual(sent(role="king").status_code, 422)
        self.assertEqual(
            self.here.post("/kit/reachable", data={"reachable": "true"}).status_code, 422
        )
        self.assertEqual(sent().status_code, 303)
        again = sent(person_name="ADA")
        self.assertEqual(again.status_code, 422)
        self.assertNotIn(OWN, again.text)
        self.assertEqual(
            self.here.post("/kit/reachable", data={"reachable": "true"}).status_code, 303
        )
        self.assertTrue(self.yard().reachable)

    def test_it_listens_elsewhere_only_with_an_owner(self):
        self.assertEqual(_host(self.studio, ""), THIS_COMPUTER)
        self.assertEqual(_host(self.studio, "localhost"), "localhost")
        for elsewhere in (EVERY_ADDRESS, "192.168.1.2", "::"):
            with self.assertRaises(BadInput):
                _host(self.studio, elsewhere)
        self.person()
        self.assertEqual(_host(self.studio, "::"), "::")
        set_reachable(self.studio, True)
        self.assertEqual(_host(self.studio, ""), EVERY_ADDRESS)
        # The last person gone, nobody is let in.
        self.here.post("/kit/people/1/remove")
        self.assertFalse(self.read(has_owner))
        self.assertEqual(self.read(people_of), [])
        self.assertEqual(_host(self.studio, ""), THIS_COMPUTER)


class ThrottleTest(StudioCase):
    def test_waits_grow_and_end(self):
        tries, now = Throttle(), TODAY
        waits = []
        for _ in range(14):
            waits.append(tries.wait_s(("a",), now))
            tries.failed(("a",), now)
        self.assertEqual(waits[:5], [0.0] * 5)
        self.assertEqual(waits[5:8], [15.0, 30.0, 60.0])
        self.assertEqual(waits[-1], 900.0)
        self.assertEqual(tries.wait_s(("a",), now + timedelta(seconds=901)), 0.0)
        self.assertEqual(tries.wait_s(("b",), now), 0.0)
        tries.succeeded(("a",))
        self.assertEqual(tries.wait_s(("a",), now), 0.0)
