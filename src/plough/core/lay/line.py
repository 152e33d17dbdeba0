"""Lines that what is laid follows closely: through the points of a span, smoothly or straight."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float64
from plough.core.lay.on_wall import Frame
from plough.core.lay.run import Span

_CLOSE = 0.1  # metres between the points of a frame


class Line:
    """Where blocks lie over a span: its points joined smoothly, with the directions there; or straight."""

    def __init__(self, span: Span, sharp: bool) -> None:
        self.at, self.line, self.length = span.at, span.line, span.length
        step = np.diff(self.line, axis=0)
        long = np.hypot(*step.T)
        angle = np.unwrap(np.arctan2(step[:, 1], step[:, 0]))
        middle = 0.5 * (span.at[1:] + span.at[:-1])
        inside = (middle > 0.0) & (middle < span.length)
        #: how it turns at its ends where it has no corners
        self.turns = (0.0, 0.0)
        if sharp:
            own = angle[inside][0]
            self.turns = (float(own - angle[0]), float(angle[-1] - own))
            self.angle = np.full(len(span.at), own)
        else:  # at a point, between what comes and what goes, by how near each is
            near = long[1:] / (long[1:] + long[:-1])
            between = angle[:-1] * near + angle[1:] * (1.0 - near)
            self.angle = np.concatenate([angle[:1], between, angle[-1:]])

    def pose(self, s: Float64) -> tuple[Float64, Float64]:
        """(n, 2) metres on the map and (n,) radians of its direction."""
        k = np.clip(np.searchsorted(self.at, s, "right") - 1, 0, len(self.at) - 2)
        gap = self.at[k + 1] - self.at[k]
        t = (s - self.at[k]) / gap
        turn = self.angle[k] + t * (self.angle[k + 1] - self.angle[k])
        way = np.stack([np.cos(self.angle), np.sin(self.angle)], axis=1)
        t = t[:, None]
        h = (2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t, 3 * t**2 - 2 * t**3, t**3 - t**2)
        place = (
            h[0] * self.line[k]
            + h[1] * way[k] * gap[:, None]
            + h[2] * self.line[k + 1]
            + h[3] * way[k + 1] * gap[:, None]
        )
        return place, turn

    def frame(self, half: float) -> Frame:
        """Where faces so far from the line stand, as closely as blocks do; heights are those of the scene."""
        count = max(1, math.ceil((self.at[-1] - self.at[0]) / _CLOSE))
        at = np.linspace(self.at[0], self.at[-1], count + 1)
        place, way = self.pose(at)
        right = np.stack([-np.sin(way), np.cos(way)], axis=1)
        none = np.zeros(len(at))
        return Frame(at, place, right, -right, none, half, 0.0, none)

    @property
    def bend(self) -> Float64:
        """(n - 1,) 1 / metres of the radius between its points."""
        return np.asarray(np.diff(self.angle) / np.diff(self.at))
