"""The almanac's pages of species: reading, changing, adding, taking out and putting back."""

from mirvo.core.almanac import figures_of, species_by_key
from mirvo.studio.standing import species as use
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase
from tests.web.test_pages import tags, words


class SpeciesPagesTest(StudioCase):
    PAGE = "/almanac/species/zelkova"

    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.row = self.tree()

    def filled(self, **changes):
        """The form as a browser sends it: no field for what is not ticked."""
        values = {**figures_of(species_by_key("zelkova")), **changes}
        ticked = {name: "on" if value is True else value for name, value in values.items()}
        return {name: value for name, value in ticked.items() if value is not False}

    def shown(self, place=PAGE):
        return {tag["name"]: tag.get("value") for tag in tags(self.client.get(place), "input")
                if "name" in tag}  # fmt: skip

    def test_the_form_shows_every_figure_with_its_unit(self):
        shown = self.shown()
        self.assertEqual((shown["budget_steady"], shown["first_week"]), ("50", "-5"))
        self.assertIn("°C", self.client.get(self.PAGE).text)
        self.assertIn("1 tree in your yard", words(self.client.get(self.PAGE)))

    def test_what_is_kept_is_shown_beside_the_shipped_figure(self):
        sent = self.filled(budget_steady="42,5", root_cuttings=False)
        answer = self.client.post(self.PAGE, data=sent)
        self.assertEqual(answer.url.path, self.PAGE)
        self.assertIn("As shipped: 50", answer.text)
        self.assertIn("2 of its figures are your own", words(answer))
        self.assertEqual(self.shown()["budget_steady"], "42.5")
        self.assertFalse(use.species_of(self.yard(), "zelkova").root_cuttings)
        again = self.client.post(f"{self.PAGE}/aside")
        self.assertIn("Put your figures back", again.text)
        self.assertIn("As shipped: 50", self.client.post(f"{self.PAGE}/back").text)

    def test_a_complaint_stands_at_its_figure_and_nothing_sent_is_lost(self):
        sent = self.filled(best_week="30", note="Mind the <b>roots</b>", budget_bold="all")
        answer = self.client.post(self.PAGE, data=sent)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Please give a number", answer.text)
        self.assertIn("Mind the &lt;b&gt;roots&lt;/b&gt;", answer.text)
        answer = self.client.post(self.PAGE, data={**sent, "budget_bold": "75"})
        [wrong] = [tag for tag in tags(answer, "input") if tag.get("aria-invalid")]
        self.assertEqual((wrong["name"], wrong["value"]), ("best_week", "30"))
        self.assertEqual(self.yard().own_species, {})

    def test_a_species_of_the_studio_from_adding_to_putting_back(self):
        data = {"new_name": "Saltgate elm", "like": "chinese-elm"}
        added = self.client.post("/almanac/species", data=data)
        self.assertIn("your own species", added.text)
        place = added.url.path
        key = place.rsplit("/", 1)[1]
        self.assertIn(key, self.client.get("/trees/new").text)
        twice = self.client.post("/almanac/species", data=data)
        self.assertEqual(twice.status_code, 422)
        self.assertIn("has a species called Saltgate elm already", twice.text)
        self.assertIn('value="Saltgate elm"', twice.text)
        out = self.client.post(f"{place}/aside")
        self.assertIn("Saltgate elm was taken out", out.text)
        self.assertEqual(self.client.get(place).status_code, 404)
        self.assertEqual(self.client.post(f"{place}/back").url.path, place)

    def test_a_species_with_trees_is_not_taken_out(self):
        key = use.add_entry(self.studio, "Saltgate elm", "chinese-elm")
        self.tree(name="Ferry elm", species_key=key)
        answer = self.client.post(f"/almanac/species/{key}/aside")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("one tree is of this species", answer.text)

    def test_unknown_species(self):
        self.assertEqual(self.client.get("/almanac/species/triffid").status_code, 404)
        self.assertEqual(self.client.post("/almanac/species/triffid/back").status_code, 404)
        answer = self.client.post("/almanac/species", data={"new_name": "X", "like": "triffid"})
        self.assertEqual(answer.status_code, 422)
