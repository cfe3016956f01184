"""Twenty trees, each with a line of why its plans can be signed: the trunk, the ball, the pot."""

EIGHT = [0, 45, 90, 135, 180, 225, 270, 315]
MAPLE = {
    "group": "temperate deciduous",
    "interval_years": 2,
    "budget": {"gentle": 0.3, "steady": 0.45, "bold": 0.65},
}
PINE = {
    "group": "conifer",
    "interval_years": 5,
    "budget": {"gentle": 0.2, "steady": 0.3, "bold": 0.4},
}
FIG = {
    "group": "warm-climate",
    "interval_years": 1,
    "budget": {"gentle": 0.35, "steady": 0.5, "bold": 0.7},
}


def fault(label, share, azimuth, **more):
    return {"label": label, "share": share, "azimuth_deg": azimuth, **more}


def tree(trunk, spread, woody, ball, grows, aim, pot, *, gap=100, **more):
    """A case. grows : spread and trunk, mm a year; aim : spread in trunks; pot : depth inside."""
    sides, inside = more.pop("sides", None), more.pop("inside", None)
    state = {
        "trunk_diameter_mm": trunk, "spread_mm": spread, "woody_depth_mm": woody,
        "ball_depth_mm": ball, "root_azimuths_deg": more.pop("roots", EIGHT),
        "last_session_year": 2024,
        "growth": {"spread_mm_per_year": grows[0], "trunk_mm_per_year": grows[1]},
        **more.pop("state", {}),
    }  # fmt: skip
    target = {"spread_ratio": aim, "largest_gap_deg": gap, "pot_depth_mm": pot}
    if sides and inside:
        state |= {"ball_length_mm": sides[0], "ball_width_mm": sides[1]}
        target |= {"pot_length_mm": inside[0], "pot_width_mm": inside[1]}
    faults = [{**one, "priority": i} for i, one in enumerate(more.pop("faults", []))]
    return {"today": "2026-11-23", "species": MAPLE, "age": "mature", "state": state,
            "target": target, "faults": faults, **more}  # fmt: skip


GREY = {"name": "grey oval", "kind": "wide training pot", "inner_depth_mm": 70,
        "inner_length_mm": 300, "inner_width_mm": 220}  # fmt: skip
SHOW = {"name": "show tray", "kind": "final pot", "inner_depth_mm": 58,
        "inner_length_mm": 260, "inner_width_mm": 190}  # fmt: skip

SIGNED = {
    "young maple: crossing roots go at once, then sides and underside by turns": tree(
        55, 95, 80, 110, (6, 2), 2.0, 60, gap=110, age="young", sides=(300, 280), inside=(280, 220),
        roots=[0, 40, 95, 150, 200, 290], gaps=[{"from_deg": 200, "to_deg": 290}],
        faults=[fault("B", 0.08, 40), fault("D", 0.06, 150)],
    ),
    "juniper 64 mm deep: today's pot binds no later one, so 75 mm is in reach": tree(
        60, 110, 50, 64, (3, 0.8), 2.0, 75, species=PINE,
        state={"inner_depth_mm": 90, "last_session_year": 2022},
    ),
    "old pine: the circling root first, then three slices five years apart": tree(
        130, 240, 100, 160, (4, 1.2), 1.95, 110, species=PINE, age="old",
        state={"last_session_year": 2021}, faults=[fault("C", 0.08, 90)],
    ),
    "a ball wider than its last pot: the sides come in over several sessions": tree(
        50, 110, 40, 70, (4, 1), 2.2, 65, sides=(380, 300), inside=(260, 190),
    ),
    "a whip on a board: cut flat before the board, and never under a third of it": tree(
        24, 36, 50, 70, (4, 1.5), 2.0, 45, age="young",
    ),
    "a fig may be worked often, but never two years running by the gentle": tree(
        40, 60, 60, 90, (8, 2), 2.2, 50, gap=120, species=FIG, age="young",
        state={"last_session_year": 2026}, faults=[fault("B", 0.1, 45)],
    ),
    "a tap root too large for one session goes in equal parts": tree(
        70, 120, 120, 140, (5, 1.3), 1.9, 80, origin_factor=0.7, origin_factor_until=2028,
        state={"last_session_year": 2025}, faults=[fault("T", 0.4, None)],
    ),
    "azalea with a mat: three shallow slices, each worth the saw": tree(
        60, 120, 40, 80, (4, 1.2), 2.2, 70, state={"matted": True},
    ),
    "one-sided: two grafts fill the gap, set where the session takes half": tree(
        45, 70, 60, 80, (6, 1.5), 2.0, 60, gap=90, age="young", roots=[0, 30, 70, 110],
        gaps=[{"from_deg": 110, "to_deg": 0}],
    ),
    "a pot too shallow for the trunk is refused, with steps to one that suits": tree(
        150, 300, 80, 120, (5, 1.5), 2.1, 50,
    ),
    "only what is on the shelf: the grey oval, then the show tray": tree(
        50, 95, 50, 75, (5, 1), 2.2, 50, pots=[GREY, SHOW], only_shelf=True,
        state={"ball_length_mm": 300, "ball_width_mm": 220, "inner_depth_mm": 95,
               "inner_length_mm": 330, "inner_width_mm": 250},
    ),
    "a fair elm: four faults over two or more sessions, none hard": tree(
        48, 90, 70, 95, (6, 1.2), 2.1, 60, gap=140, strength="fair",
        faults=[fault("B", 0.07, 45), fault("D", 0.12, 135), fault("F", 0.1, 225),
                fault("H", 0.05, 315)],
    ),
    "the root beside the gap waits until its graft counts": tree(
        45, 80, 60, 80, (6, 1.5), 2.1, 60, gap=100, age="young", roots=[0, 60, 120, 240, 300],
        gaps=[{"from_deg": 120, "to_deg": 300}],
        faults=[fault("D", 0.12, 240, after_graft=True)],
    ),
    "a final pot too long is left for the target's, sides first": tree(
        50, 105, 35, 55, (4, 1), 2.1, 55, sides=(300, 220), inside=(280, 200),
        state={"container": "final pot", "inner_depth_mm": 75, "inner_length_mm": 330,
               "inner_width_mm": 240},
    ),
    "in the ground: lifted when the flare needs no more of it": tree(
        60, 100, 150, 180, (6, 2), 2.1, 70, age="young",
        containers=["ground", "wide training pot", "final pot"],
        state={"container": "ground", "last_session_year": None},
    ),
    "a show year fixed by hand is kept": tree(
        55, 115, 45, 65, (4, 1), 2.1, 60, holds=[{"year": 2029, "allow": "final pot"}],
    ),
    "a hard session last spring: two years of rest more": tree(
        55, 105, 45, 75, (5, 1), 2.1, 60,
        state={"last_session_year": 2026, "last_session_strain": 95},
    ),
    "a small tree: a few millimetres to need, and no slice thinner than worth it": tree(
        22, 42, 20, 40, (2, 0.6), 2.1, 40, gap=110, faults=[fault("C", 0.1, 90)],
    ),
    "an heirloom: two small faults, then a slice of 10 mm at a time": tree(
        140, 330, 80, 100, (4, 1.5), 2.38, 95, gap=110, age="old", worth=0.7,
        faults=[fault("A", 0.05, 0), fault("C", 0.09, 90)],
    ),
    "there already: the edge is combed by the interval, nothing more": tree(
        50, 110, 25, 38, (4, 1), 2.1, 60,
        state={"container": "final pot", "inner_depth_mm": 58},
    ),
}  # fmt: skip
