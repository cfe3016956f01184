"""A small U-shaped network: from colours and a drawn trunk to root, trunk, ridge and heading."""

from __future__ import annotations

from itertools import pairwise

import torch
from torch import nn
from torch.nn.functional import interpolate


def block(into: int, out: int) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(into, out, 3, padding=1, bias=False),
        nn.BatchNorm2d(out),
        nn.ReLU(inplace=True),
        nn.Conv2d(out, out, 3, padding=1, bias=False),
        nn.BatchNorm2d(out),
        nn.ReLU(inplace=True),
    )


class RootNet(nn.Module):
    """In: (b, 4, h, w), colours 0 to 1 and the drawn trunk. Out: (b, 5, h, w): root, trunk, ridge
    (before the sigmoid), heading right and down (-1 to 1). Sides are multiples of 16."""

    def __init__(self, wide: tuple[int, ...] = (16, 24, 40, 64, 96)) -> None:
        super().__init__()
        self.first = block(4, wide[0])
        self.down = nn.ModuleList(block(a, b) for a, b in pairwise(wide))
        self.up = nn.ModuleList(block(a + b, a) for b, a in pairwise(wide[::-1]))
        self.last = nn.Conv2d(wide[0], 5, 1)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        kept = [self.first(x)]
        for step in self.down:
            kept.append(step(nn.functional.max_pool2d(kept[-1], 2)))
        out = kept.pop()
        for step in self.up:
            there = kept.pop()
            out = step(torch.cat([there, interpolate(out, scale_factor=2.0, mode="nearest")], 1))
        out = self.last(out)
        return torch.cat([out[:, :3], torch.tanh(out[:, 3:])], 1)
