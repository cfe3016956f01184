"""What measuring gives: one record of a base from above, one of a base from the side.

Lengths are mm and angles degrees, in the plan frame (x to the viewer's right, y away) or the
elevation frame (z up from the soil line). Every figure carries the half-width of its 95 %
interval. The column of a measurement keeps a record whole; `report` prints the contract of it.
"""

from __future__ import annotations

from math import hypot
from typing import ClassVar, Literal, NamedTuple

from mirvo.core.measure.figure import Figure
from mirvo.core.record import OneDigit, Record, ThreeDigits, TwoDigits

PlanPoint = tuple[float, float]
Outline = tuple[PlanPoint, ...]
Basis = Literal["flare", "roots"]
FaultUnit = Literal["deg", "%", "mm"]
RADIALITY_PARTS = ("coverage", "evenness", "balance", "heading")


# Raised when a formula changes, so that kept measurements are worked out anew and the years stay
# comparable. 2: outlines are smooth curves, radiality is continuous, cards by all their edges.
# 3: flanks stand above the plane; side views allow for depth and turn of the reference.
# 4: a root tapers and its crest goes down toward its tip.
# 5, 6: flanks are not equally steep. 7: sections seen from the side are not round.
# 8: an end that was set by hand strays as a click does, though its root was found; cropped photos.
FIGURES_VERSION = 8


class CalibrationQuality(Record):
    """How good a calibration is: scale near the base, pose, misfit, and what to beware of."""

    kind: str
    px_per_mm: float
    tilt_deg: float | None
    camera_height_mm: int | None
    residual_mm: float | None
    warnings: tuple[str, ...] = ()

    def warned(self, *sentences: str) -> CalibrationQuality:
        # A photo of a set may repeat another's warning.
        """The same with more warnings, each said once."""
        every = tuple(dict.fromkeys((*self.warnings, *sentences)))
        return self.model_copy(update={"warnings": every})


class Fault(Record):
    """What is wrong with a root: code, measured figure, threshold, unit and other root.

    at_mm : where two roots cross, on the plan.
    """

    # Files written before a fault had an other root must not change.
    left_out_when_none: ClassVar = ("figure", "threshold", "unit", "with_root", "at_mm")
    code: str
    figure: float | None = None
    threshold: float | None = None
    unit: FaultUnit | None = None
    with_root: str | None = None
    at_mm: PlanPoint | None = None


class Spread(Record):
    """Spread of one outline: across, least and mean diameter in mm, and mean / trunk diameter."""

    across_mm: TwoDigits
    least_mm: TwoDigits
    mean_mm: TwoDigits
    ratio: ThreeDigits


class CountedSpread(NamedTuple):
    """The spread a tree is said to have: on which basis, None where that was not marked."""

    basis: Basis
    spread: Spread | None


class Spreads(Record):
    """Spread on the two bases, which are never mixed; flare is None where it is not marked."""

    flare: Spread | None
    roots: Spread

    def on(self, basis: str) -> Spread | None:
        """The spread on one basis."""
        return self.flare if basis == "flare" else self.roots

    @property
    def usual_basis(self) -> Basis:
        """The flare where it is marked, else the roots."""
        return "roots" if self.flare is None else "flare"

    @property
    def usual(self) -> Spread:
        """The spread on the usual basis."""
        return self.flare or self.roots

    def counted(self, target_basis: str | None) -> CountedSpread:
        """The spread that counts toward a target: on its basis alone, so that no figure of one
        basis stands against a wish on the other; without a target on the usual basis."""
        wanted = target_basis or self.usual_basis
        basis: Basis = "flare" if wanted == "flare" else "roots"
        return CountedSpread(basis, self.on(basis))


class TrunkRecord(Record):
    """One trunk of the base: its diameter, and its outline on the plan."""

    diameter_mm: TwoDigits
    outline_mm: Outline


class RootRecord(Record):
    """One root from above. `path_mm` runs outward from the trunk's edge on the plan.

    base_width_mm, end_width_mm : None where not marked. photo : of a set, the one that shows
    it best. feeders : fine roots, 0 to 3. height : above, on or below the root plane, or mm.
    feeds : stems and branches it feeds.
    """

    left_out_when_none: ClassVar = ("photo",)
    label: str
    photo: str | None = None
    azimuth_deg: TwoDigits
    clock: float
    base_width_mm: TwoDigits | None
    end_width_mm: float | None
    reach_mm: TwoDigits
    heading_error_deg: TwoDigits
    sweep_deg: float
    turn_deg: float
    taper: float | None
    faults: tuple[Fault, ...]
    path_mm: Outline
    feeders: int | None = None
    condition: str = "sound"
    height: str | float | None = None
    feeds: tuple[str, ...] = ()

    @property
    def width_mm(self) -> float | None:
        """The base width without its error bar, None where it is not marked."""
        return None if self.base_width_mm is None else self.base_width_mm.value

    @property
    def alive(self) -> bool:
        """Whether it carries living fine root, as far as is known."""
        return self.condition != "dead" and self.feeders != 0


