"""Marks of a small made-up base, for tests."""

from copy import deepcopy
from math import cos, pi, sin


def ring(x, y, half_across, half_down, clicks=16):
    """An ellipse about a point, clicked all round."""
    turns = [2 * pi * i / clicks for i in range(clicks)]
    return [[x + half_across * sin(turn), y - half_down * cos(turn)] for turn in turns]


MARKS = {
    "view": "top",
    "calibration": {
        "kind": "segment",
        "a": [100.0, 100.0],
        "b": [500.0, 100.0],
        "length_mm": 100.0,
    },
    "front": [500.0, 900.0],
    "trunk": {"outline": ring(500, 500, 100, 100)},
    "roots": [
        {
            "label": "A",
            "path": [[500.0, 400.0], [500.0, 200.0]],
            "base_width": [[480.0, 390.0], [520.0, 390.0]],
        },
        {
            "label": "B",
            "path": [[600.0, 500.0], [800.0, 500.0]],
            "base_width": [[610.0, 480.0], [610.0, 520.0]],
        },
    ],
}


def top_marks(**changes):
    """A fresh copy with some parts replaced."""
    return deepcopy(MARKS) | changes
