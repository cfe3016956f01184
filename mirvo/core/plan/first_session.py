"""A cut list decided by hand, put into a case as its first session."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mirvo.core.plan.case import Case, CaseFault, FirstSession, Gap, check_case


@dataclass(frozen=True)
class CuttableRoot:
    """A root that may be cut. share : of the feeding root, that it carries; azimuth_deg : where it
    stands; goes : part of it that the plan would take in the end, 0 to 1."""

    share: float
    azimuth_deg: float
    goes: float = 0.0


def with_cut_list(
    case: Case,
    year: int,
    cuts: Mapping[str, float],
    roots: Mapping[str, CuttableRoot],
    gaps: Sequence[Gap] = (),
) -> Case:
    """The case whose first session takes exactly these roots.

    cuts : part of each root that goes, 0 to 1, by its letter; those the plan would keep become
    faults of the case, after all others. gaps : those left open once all faults are gone.

    Raises
    ------
    BadInput : a root or a year that the case does not know.
    """
    known = {fault.label: fault for fault in case.faults}
    last = max((fault.priority for fault in case.faults), default=0)
    parts, faults = dict[str, float](), list[CaseFault]()
    for fault in case.faults:
        root, cut = roots.get(fault.label), cuts.get(fault.label, 0.0)
        if root is None or not root.goes:
            parts[fault.label] = cut
        elif cut > root.goes:
            fault, parts[fault.label] = _whole(fault, root, cut), 1.0
        else:
            # A fault is only the part of its root that goes in the end.
            parts[fault.label] = cut / root.goes
        faults.append(fault)
    for label, cut in cuts.items():
        if label not in known and label in roots and cut > 0:
            last += 1
            fault = CaseFault(label=label, share=0.0, priority=last)
            faults.append(_whole(fault, roots[label], cut))
            parts[label] = 1.0
        elif label not in known and label not in roots:
            parts[label] = cut
    decided = FirstSession(year=year, cuts={root: part for root, part in parts.items() if part > 0})
    made = case.model_copy(
        update={"faults": tuple(faults), "gaps": tuple(gaps), "first_session": decided}
    )
    check_case(made)
    return made


def _whole(fault: CaseFault, root: CuttableRoot, cut: float) -> CaseFault:
    """A fault as much of its root as is cut; a root cut off leaves its place in the flare."""
    return fault.model_copy(
        update={
            "share": round(min(1.0, root.share * cut), 4),
            "azimuth_deg": root.azimuth_deg if cut >= 1.0 else None,
        }
    )
