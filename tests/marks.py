"""Marks of a small made-up base, for tests."""

from copy import deepcopy

MARKS = {
    "view": "top",
    "calibration": {
        "kind": "segment",
        "a": [100.0, 100.0],
        "b": [500.0, 100.0],
        "length_mm": 100.0,
    },
    "front": [500.0, 900.0],
    "trunk": {"outline": [[400.0, 400.0], [600.0, 400.0], [600.0, 600.0], [400.0, 600.0]]},
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
