"""What a base stands in: soil of grains with moss, a pot, a bench, litter lying over the roots."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from tools.traced.base import Array
from tools.traced.solid import Faces, Mesh, noise

SOILS = {
    "clay": [(0.36, 0.22, 0.12), (0.28, 0.17, 0.10), (0.42, 0.28, 0.17)],
    "grit": [(0.55, 0.50, 0.42), (0.35, 0.31, 0.27), (0.62, 0.60, 0.55), (0.18, 0.16, 0.15)],
    "pale": [(0.68, 0.60, 0.46), (0.60, 0.52, 0.38), (0.74, 0.68, 0.56)],
    "dark": [(0.07, 0.055, 0.045), (0.11, 0.09, 0.07), (0.15, 0.12, 0.10)],
    "loam": [(0.16, 0.11, 0.075), (0.20, 0.14, 0.09), (0.12, 0.085, 0.06)],
    "mixed": [(0.34, 0.21, 0.13), (0.10, 0.09, 0.09), (0.62, 0.58, 0.52)],
}
BENCHES = [
    (0.42, 0.26, 0.14),
    (0.30, 0.20, 0.12),
    (0.33, 0.35, 0.36),
    (0.50, 0.48, 0.44),
    (0.12, 0.12, 0.13),
    (0.24, 0.30, 0.22),
]
GLAZES = [
    (0.35, 0.16, 0.11),
    (0.20, 0.13, 0.10),
    (0.10, 0.17, 0.32),
    (0.16, 0.28, 0.22),
    (0.55, 0.56, 0.55),
    (0.07, 0.07, 0.08),
]


@dataclass(frozen=True)
class Pot:
    """A pot's inner half sides, mm, its roundness (2 is an ellipse, more a rounded rectangle)."""

    half: tuple[float, float]
    roundness: float
    wall_mm: float
    rim_mm: float
    turn: float

    def edge(self, beyond: float = 0.0, points: int = 180) -> Array:
        """The inner edge seen from above (points, 2), moved outward by `beyond` mm."""
        turn = np.arange(points) * 2 * np.pi / points
        c, s = np.cos(turn), np.sin(turn)
        power = 2.0 / self.roundness
        x = (self.half[0] + beyond) * np.sign(c) * np.abs(c) ** power
        y = (self.half[1] + beyond) * np.sign(s) * np.abs(s) ** power
        a, b = np.cos(self.turn), np.sin(self.turn)
        return np.column_stack([a * x - b * y, b * x + a * y])

    def inside(self, points: Array) -> Array:
        """How far inside points (n, 2) lie: below 1 is inside."""
        a, b = np.cos(self.turn), np.sin(self.turn)
        x, y = a * points[:, 0] + b * points[:, 1], -b * points[:, 0] + a * points[:, 1]
        return np.asarray(
            np.abs(x / self.half[0]) ** self.roundness + np.abs(y / self.half[1]) ** self.roundness
        )


def random_pot(rng: np.random.Generator, reach_mm: float) -> Pot | None:
    """A pot that holds the roots; None where the tree stands in a bed of soil."""
    if rng.random() < 0.15:
        return None
    wide = max(85.0, reach_mm * float(rng.uniform(0.85, 1.35)))
    half = (wide, wide * float(rng.uniform(0.62, 1.0)))
    roundness = float(rng.choice([2.0, 2.0, 6.0, 10.0]))
    rim = float(rng.uniform(1, 10))
    return Pot(half, roundness, float(rng.uniform(4, 11)), rim, float(rng.uniform(0, np.pi)))


def grid_faces(down: int, across: int) -> Faces:
    """Two triangles for each cell of a grid of corners."""
    at = np.arange(down * across).reshape(down, across)
    a, b, c, d = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel()
    return np.concatenate([np.column_stack([a, b, d]), np.column_stack([a, d, c])]).astype(np.int32)


def soil(
    rng: np.random.Generator, reach_mm: float, pot: Pot | None, kind: str, moss: bool
) -> tuple[Mesh, float]:
    """The soil's surface, and the size of its grains in mm."""
    # A pot that is turned reaches farther into the corners than its sides are long.
    half = reach_mm * 1.15 if pot is None else float(np.abs(pot.edge(2.0)).max())
    if pot is None:
        half = max(half, 260.0)
    step = 0.7 if pot is not None else 1.1
    count = int(2 * half / step)
    line = np.linspace(-half, half, count)
    x, y = np.meshgrid(line, line)
    flat = np.column_stack([x.ravel(), y.ravel()])
    grain = float(rng.uniform(0.8, 2.0) if kind in ("loam", "dark") else rng.uniform(1.6, 5.5))
    spots = rng.uniform(-half, half, (int(min(400_000, (2 * half / grain) ** 2 * 1.3)), 2))
    size = grain * rng.uniform(0.35, 0.8, len(spots))
    lift = rng.normal(0, 0.28 * grain, len(spots))
    away, which = cKDTree(spots).query(flat, k=2)
    domes = lift[which] + np.sqrt(np.maximum(0.0, (size[which] * 1.2) ** 2 - away**2)) - 0.6 * grain
    best = domes.argmax(1)
    height = domes.max(1) - 0.3 * grain
    of_grain = which[np.arange(len(which)), best]
    palette = np.array(SOILS[kind])
    tones = palette[rng.integers(len(palette), size=len(spots))] * rng.uniform(
        0.75, 1.2, (len(spots), 1)
    )
    colours = tones[of_grain]
    wide = noise((count, count), 45 / step, rng).ravel()
    colours = colours * np.clip(1 + 0.12 * wide, 0.6, 1.5)[:, None]
    height = height + 0.9 * wide
    if moss:
        patch = noise((count, count), float(rng.uniform(18, 45)) / step, rng).ravel()
        cover = np.clip((patch - rng.uniform(0.4, 1.3)) * 6, 0, 1)
        fine = noise((count, count), 1.5 / step, rng).ravel()
        green = np.array([0.10, 0.16, 0.03]) * rng.uniform(0.5, 1.9, 3)
        colours = (
            colours * (1 - cover)[:, None]
            + cover[:, None] * green * np.clip(1 + 0.35 * fine, 0.3, 2)[:, None]
        )
        height = height + cover * (2.2 + 0.9 * fine)
    corners = np.column_stack([flat, height])
    faces = grid_faces(count, count)
    if pot is not None:
        kept = pot.inside(flat)[faces].max(1) < 1.06
        faces = faces[kept]
    return Mesh(corners, faces, np.clip(colours, 0.01, 0.95)), grain


