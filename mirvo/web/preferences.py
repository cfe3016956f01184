"""How pages are shown in one browser: its look, its units, and whether it offers the practice
camera. Kept as cookies of that browser alone."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import Request, Response

from mirvo.core.lengths import INCHES, MM

LOOKS = ("day", "dusk")
UNITS = (MM, INCHES)
CAMERA_OFFERED = "offered"
COOKIES = {"look": "mirvo-look", "units": "mirvo-units", "camera": "mirvo-camera"}
YEAR_S = 365 * 86400


@dataclass(frozen=True)
class Preferences:
    """look : of `LOOKS`, or empty as the device is set. units : of `UNITS`.

    camera : whether the simulated camera stands beside every tree's photos.
    """

    look: str = ""
    units: str = MM
    camera: bool = False

    @property
    def inches(self) -> bool:
        return self.units == INCHES


def preferences_of(request: Request) -> Preferences:
    """What this browser was told; what makes no sense is as if it had not been said."""
    look, units, camera = (request.cookies.get(cookie, "") for cookie in COOKIES.values())
    return Preferences(
        look if look in LOOKS else "", units if units in UNITS else MM, camera == CAMERA_OFFERED
    )


def keep_preferences(answer: Response, chosen: Preferences) -> None:
    """Have the browser remember them for a year."""
    values = {
        "look": chosen.look,
        "units": chosen.units if chosen.units != MM else "",
        "camera": CAMERA_OFFERED if chosen.camera else "",
    }
    for name, cookie in COOKIES.items():
        if values[name]:
            answer.set_cookie(cookie, values[name], max_age=YEAR_S, httponly=True, samesite="lax")
        else:
            answer.delete_cookie(cookie)
