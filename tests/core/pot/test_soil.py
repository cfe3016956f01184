"""Mixes worked by hand: litres, grams, water, and what stays wet."""

import unittest

from mirvo.core.pot import Grain, Mix, Part, short_of, usual_components, watering_ratio

CLAY = Grain("clay", 2, 4, 0.70, 0.40, 0.25, loss=0.10)
PUMICE = Grain("pumice", 3, 9, 0.45, 0.28, 0.44)
FINE = Grain("sand", 0.5, 1.5, 1.5, 0.16, 0.10)
MIX = Mix((Part(CLAY, 2), Part(PUMICE, 1)))


class MixTest(unittest.TestCase):
    def test_litres_and_grams_to_the_gram(self):
        clay, pumice = MIX.amounts(4.5)
        # 3 l of clay at 0.70 kg, 1.5 l of pumice at 0.45 kg.
        self.assertEqual((clay.litres, clay.grams), (3.0, 2100))
        self.assertEqual((pumice.litres, pumice.grams), (1.5, 675))
        # A tenth falls through the sieve: 3 / 0.9 l to buy.
        self.assertAlmostEqual(clay.litres_unsieved, 3.3333, 4)
        self.assertEqual(pumice.litres_unsieved, 1.5)

    def test_parts_are_only_a_ratio(self):
        twice = Mix((Part(CLAY, 20), Part(PUMICE, 10)))
        self.assertEqual(MIX.amounts(1), twice.amounts(1))
        for name in ("water", "air", "kg_per_l", "mean_mm", "rise_mm"):
            self.assertAlmostEqual(getattr(MIX, name), getattr(twice, name), 12)

    def test_water_air_and_weight_are_means_by_volume(self):
        self.assertAlmostEqual(MIX.water, (2 * 0.40 + 0.28) / 3)
        self.assertAlmostEqual(MIX.air, (2 * 0.25 + 0.44) / 3)
        self.assertAlmostEqual(MIX.kg_per_l, (2 * 0.70 + 0.45) / 3)

    def test_the_fine_grains_make_the_pores(self):
        # Harmonic: 3 / (2 / 3 mm + 1 / 6 mm) = 3.6 mm, where the plain mean would be 4.
        self.assertAlmostEqual(MIX.mean_mm, 3.6)

    def test_water_stands_by_the_grain_and_the_void(self):
        # Half way between little air (65) and much (45): 55 mm over 3 mm of grain.
        self.assertAlmostEqual(Mix((Part(CLAY, 1),)).rise_mm, 55 / 3)
        self.assertAlmostEqual(Mix((Part(FINE, 1),)).rise_mm, 65)
        self.assertAlmostEqual(Mix((Part(PUMICE, 1),)).rise_mm, 45 / 6)

    def test_a_fine_mix_in_a_shallow_pot_stays_wet_all_through(self):
        zone = Mix((Part(FINE, 1),)).wet_zone(50)
        self.assertEqual((zone.wet, zone.dry, zone.all_wet), (50, 0, True))
        self.assertFalse(Mix((Part(PUMICE, 1),)).wet_zone(50).all_wet)

    def test_a_coarse_layer_lifts_what_stays_wet(self):
        mix = Mix((Part(CLAY, 1),))
        plain, layered = mix.wet_zone(60), mix.wet_zone(60, 15)
        self.assertEqual(plain.wet, layered.wet)
        self.assertAlmostEqual(plain.dry - layered.dry, 15)

    def test_watering_as_a_ratio(self):
        drier = Mix((Part(PUMICE, 1),))
        self.assertAlmostEqual(watering_ratio(Mix((Part(CLAY, 1),)), 4, drier, 4), 0.28 / 0.40)
        self.assertAlmostEqual(watering_ratio(drier, 4, drier, 2), 0.5)
        dry = Mix((Part(Grain("glass", 2, 4, 1, 0, 0.4), 1),))
        self.assertIsNone(watering_ratio(dry, 4, drier, 4))

    def test_what_is_short(self):
        self.assertEqual(short_of({"clay": 2.0, "pumice": 9.0}, MIX.amounts(4.5)), {
            "clay": 3.0 / 0.9 - 2.0
        })  # fmt: skip

    def test_the_usual_ones_can_be(self):
        for grain, ph in usual_components():
            with self.subTest(name=grain.name):
                self.assertLessEqual(grain.water + grain.air, 1)
                self.assertLessEqual(grain.from_mm, grain.to_mm)
                self.assertTrue(3.5 < ph < 8.5)
