"""Lines that what is laid follows closely: through the points of a span, smoothly or straight."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float64
from plough.core.kernels import kernel
from plough.core.lay.on_wall import Frame
from plough.core.lay.run import Span, directions

_CLOSE = 0.1  # metres between the points of a frame


@kernel
def _pose(at: Float64, line: Float64, angle: Float64, s: Float64) -> tuple[Float64, Float64]:
    n = s.shape[0]
    place, turn = np.empty((n, 2)), np.empty(n)
    for i in range(n):
        k = min(max(np.searchsorted(at, s[i], "right") - 1, 0), at.shape[0] - 2)
        gap = at[k + 1] - at[k]
        t = (s[i] - at[k]) / gap
        turn[i] = angle[k] + t * (angle[k + 1] - angle[k])
        # cubic in the manner of Hermite, with the directions at its ends
        t2, t3 = t * t, t * t * t
        h0, h1, h2, h3 = 2 * t3 - 3 * t2 + 1, t3 - 2 * t2 + t, 3 * t2 - 2 * t3, t3 - t2
        for c in range(2):
            before = math.sin(angle[k]) if c else math.cos(angle[k])
            behind = math.sin(angle[k + 1]) if c else math.cos(angle[k + 1])
            place[i, c] = h0 * line[k, c] + h2 * line[k + 1, c]
            place[i, c] += gap * (h1 * before + h3 * behind)
    return place, turn


class Line:
    """Where blocks lie over a span: its points joined smoothly, with the directions there; or straight."""

    def __init__(self, span: Span, sharp: bool) -> None:
        self.at, self.line, self.length = span.at, span.line, span.length
        angle, long = directions(self.line)
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
        return _pose(self.at, self.line, self.angle, np.ascontiguousarray(s, float))

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