def pot_mesh(pot: Pot, rng: np.random.Generator) -> Mesh:
    """Walls and rim of a pot."""
    rings = [
        np.column_stack([pot.edge(0), np.full(180, -25.0)]),
        np.column_stack([pot.edge(0), np.full(180, pot.rim_mm)]),
        np.column_stack([pot.edge(pot.wall_mm), np.full(180, pot.rim_mm)]),
        np.column_stack([pot.edge(pot.wall_mm * 0.8), np.full(180, -20.0)]),
        np.column_stack([pot.edge(pot.wall_mm * 0.1 - 6), np.full(180, -58.0)]),
    ]
    corners = np.concatenate([np.vstack([ring, ring[:1]]) for ring in rings])
    colour = np.array(GLAZES[int(rng.integers(len(GLAZES)))]) * rng.uniform(0.7, 1.4)
    return Mesh(
        corners, grid_faces(len(rings), 181), np.tile(np.clip(colour, 0.01, 0.9), (len(corners), 1))
    )


def bench(rng: np.random.Generator, level_mm: float) -> Mesh:
    """The table under the pot, with a grain of its own."""
    count, half = 620, 800.0
    line = np.linspace(-half, half, count)
    x, y = np.meshgrid(line, line)
    colour = np.array(BENCHES[int(rng.integers(len(BENCHES)))]) * rng.uniform(0.6, 1.4)
    fine = noise((count, count), 1.5, rng)
    streak = noise((count, count // 12 + 2), 1.5, rng).repeat(13, axis=1)[:, :count]
    look = 1 + rng.uniform(0.02, 0.15) * fine + rng.uniform(0, 0.18) * streak
    if rng.random() < 0.5:
        gaps = np.abs((y + rng.uniform(0, 100)) % rng.uniform(70, 160)) < 6
        look = np.where(gaps, look * 0.3, look)
    turn = rng.uniform(0, np.pi)
    a, b = np.cos(turn), np.sin(turn)
    corners = np.column_stack(
        [(a * x - b * y).ravel(), (b * x + a * y).ravel(), np.full(x.size, level_mm)]
    )
    return Mesh(
        corners, grid_faces(count, count), np.clip(colour * look.ravel()[:, None], 0.01, 0.9)
    )


def litter(rng: np.random.Generator, reach_mm: float, count: int) -> Mesh | None:
    """Twigs, needles and leaves lying about; None where the base was swept."""
    if not count:
        return None
    corners, faces, colours, total = [], [], [], 0
    for _ in range(count):
        leaf = rng.random() < 0.45
        long, wide = (
            (rng.uniform(6, 22), rng.uniform(2, 7))
            if leaf
            else (rng.uniform(12, 70), rng.uniform(0.5, 1.6))
        )
        turn, place = rng.uniform(0, 2 * np.pi), rng.normal(0, reach_mm * 0.5, 2)
        along = np.linspace(-1, 1, 7)
        half = wide / 2 * (np.sqrt(np.maximum(0.02, 1 - along**2)) if leaf else np.ones(7))
        bow = rng.normal(0, 0.12) * long * along**2
        height = rng.uniform(1.5, 7) + rng.normal(0, 1.0) * along
        pieces = []
        for side in (-1, 0, 1):
            u, v = along * long / 2, bow + side * half
            pieces.append(
                np.column_stack(
                    [
                        np.cos(turn) * u - np.sin(turn) * v + place[0],
                        np.sin(turn) * u + np.cos(turn) * v + place[1],
                        height + (0.6 * wide * 0.3 if side == 0 else 0.0),
                    ]
                )
            )
        corners.append(np.concatenate(pieces))
        faces.append(grid_faces(3, 7) + total)
        total += 21
        tone = np.array(
            [(0.30, 0.13, 0.05), (0.22, 0.17, 0.06), (0.16, 0.11, 0.07), (0.38, 0.22, 0.08)]
        )[int(rng.integers(4))]
        colours.append(np.tile(tone * rng.uniform(0.6, 1.4), (21, 1)))
    return Mesh(
        np.concatenate(corners),
        np.concatenate(faces).astype(np.int32),
        np.clip(np.concatenate(colours), 0.01, 0.9),
    )
