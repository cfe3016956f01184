"""How much the long proofs look at: a part with every run, all of it with `make prove`."""

import os

PROVING = os.environ.get("MIRVO_PROVE") == "1"


def few_or_all(few, everything):
    """Of what a proof goes through, a part unless everything is asked for."""
    return everything if PROVING else few
