"""A hand that errs: marks as a person would click them."""


def shaken(value, rng, sd=2.0):
    """The same marks with a hand's errors; angles and lengths stay."""
    if isinstance(value, dict):
        kept = {"turntable_deg", "height_mm", "height_above_root_plane_mm", "length_mm", "width_mm"}
        return {k: part if k in kept else shaken(part, rng, sd) for k, part in value.items()}
    if isinstance(value, list) and value and isinstance(value[0], float):
        return [part + rng.normal(0, sd) for part in value]
    return [shaken(part, rng, sd) for part in value] if isinstance(value, list) else value
