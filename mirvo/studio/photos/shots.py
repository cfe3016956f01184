"""What the simulated camera takes of a made-up base, in the process beside the server.

Rendering is heavy, so each says on the way how many photos are taken.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.standins.base import Base, Truth, from_below
from mirvo.studio.ground.progress import report

TURNTABLE_VIEWS = 8
OBLIQUE_PHOTOS = 3
CARD_HEIGHT_MM = 12.0
SIZE = (2016, 1512)


@dataclass(frozen=True)
class TakenPhoto:
    """A photo as taken, its truth, and what is known of how it was taken.

    kind : as photos are filed. turn_deg : of a turntable. underside : of the lifted tree.
    """

    name: str
    content: bytes
    known: Truth
    kind: str = "top"
    turn_deg: float = 0.0
    underside: bool = False


def from_above(base: Base, seed: int, taken_on: date) -> list[TakenPhoto]:
    """One photo from above."""
    from mirvo.standins.photo import shoot

    _say(0, 1)
    content, known = shoot(base, seed, taken_on, SIZE)
    return [TakenPhoto(simulated_name(seed, taken_on), content, known)]


def simulated_name(seed: int, taken_on: date) -> str:
    return f"simulated-{taken_on:%Y-%m-%d}-{seed}.jpg"


def turntable(base: Base, seed: int, taken_on: date) -> list[TakenPhoto]:
    """Eight side views, the tree turned on between them."""
    from mirvo.standins.turntable import side_camera, side_photo, side_truth

    camera, taken = side_camera(seed), []
    for number in range(TURNTABLE_VIEWS):
        _say(number, TURNTABLE_VIEWS)
        turn = 360.0 / TURNTABLE_VIEWS * number
        name = f"turntable-{taken_on:%Y-%m-%d}-{seed}-{turn:03.0f}.jpg"
        content = side_photo(base, camera, turn, taken_on)
        known = {"base": base.as_json(), "marks": side_truth(base, camera, turn)}
        taken.append(TakenPhoto(name, content, known, "side", turn_deg=turn))
    return taken


def oblique(base: Base, seed: int, taken_on: date) -> list[TakenPhoto]:
    """Three oblique photos round a base, the card left in place, and one of its underside."""
    from mirvo.standins.camera import oblique_camera
    from mirvo.standins.card import CardPlace
    from mirvo.standins.photo import take_photo, truth
    from mirvo.standins.scene import Layout

    layout, taken = Layout(card=CardPlace(height_mm=CARD_HEIGHT_MM)), []
    for number in range(OBLIQUE_PHOTOS + 1):
        _say(number, OBLIQUE_PHOTOS + 1)
        under = number == OBLIQUE_PHOTOS
        seen = from_below(base) if under else base
        camera = oblique_camera(seed, number, OBLIQUE_PHOTOS)
        what = "underside" if under else f"oblique-{number + 1}"
        name = f"{what}-{taken_on:%Y-%m-%d}-{seed}.jpg"
        content = take_photo(seen, camera, taken_on, layout)
        taken.append(TakenPhoto(name, content, truth(seen, camera, layout), underside=under))
    return taken


def _say(number: int, count: int) -> None:
    # A bar that begins at nothing looks as if nothing were being done.
    report(f"Taking photo {number + 1} of {count}", (number + 0.1) / count)
