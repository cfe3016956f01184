"""A drawing as a list of plain shapes; `svg` and `drawings/drawing.svg` put them on paper."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from mirvo.core.lengths import MM_PER_INCH
from mirvo.web.lengths import in_inches, length_text

Point = tuple[float, float]


@dataclass(frozen=True)
class Link:
    """Where a shape leads; into : the part of the page that is exchanged for it, by its id."""

    href: str
    label: str
    into: str
    chosen: bool = False


@dataclass(frozen=True)
class Shape:
    """One element: its SVG name, its role (a class of the stylesheet), attributes, text."""

    name: str
    role: str
    attributes: dict[str, str]
    text: str = ""
    link: Link | None = None


@dataclass(frozen=True)
class Slider:
    """What a knob sets: the field's name, its range from one end of the way to the other."""

    field: str
    label: str
    range: tuple[float, float]
    value: float
    step: float
    digits: int
    unit: str

    @property
    def said(self) -> str:
        """The value with its unit, a length in the reader's."""
        if self.unit == "mm":
            return length_text(self.value, self.digits)
        return f"{self.value:.{self.digits}f} {self.unit}"


@dataclass
class Scene:
    """A drawing of fixed size in px; `title` and `description` are its text equivalent.

    role : "img", or "group" when things in it can be moved. mode : a class of the stylesheet
    that the whole is drawn by.
    """

    key: str
    width: float
    height: float
    title: str
    description: str = ""
    shapes: list[Shape] = field(default_factory=list)
    role: str = "img"
    mode: str = ""

    def path(self, points: Iterable[Point], role: str, closed: bool = False) -> None:
        # Tenths of a pixel: finer is not seen, and pages stay small.
        joined = " L".join([f"{x:.1f} {y:.1f}" for x, y in points])
        self._add("path", role, {"d": f"M{joined}{' Z' if closed else ''}"})

    def curve(self, d: str, role: str) -> None:
        self._add("path", role, {"d": d})

    def line(self, a: Point, b: Point, role: str) -> None:
        self.path([a, b], role)

    def circle(self, centre: Point, radius: float, role: str, link: Link | None = None) -> None:
        x, y = centre
        place = {"cx": f"{x:.1f}", "cy": f"{y:.1f}", "r": f"{radius:.1f}"}
        self.shapes.append(Shape("circle", role, place, link=link))

    def rect(self, corner: Point, size: Point, role: str) -> None:
        self._add(
            "rect",
            role,
            {
                "x": f"{corner[0]:.1f}",
                "y": f"{corner[1]:.1f}",
                "width": f"{max(0.0, size[0]):.1f}",
                "height": f"{max(0.0, size[1]):.1f}",
            },
        )

    def image(self, corner: Point, size: Point, address: str, role: str = "photo") -> None:
        """A picture laid into the drawing."""
        self.rect(corner, size, role)
        place = self.shapes.pop().attributes
        self._add("image", role, {**place, "href": address})

    def handle(self, at: Point, way: Iterable[Point], name: str, share: float) -> None:
        """A knob that can be dragged along a way; `share` says how far along it stands."""
        x, y = at
        points = " ".join(f"{a:.1f},{b:.1f}" for a, b in way)
        attributes = {
            "cx": f"{x:.1f}",
            "cy": f"{y:.1f}",
            # Large enough for a wet finger; the stylesheet widens it on touch screens.
            "r": "9",
            "data-knob": name,
            "data-way": points,
            "data-share": f"{share:.4f}",
        }
        self._add("circle", "knob", attributes)

    def slider(self, name: str, ends: tuple[Point, Point], slider: Slider) -> None:
        """A knob on a straight way that sets a figure by finger, mouse or arrow keys."""
        low, high = slider.range
        # A value beyond the range still gets a knob, at the end it went past.
        share = min(1.0, max(0.0, (slider.value - low) / (high - low)))
        at = tuple(a + share * (b - a) for a, b in zip(*ends, strict=True))
        self.handle((at[0], at[1]), ends, name, share)
        text = f"{slider.value:.{slider.digits}f}"
        self.shapes[-1].attributes.update(
            {
                "id": f"knob-{name}",
                "data-field": slider.field,
                "data-from": f"{low:g}",
                "data-to": f"{high:g}",
                "data-digits": str(slider.digits),
                "data-unit": slider.unit,
                "data-step": f"{slider.step / (high - low):.6f}",
                "role": "slider",
                "tabindex": "0",
                "aria-label": slider.label,
                "aria-valuemin": f"{low:g}",
                "aria-valuemax": f"{high:g}",
                "aria-valuenow": text,
                "aria-valuetext": slider.said,
            }
        )

    def scale_bar(self, at: Point, scale: float) -> None:
        """A bar of 50 mm or 2 inches from a point to the right. scale : px per mm."""
        (x, y), mm = at, 2 * MM_PER_INCH if in_inches() else 50.0
        end = x + mm * scale
        self.path([(x, y - 8), (x, y), (end, y), (end, y - 8)], "bar")
        self.write((end + 6, y + 1), "2 in" if in_inches() else "50 mm", "small")

    def write(
        self, at: Point, text: str, role: str = "words", anchor: str = "start", says: str = ""
    ) -> None:
        """Text; `says` names the knob whose figure it shows."""
        attributes = {"x": f"{at[0]:.1f}", "y": f"{at[1]:.1f}", "text-anchor": anchor}
        if says:
            attributes["data-says"] = says
        self._add("text", role, attributes, text)

    def _add(self, name: str, role: str, attributes: dict[str, str], text: str = "") -> None:
        self.shapes.append(Shape(name, role, attributes, text))


def nice_scale(width_mm: float, room_px: float) -> float:
    """Largest scale in px per mm with which a width fits, in steps a person can read."""
    steps: Sequence[float] = (
        *(0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.1, 1.2, 1.3, 1.4, 1.5, 1.6, 1.7, 1.8, 1.9),
        *(2.0, 2.2, 2.4, 2.7, 3.0, 3.5, 4.0, 5.0),
    )
    # The step and not the exact quotient, so that drawings of a tree can be compared by eye.
    fitting = [step for step in steps if step * width_mm <= room_px]
    return fitting[-1] if fitting else room_px / width_mm
