"""Words for codes: one place for how faults, limits and states are said."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from mirvo.core.clock import DEG_PER_HOUR, clock_time
from mirvo.core.measure.drafts import TopDraft
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import Fault
from mirvo.core.plan.records import PlannedStep
from mirvo.core.rootwork import KINDS
from mirvo.core.rootwork.cuts import CONDITIONS, HEIGHTS
from mirvo.core.sentences import first_upper
from mirvo.web.lengths import length_text

FAULTS = {
    "above_plane": "above the root plane",
    "below_plane": "below the root plane",
    "crossing": "crosses",
    "circling": "circles",
    "looping_back": "loops back",
    "kinked": "bent sharply",
    "crowded": "crowded by",
    "oversized": "far thicker than the rest",
    "dead": "dead",
    "no_feeders": "no fine roots",
}
ALLOWED = {
    "none": "No repot in",
    "session": "Repot it in",
    "final pot": "In the show pot by",
}
GAP_METHODS = {
    "graft": "graft a root into its middle",
    "fork": "bend or fork a neighbour into it, up to 30°",
    "ground layer": "ground layer: a new flare all round",
}
RADIALITY_PARTS = {
    "coverage": "share of the circle within an hour of a root",
    "evenness": "how evenly they are spaced",
    "balance": "how well their widths balance",
    "heading": "how straight outward they run",
}
ADVICE = {
    "keep": "keep",
    "shorten": "shorten",
    "remove": "remove flush",
    "halve": "halve: in two sessions",
    "bend": "bend round",
    "watch": "watch",
}
ACTIONS = {
    "keep": "Keep",
    "shorten": "Shorten",
    "halve": "Halve",
    "remove": "Remove",
    "bend": "Bend",
    "watch": "Watch",
}
KINDS_SAID = {
    "routine": "lift, clear, decide root by root, lower the underside, repot",
    "first": "first root work on new stock",
    "collection": "dig a tree, the trench as wide as its trunk asks for",
    "raise": "replant higher so that more flare shows",
    "re-angle": "change the planting angle",
    "slip-pot": "into a larger pot, roots untouched; only delays",
    "edge-cut": "a blade round the wall, fresh soil in the gap; only delays",
    "base-lift": "soil added underneath; only delays",
    "top-up": "soil added on top; only delays",
    "grow-out": "out into a wide box or the ground, or back",
    "change-soil": "weak in wet or decayed soil: fresh soil, no root cut but what is dead",
    "emergency": "sick roots, wrong season: diagnose, remove only what is dead",
    "layer": "new roots at a better height, then separation",
    "exposed-root": "cut, pack, wait, sever at the pot line",
    "graft": "a root into a gap of the flare",
}
KIND_NAMES = {kind.key: kind.name for kind in KINDS}
TRIAGE = {
    "roots_at_holes": "Roots out of the holes",
    "ball_lifting": "Ball lifts out of the pot",
    "water_stands": "Water stands on top",
    "soil_decayed": "Soil decayed",
    "stays_wet": "Ball stays wet",
    "thick_moss": "Thick moss",
    "weak_growth": "Weak growth last season",
    "dying_shoots": "Shoots die",
    "dark_ring": "Dark ring in a cut branch",
    "sour_soil": "Soil smells sour",
    "pest": "Pest in the soil",
    "pot_broken": "Pot broken",
}
TRIAGE_GROUPS = {
    "Pot and soil": (
        *("roots_at_holes", "ball_lifting", "water_stands", "stays_wet", "soil_decayed"),
        *("thick_moss", "pot_broken"),
    ),
    "The tree": ("weak_growth", "dying_shoots"),
    "If it fails": ("dark_ring", "sour_soil", "pest"),
}
# Of a root's length, as good as all of it.
WHOLE = 0.999
# Terms of the craft and of Mirvo's own figures, each in a sentence or two.
GLOSSARY = {
    "Nebari, flare": "The roots at the surface where they spread from the foot of the trunk. The "
    "flare is the solid wood that widens into them.",
    "Root plane": "The level at which most good roots leave the trunk. Heights and depths count "
    "from it; a root a quarter of the trunk's diameter off it is said to lie off the plane.",
    "Trunk diameter": "Of the circle with the area of the trunk's outline just above the flare.",
    "Spread": "How wide the base is, as the mean over all directions: of the flare's outline, or "
    "of all roots as far as two trunk diameters from the middle. The two are never mixed.",
    "Spread ratio": "Spread divided by the trunk's diameter, so that trees can be compared.",
    "Azimuth, clock": "Where a root leaves the trunk, seen from above: 12 at the back, 6 at the "
    "front.",
    "Radiality": "How evenly roots leave all round, 0 to 100: 100 for eight even ones, about 33 "
    "for two opposite, 0 for none.",
    "Coverage": "A part of radiality: the share of the circle that lies within an hour of a root, "
    "thick roots counting more.",
    "Evenness": "A part of radiality: how alike the gaps between neighbours are.",
    "Balance": "A part of radiality: whether the widths of all sides weigh alike.",
    "Heading": "A part of radiality: how straight outward the roots run.",
    "Largest gap": "The widest angle between two neighbouring roots.",
    "Ball": "The roots with their soil, out of the pot; its depth counts from the root plane.",
    "Woody depth": "How deep wood thicker than an eighth of the trunk reaches: the least depth of "
    "pot without another cut.",
    "Feeding share": "How much of all fine roots a session removes, with its ±.",
    "Budget": "The feeding share you allow yourself in one session, by your practice, the species "
    "and how the tree stands.",
    "Bearing": "The feeding share a tree could bear at most; its answers to earlier sessions move "
    "it up or down.",
    "Strain": "How near a session comes to the bearing, 0 to 100: the square of its share over the "
    "bearing.",
    "Toll": "What a path costs the tree: 20 for each opening of the pot and the strain of each "
    "session. Less is better.",
    "Likely year": "The year by which four in five of the drawn futures have reached the target.",
    "±": "The true value lies within it nineteen times of twenty, as far as the assumptions hold.",
}
UNITS = {"deg": "°", "%": "%"}
__all__ = ["CONDITIONS", "HEIGHTS"]
FEEDERS = ("none", "few", "some", "many")


def fault(found: Fault) -> str:
    """One fault with its figure and threshold."""
    # A code without words fails in the tests, never as an empty line on a page.
    text = FAULTS[found.code]
    if found.with_root:
        text += f" {found.with_root}"
    if found.figure is not None and found.threshold is not None and found.unit is not None:
        figure, limit = (
            length_text(value) if found.unit == "mm" else f"{value:.0f}{UNITS[found.unit]}"
            for value in (found.figure, found.threshold)
        )
        text += f" ({figure}, limit {limit})"
    return text


def found_in_photo(marks: TopDraft) -> str:
    """What of the marks was found in the photo and strays further than a click, in words."""
    roots = [root.label for root in marks.roots if root.found_in_photo]
    parts = (
        ["the trunk's outline"] if any(trunk.outline_sd_px for trunk in marks.every_trunk) else []
    )
    if roots:
        parts.append(f"root{'s' if len(roots) > 1 else ''} {', '.join(roots)}")
    return " and ".join(parts)


def clock(hour: float | None) -> str:
    """An hour of the clock, 7.3, to five minutes: "7:20"; nothing for None."""
    return "" if hour is None else clock_time(hour * DEG_PER_HOUR)


def plus_minus(figure: Figure, digits: int = 0) -> str:
    """The ± of a figure; with a digit more where it would be said to be nothing."""
    said = f"{figure.plus_minus:.{digits}f}"
    return f"{figure.plus_minus:.{digits + 1}f}" if figure.plus_minus and not float(said) else said


def short_day(value: date | None) -> str:
    """14 Mar 2026."""
    return "" if value is None else f"{value.day} {value:%b %Y}"


def days(first: date, last: date) -> str:
    """16 Mar to 4 May 2027; both years where they differ."""
    start = f"{first.day} {first:%b}" if first.year == last.year else short_day(first)
    return f"{start} to {short_day(last)}"


def step_in_brief(step: PlannedStep) -> str:
    """What a planned session does, in a line: "cut A and F, slice 12 mm, graft at 3:30"."""
    whole = [label for label in step.faults if step.parts.get(label, 1.0) >= WHOLE]
    parts = [label for label in step.faults if label not in whole]
    said = []
    if whole or step.returned:
        said.append(f"cut {listed([*whole, *step.returned])}")
    if parts:
        said.append(f"shorten {listed(parts)}")
    if step.layer is not None:
        said.append("make the ground layer" if step.layer == "make" else "separate the layer")
    if step.slice_mm:
        said.append(f"slice {length_text(step.slice_mm)}")
    if step.side_trim_mm:
        said.append(f"trim {length_text(step.side_trim_mm)} off each side")
    for doing, works in (("graft", step.grafts), ("fork", step.forks)):
        if works:
            said.append(f"{doing} at {listed([clock(work.azimuth_deg / 30) for work in works])}")
    said.append(f"into the {step.into}")
    return ", ".join(said)


def listed(words: Sequence[str]) -> str:
    """A, B and C."""
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


# Of browsers and systems the first that is named counts: most name others too.
BROWSERS = (
    *(("Edg", "Edge"), ("OPR", "Opera"), ("SamsungBrowser", "Samsung browser")),
    *(("Firefox", "Firefox"), ("FxiOS", "Firefox"), ("CriOS", "Chrome"), ("Chrome", "Chrome")),
    ("Safari", "Safari"),
)
SYSTEMS = (
    *(("iPhone", "iPhone"), ("iPad", "iPad"), ("Android", "Android"), ("Windows", "Windows")),
    *(("Mac OS X", "a Mac"), ("CrOS", "Chrome OS"), ("Linux", "Linux")),
)
UNITS_OF_COLUMNS = {"_mm": "mm", "_kg": "kg", "_g": "g", "_c": "°C", "_percent": "%"}
MAX_DEVICE = 40


def device_words(user_agent: str) -> str:
    """A device as people know it.

    >>> device_words("Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) Safari/604.1")
    'Safari on iPhone'
    >>> device_words("curl/8.1")
    'curl/8.1'
    """
    browser = next((name for sign, name in BROWSERS if sign in user_agent), None)
    system = next((name for sign, name in SYSTEMS if sign in user_agent), None)
    if browser is None or system is None:
        return browser or system or user_agent[:MAX_DEVICE] or "unknown device"
    return f"{browser} on {system}"


def column_words(column: str) -> str:
    """A column as a label of its field.

    >>> column_words("height_mm"), column_words("done_on")
    ('Height, mm', 'Done on')
    """
    for ending, unit in UNITS_OF_COLUMNS.items():
        if column.endswith(ending):
            return f"{first_upper(column.removesuffix(ending).replace('_', ' '))}, {unit}"
    return first_upper(column.replace("_", " "))
