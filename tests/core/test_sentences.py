"""How what is said begins."""

import unittest

from mirvo.core.sentences import first_upper


class FirstUpperTest(unittest.TestCase):
    def test_months_and_names_keep_their_capitals(self):
        said = "buds swelling on 29 November (UV lamp)"
        self.assertEqual(first_upper(said), "Buds swelling on 29 November (UV lamp)")
        self.assertEqual(first_upper(""), "")
        self.assertEqual(first_upper("Émile"), "Émile")


if __name__ == "__main__":
    unittest.main()
