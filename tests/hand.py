"""The artist's hand: marks as a person would click them, proposals as a person takes them up."""


def shaken(value, rng, sd=2.0):
    """The same marks with a hand's errors; angles and lengths stay."""
    if isinstance(value, dict):
        kept = {"turntable_deg", "height_mm", "height_above_root_plane_mm", "length_mm", "width_mm"}
        return {k: part if k in kept else shaken(part, rng, sd) for k, part in value.items()}
    if isinstance(value, list) and value and isinstance(value[0], float):
        return [part + rng.normal(0, sd) for part in value]
    return [shaken(part, rng, sd) for part in value] if isinstance(value, list) else value


def taken_up(proposals):
    """Marks of roots from proposals as they stand, in their order."""
    return [
        {
            "label": f"P{number}",
            "path": one.path.tolist(),
            "base_width": one.base_width.tolist(),
            "points_sd_px": one.points_sd_px,
            "base_sd_px": one.base_sd_px,
            "tip_sd_px": one.tip_sd_px,
        }
        for number, one in enumerate(proposals)
    ]