class Radiality(Record):
    """How evenly roots stand round the trunk: index of 100, four parts of 1, gaps and open arcs."""

    index: OneDigit
    coverage: ThreeDigits
    evenness: ThreeDigits
    balance: ThreeDigits
    heading: ThreeDigits
    largest_gap_deg: OneDigit
    largest_gap_clock: float | None
    open_arcs: tuple[tuple[float, float], ...]

    def part(self, name: str) -> Figure:
        """One of `RADIALITY_PARTS` by its name."""
        found: Figure = getattr(self, name)
        return found


class OffPlane(Record):
    """Roots above or below the root plane, and radiality with them and without.

    counted : whether the base's radiality counts them, as it does unless the artist says that
    they are no part of the flare.
    """

    labels: tuple[str, ...]
    counted: bool
    index_with: OneDigit
    index_without: OneDigit


class TopRecord(Record):
    """Everything measured of a base from above, from one photo or a set joined into one plan.

    off_plane : None where every root lies on the root plane, as far as is known.
    """

    left_out_when_none: ClassVar = ("off_plane",)
    calibration: CalibrationQuality
    trunk_diameter_mm: TwoDigits
    trunks: tuple[TrunkRecord, ...]
    spread: Spreads
    roots: tuple[RootRecord, ...]
    radiality: Radiality
    flare_outline_mm: Outline | None = None
    off_plane: OffPlane | None = None

    def root(self, label: str) -> RootRecord | None:
        """The root that bears a letter, None where none does."""
        return next((root for root in self.roots if root.label == label), None)

    @property
    def labels(self) -> list[str]:
        """The letters of its roots, as marked."""
        return [root.label for root in self.roots]

    @property
    def frame_mm(self) -> float:
        """Radius about the trunk's centre that holds all roots and the ring of three trunks."""
        reaches = [hypot(x, y) for root in self.roots for x, y in root.path_mm]
        # The third ring lies 1.5 trunks out; a little more, so that its word fits.
        return max([1.7 * self.trunk_diameter_mm.value, *reaches]) * 1.04


class BothSides(Record):
    """A figure of the left and of the right edge."""

    left: OneDigit
    right: OneDigit


class EmergenceRecord(Record):
    """Where one root leaves the trunk: mm from the trunk's middle and above the soil line."""

    label: str
    height_mm: TwoDigits
    x_mm: TwoDigits


class BallRecord(Record):
    """The ball out of its pot, from the side; woody_depth_mm is None where no wood is marked."""

    width_mm: OneDigit
    depth_mm: OneDigit
    woody_depth_mm: OneDigit | None


class SoilLineTrial(Record):
    """The base with its soil at another height.

    line : "soil line" or "pot rim"; the soil lies the usual rim clearance below a rim.
    raised_mm : how much higher the tree would stand than it does, negative for deeper.
    shown, buried : roots that would leave the trunk above or below the soil; at_line : those
    of which the measuring error leaves it open.
    problem : why there are no figures there, None when there are.
    """

    line: str
    raised_mm: OneDigit
    flare_ratio: ThreeDigits | None = None
    width_mm: TwoDigits | None = None
    flare_angle_deg: BothSides | None = None
    undercut: bool | None = None
    shown: tuple[str, ...]
    at_line: tuple[str, ...]
    buried: tuple[str, ...]
    problem: str | None = None


class SideRecord(Record):
    """Everything measured on one photo from the side; None where the marks do not reach.

    flare_angle_deg : from upright, positive where the base widens downward. lean_deg : of the
    trunk's middle line from upright, positive to the right. reverse_taper : heights in mm;
    reverse_taper_sure : whether at any of them it is beyond the measuring error. widths :
    height and width in mm, every 5 mm.
    """

    calibration: CalibrationQuality
    flare_ratio: ThreeDigits | None
    soil_line_width_mm: TwoDigits
    narrowest_width_mm: TwoDigits | None
    flare_angle_deg: BothSides
    lean_deg: OneDigit
    reverse_taper: tuple[float, ...]
    reverse_taper_sure: bool
    undercut: bool
    emergences: tuple[EmergenceRecord, ...]
    widths: tuple[tuple[float, float], ...]
    ball: BallRecord | None = None
    soil_line_trials: tuple[SoilLineTrial, ...] = ()

    def emergence(self, label: str) -> EmergenceRecord | None:
        """Where the root that bears a letter leaves the trunk, None where it is not seen."""
        return next((emergence for emergence in self.emergences if emergence.label == label), None)


class RootPlane(Record):
    """The plane z = a + bx + cy through the emergences of several side views.

    height_mm : at the trunk's axis. tilt_clock : the high side, to be lowered.
    residuals_mm : of every root, left out of the fit or not. left_out : letters.
    """

    height_mm: TwoDigits
    tilt_deg: TwoDigits
    tilt_clock: float
    residuals_mm: dict[str, float]
    left_out: tuple[str, ...]
    advice: str
