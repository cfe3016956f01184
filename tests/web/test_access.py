"""Who comes in from other devices, what they may do, and how it ends."""

import re
import socket
import unittest
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from unittest.mock import patch

from uvicorn.middleware.proxy_headers import ProxyHeadersMiddleware

from mirvo.cli.serving import EVERY_ADDRESS, THIS_COMPUTER, _host
from mirvo.core.errors import BadInput
from mirvo.records.models import Person, SignIn
from mirvo.studio.ground import people
from mirvo.studio.ground.people import (
    LASTS,
    PersonFields,
    add_person,
    has_owner,
    people_and_devices,
    people_of,
    set_reachable,
)
from mirvo.studio.ground.throttle import Throttle
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.yard.sharing import link_of
from mirvo.web.access import COOKIE, KNOWN_DEVICE
from mirvo.web.app import create_app
from tests.client import TestClient
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
        now = [0.0]
        self.studio.throttle = Throttle(lambda: now[0])
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
        for _ in range(2):
            self.come_in(self.phone, "Ada", "wrong")
        self.assertIn("Too many tries", self.come_in(self.phone).text)
        # Somebody else's tries lock nobody out elsewhere.
        self.assertEqual(self.come_in(self.device(("192.168.1.21", 1))).status_code, 303)
        now[0] += 3600
        self.assertEqual(self.come_in(self.phone).status_code, 303)

    def test_a_known_device_is_never_locked_out_by_others(self):
        self.person()
        self.come_in(self.phone)
        self.phone.post("/sign-out")
        stranger = self.device()
        for _ in range(8):
            self.come_in(stranger, passphrase="wrong")
        self.assertIn("Too many tries", self.come_in(stranger).text)
        self.assertEqual(self.come_in(self.phone).status_code, 303)
        # What it is known by is signed, and is of one person alone.
        self.person("Bo", "helper", OTHER)
        shown = self.phone.cookies.get(KNOWN_DEVICE)
        for forged in (shown[:-2] + "xx", "", "W10.x", shown):
            stranger.cookies.set(KNOWN_DEVICE, forged)
            for _ in range(6):
                answer = self.come_in(stranger, "Bo", "wrong")
            self.assertIn("Too many tries", answer.text, forged)

    def test_forty_tries_at_once_are_forty_tries(self):
        self.person()
        proven = []
        proves = people._proves

        def counted(proof, passphrase):
            proven.append(passphrase)
            return proves(proof, passphrase)

        with patch.object(people, "_proves", counted), ThreadPoolExecutor(40) as many:
            tries = [
                many.submit(self.come_in, self.device(), "Ada", f"wrong {number}")
                for number in range(40)
            ]
            answers = [one.result() for one in tries]
        self.assertEqual(len(proven), 5)
        self.assertEqual({answer.status_code for answer in answers}, {403})

    def test_a_clock_set_back_lets_nobody_try_sooner(self):
        self.person()
        for _ in range(7):
            self.come_in(self.phone, passphrase="wrong")
        self.studio.clock = lambda: TODAY + timedelta(days=400)
        self.assertIn("Too many tries", self.come_in(self.phone).text)
        self.studio.clock = lambda: TODAY - timedelta(days=400)
        self.assertIn("Too many tries", self.come_in(self.phone).text)

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
        for name, value in (
            ("X-Forwarded-For", "127.0.0.1"), ("Forwarded", "for=127.0.0.1"), ("Via", "1.1 proxy"),
            ("X-Real-IP", "127.0.0.1"), ("X-Forwarded-Proto", "https"), ("CF-Connecting-IP", "::1"),
            ("X-Forwarded-Host", "studio.example"), ("X-Client-IP", "127.0.0.1"),
            ("True-Client-IP", "127.0.0.1"), ("X-Forwarded-Anything", "x"),
        ):  # fmt: skip
            answer = self.here.get("/kit", headers={name: value})
            self.assertEqual(answer.status_code, 303, name)

    def test_what_is_no_address_is_not_this_computer(self):
        self.person()
        for where, status in ((("127.0.0.1", 1), 200), (("::1", 1), 200), (("nowhere", 1), 303)):
            there = TestClient(self.app, follow_redirects=False, client=where)
            self.assertEqual(there.get("/kit").status_code, status, where)

    def test_a_named_proxy_says_for_whom_it_asks_and_whether_by_tls(self):
        self.person()
        behind = ProxyHeadersMiddleware(self.app, trusted_hosts=["10.0.0.7"])
        said = {"X-Forwarded-For": "203.0.113.9", "X-Forwarded-Proto": "https"}
        sent = {"name": "Ada", "passphrase": OWN, "to": "/"}
        for where, secure in ((("10.0.0.7", 1), True), (("10.0.0.8", 1), False)):
            through = TestClient(behind, follow_redirects=False, client=where, headers=said)
            answer = through.post("/sign-in", data=sent)
            self.assertEqual(answer.status_code, 303)
            cookies = answer.headers.get_list("set-cookie")
            self.assertEqual(["secure" in one.lower() for one in cookies], [secure] * 2)

    def test_it_answers_under_its_own_names_alone(self):
        app = create_app(self.studio, {"bonsai.example"})
        own = socket.gethostname().lower().partition(".")[0]
        for host, status in (
            ("localhost:8000", 200), ("127.0.0.1", 200), ("[::1]:8000", 200), (own, 200),
            (f"{own}.local", 200), ("bonsai.example", 200), ("testserver", 200),
            ("evil.example", 421), ("192.168.1.99", 421), ("other.local", 421), ("dotless", 421),
            (f"{own}.local.evil.example", 421), ("", 421),
        ):  # fmt: skip
            answer = TestClient(app).get("/", headers={"host": host})
            self.assertEqual(answer.status_code, status, host)

    def test_pages_of_a_signed_in_device_are_kept_nowhere(self):
        self.person()
        self.come_in(self.phone)
        page = self.phone.get("/trees/1")
        self.assertEqual(page.headers["cache-control"], "no-store")
        for name in ("cross-origin-resource-policy", "cross-origin-opener-policy"):
            self.assertEqual(page.headers[name], "same-origin")
        gone = self.phone.post("/sign-out")
        self.assertEqual(gone.headers["clear-site-data"], '"cache"')
        self.assertNotIn("cache-control", self.here.get("/trees/1").headers)

    def test_a_passphrase_is_changed_by_its_owner(self):
        self.person()
        self.come_in(self.phone)
        other = self.device()
        self.come_in(other)
        fresh = "a fresh long phrase"
        wrong = self.phone.post("/me/passphrase", data={"now": "no", "passphrase": fresh})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("not your present passphrase", wrong.text)
        short = self.phone.post("/me/passphrase", data={"now": OWN, "passphrase": "short"})
        self.assertEqual(short.status_code, 422)
        done = self.phone.post("/me/passphrase", data={"now": OWN, "passphrase": fresh})
        self.assertEqual(done.status_code, 303)
        self.assertIn("is changed", self.phone.get(done.headers["location"]).text)
        # This device stays; the others sign in anew.
        self.assertEqual(other.get("/").status_code, 303)
        self.assertEqual(self.come_in(self.device(), passphrase=OWN).status_code, 403)
        self.assertEqual(self.come_in(self.device(), passphrase=fresh).status_code, 303)

    def test_a_forgotten_one_is_reset_once_by_a_code(self):
        self.person()
        self.person("Bo", "helper", OTHER)
        self.come_in(self.phone, "Bo", OTHER)
        page = self.here.post("/kit/people/2/code").text
        code = re.search(r'one-time-code">([^<]+)<', page)[1].strip()
        self.assertNotIn(code, self.here.get("/kit/people").text)
        with self.studio.reading() as db:
            self.assertNotIn(code, str(vars(db.get(Person, 2))))
        fresh = {"name": "bo", "code": code.lower(), "passphrase": "a fresh long phrase"}
        away = self.device(("192.168.1.40", 1))
        for wrong in ({"code": "ABCD-EFGH-JKMN"}, {"name": "Ada"}):
            self.assertEqual(away.post("/sign-in/reset", data={**fresh, **wrong}).status_code, 422)
        self.assertEqual(away.post("/sign-in/reset", data=fresh).status_code, 303)
        self.assertEqual(self.phone.get("/").status_code, 303)
        self.assertEqual(self.come_in(away, "Bo", fresh["passphrase"]).status_code, 303)
        self.assertEqual(away.post("/sign-in/reset", data=fresh).status_code, 422)
        # One that is a day old opens nothing.
        page = self.here.post("/kit/people/2/code").text
        fresh["code"] = re.search(r'one-time-code">([^<]+)<', page)[1].strip()
        self.studio.clock = lambda: TODAY + timedelta(days=1, minutes=1)
        late = self.device(("192.168.1.41", 1))
        self.assertEqual(late.post("/sign-in/reset", data=fresh).status_code, 422)

    def test_roles_change_at_once_and_an_owner_stays(self):
        self.person()
        self.person("Bo", "helper", OTHER)
        self.come_in(self.phone, "Bo", OTHER)
        self.assertEqual(self.phone.get("/exchange").status_code, 403)
        self.assertEqual(
            self.here.post("/kit/people/1/role", data={"role": "guest"}).status_code, 422
        )
        self.assertEqual(
            self.here.post("/kit/people/2/role", data={"role": "king"}).status_code, 422
        )
        self.assertEqual(
            self.here.post("/kit/people/2/role", data={"role": "owner"}).status_code, 303
        )
        self.assertEqual(self.phone.get("/exchange").status_code, 200)
        self.here.post("/kit/people/2/role", data={"role": "guest"})
        self.assertEqual(self.phone.get("/trees").status_code, 404)

    def test_one_sees_and_ends_ones_own_devices_alone(self):
        self.person()
        self.person("Bo", "helper", OTHER)
        self.come_in(self.phone, "Bo", OTHER)
        lost = self.device()
        self.come_in(lost, "Bo", OTHER)
        owner = self.device()
        self.come_in(owner)
        self.assertEqual(self.phone.get("/me").text.count("/me/devices/"), 1)
        self.phone.post("/me/devices/3/end")
        self.assertEqual(owner.get("/").status_code, 200)
        self.phone.post("/me/devices/2/end")
        self.assertEqual(lost.get("/").status_code, 303)
        self.assertEqual(self.phone.get("/me").text.count("/me/devices/"), 0)

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


class ThrottleTest(unittest.TestCase):
    def test_waits_grow_and_end(self):
        now, waits = [0.0], []
        tries = Throttle(lambda: now[0])
        for _ in range(12):
            wait = tries.begin({"a": 5})
            waits.append(wait)
            if wait:
                now[0] += wait
                self.assertEqual(tries.begin({"a": 5}), 0.0)
        self.assertEqual(waits[:5], [0.0] * 5)
        self.assertEqual(waits[5:8], [15.0, 30.0, 60.0])
        self.assertEqual(waits[-1], 900.0)
        self.assertEqual(tries.begin({"b": 5}), 0.0)
        tries.succeeded({"a": 5})
        self.assertEqual(tries.begin({"a": 5}), 0.0)
