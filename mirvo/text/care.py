"""Titles of aftercare tasks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from mirvo.core.season.weather import degrees

# What is looked at, in the order it is named.
THINGS = {
    "leaf": "lost leaves (%)",
    "shoots": "new shoots",
    "bark": "green bark under a scratch",
    "smell": "smell of the soil",
    "wetness": "how wet it stays",
}
PLAIN = {
    "buds": "Check the buds. They should be moving by now.",
    "shoots": "New shoots? If there are none: half shade, a humid cover, less water.",
    "ties": "Check the tie wires. Loosen any that bite.",
    "firm": "Does it stand firm? Tighten what holds it.",
    "second-session": "The second root session can come now.",
    "raised-roots": "Are the roots shown by the raise still moist and sound?",
    "graft-buds": "Graft: are its buds moving?",
    "graft-thicker": "Graft: has it thickened on both sides?",
    "graft-taken": "Graft: has it taken? Count it in the flare, or mark it as failed.",
    "layer-packing": "Layer: is the packing moist?",
    "layer-roots": "Layer: look for roots in the packing.",
    "layer-separate": "Layer: separate it if roots fill the packing. If not, wait four weeks.",
    "stake": "Are stake and guys still firm?",
    "sever": "Has the zone at the pot line rooted? If so, sever below it.",
    "return": "One year out: back to the pot, or a second year?",
    "delayed": "This was only a delay. A full session is due.",
    "uncover": "Clear the soil you added from trunk and flare.",
    "pest-check": "Check the roots at the holes and the soil for pests again.",
    "crown": "Bring the crown down to match the roots that are left.",
    "cuttings": "Plant thick offcuts as root cuttings while they are fresh, as insurance.",
}


def care_title(code: str, values: Mapping[str, Any] | None = None) -> str:
    """What a task asks for, as one sentence.

    >>> care_title("feed", {"only_with_shoots": False})
    'Start feeding.'
    """
    said = values or {}
    if code in PLAIN:
        return PLAIN[code]
    maker = {
        "look": _look,
        "place": _place,
        "cold": _cold,
        "feed": _feed,
        "wound": _wound,
    }.get(code)
    # A code of another version still says something.
    return code.replace("-", " ").capitalize() + "." if maker is None else maker(said)


def _look(said: Mapping[str, Any]) -> str:
    named = said.get("things") or []
    things = [words for key, words in THINGS.items() if key in named]
    sentences = ["Take a photo."] if "photo" in named else []
    if things:
        sentences.append(f"Note {_listed(things)}.")
    return " ".join(sentences) or "Look at it."


def _place(said: Mapping[str, Any]) -> str:
    needs = said.get("needs") or []
    parts = []
    if "cover" in needs:
        parts.append("under a humid cover, out of the sun")
    if "warm" in needs and isinstance(said.get("least_c"), (int, float)):
        parts.append(f"above {said['least_c']:g} °C at night")
    elif "frost" in needs:
        parts.append("free of frost")
    if "shade" in needs:
        parts.append("in half shade, out of the wind")
    sentence = f"Keep it {_listed(parts)}" if parts else "Keep it where it stands"
    if "cover" in needs:
        sentence += ". Open the cover a little longer each day once shoots grow"
    elif said.get("last"):
        sentence += ", then take it back to its usual place"
    return sentence + "."


def _cold(said: Mapping[str, Any]) -> str:
    nights = said.get("nights")
    low = said.get("low_c")
    if not isinstance(nights, (int, float)) or not isinstance(low, (int, float)):
        return "Frost is forecast: protect the roots."
    count = "1 night" if nights == 1 else f"{nights:g} nights"
    return (
        f"Frost is forecast, down to {degrees(low)} °C, {count} of the next ten. Protect the roots."
    )


def _feed(said: Mapping[str, Any]) -> str:
    if said.get("only_with_shoots"):
        return "Start feeding, but only if new shoots have grown."
    return "Start feeding."


def _wound(said: Mapping[str, Any]) -> str:
    roots = [str(label) for label in said.get("roots") or []]
    if not roots:
        return "Photograph the wounds. Tick when they have closed."
    noun = "wound" if len(roots) == 1 else "wounds"
    they = "it has" if len(roots) == 1 else "they have"
    return f"Photograph the {noun} of {_listed(roots)}. Tick when {they} closed."


def _listed(parts: Sequence[str]) -> str:
    if len(parts) < 2:
        return "".join(parts)
    return f"{', '.join(parts[:-1])} and {parts[-1]}"
