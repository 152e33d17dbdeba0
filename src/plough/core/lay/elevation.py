"""Elevations: what is laid along a line as it is seen from one side, unrolled and to scale."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.lay.bricks import Bricks
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span
from plough.core.lay.stones import MOST_CORNERS, RIGHT, THROUGH
from plough.core.lay.wall import Piece

_TONES = 5


class Gap(NamedTuple):
    """An opening as it is seen; metres along the line, and of the map."""

    id: str
    start: float
    end: float
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Elevation:
    """Outlines of all stones or blocks of a run."""

    length: float  #: metres
    knots: list[float]  #: metres along it of each of its points
    ground: Float64  #: (n, 2) metres along it, and of the ground there
    corners: Float64  #: (s, MOST_CORNERS, 2) metres along it, and of the map
    count: Int64  #: (s,) corners of each
    side: Int64  #: (s,) on which face it shows: 1 right, -1 left, 0 both
    id: UInt64  #: (s,)
    gaps: list[Gap]

    def seen(self, side: int) -> Bool:
        """(s,) which are seen from the right (1) or from the left (-1)."""
        return np.asarray((self.side == side) | (self.side == THROUGH))

    @property
    def tone(self) -> Int64:
        """(s,) 0 to 4: stones side by side are told apart."""
        return (self.id % np.uint64(_TONES)).astype(np.int64)


class Unrolled(NamedTuple):
    """A line made straight."""

    first: Float64  #: (spans + 1,) metres along it where each span begins, and where the last ends
    ground: Float64  #: (n, 2)

    @staticmethod
    def of(spans: Sequence[Span]) -> Unrolled:
        """From its spans."""
        first = np.cumsum([0.0, *(s.length for s in spans)])
        own = []
        for begin, s in zip(first, spans, strict=False):
            rows = (s.at >= 0.0) & (s.at <= s.length)
            own.append(np.stack([begin + s.at[rows], s.ground[rows]], axis=1))
        return Unrolled(first, np.concatenate(own))


def _gaps(
    spans: Sequence[Span], openings: Sequence[Sequence[Opening]], first: Float64, top: float
) -> list[Gap]:
    """Each opening once, where its middle is."""
    out = []
    for begin, span, own in zip(first, spans, openings, strict=False):
        for o in own:
            middle = 0.5 * (o.start + o.end)
            if not 0.0 <= middle < span.length:
                continue
            low = span.height(middle)
            high = low + (top if o.head == "open" else min(o.height, top))
            out.append(Gap(o.id, float(begin + o.start), float(begin + o.end), low, high))
    return sorted(out, key=lambda g: g.start)


def of_wall(
    pieces: Sequence[Piece],
    spans: Sequence[Span],
    openings: Sequence[Sequence[Opening]],
    level: bool,
    top: float,
) -> Elevation:
    """That of a stone wall.

    Args:
        level: whether heights of its stones are those of the map, and not above its ground.
        top: metres of the wall above the ground.
    """
    line = Unrolled.of(spans)
    begin = {s.number: float(x) for s, x in zip(spans, line.first, strict=False)}
    corners, count, side, ids = [], [], [], []
    for piece in pieces:
        span, s = piece.span, piece.stones
        at = s.corners.copy()
        if not level:
            at[..., 1] += np.interp(at[..., 0], span.at, span.ground)
        at[..., 0] += begin[span.number]
        corners.append(at)
        count.append(s.count)
        side.append(s.side)
        ids.append(s.id)
        if piece.quoins is not None and len(piece.quoins.ids):
            q = piece.quoins
            x = begin[span.number] + span.length
            foot = 0.0 if level else span.height(span.length)
            box = np.zeros((len(q.ids), MOST_CORNERS, 2))
            box[:, :4, 0] = x + 0.8 * piece.rule.half * np.array([-1.0, 1.0, 1.0, -1.0])
            box[:, :4, 1] = foot + q.levels[:, [0, 0, 1, 1]]
            corners.append(box)
            count.append(np.full(len(q.ids), 4))
            side.append(np.full(len(q.ids), THROUGH))
            ids.append(q.ids)
    return Elevation(
        float(line.first[-1]),
        line.first.tolist(),
        line.ground,
        np.concatenate([np.empty((0, MOST_CORNERS, 2)), *corners]),
        np.concatenate([np.empty(0, np.int64), *count]),
        np.concatenate([np.empty(0, np.int64), *side]),
        np.concatenate([np.empty(0, np.uint64), *ids]),
        _gaps(spans, openings, line.first, top),
    )


def of_bricks(
    bricks: Bricks,
    spans: Sequence[Span],
    openings: Sequence[Sequence[Opening]],
    top: float,
) -> Elevation:
    """That of a brick run; a block beside the line shows on the face that it is nearer to."""
    line = Unrolled.of(spans)
    n = len(bricks)
    along, aside = np.empty(n), np.empty(n)
    way = np.empty((n, 2))
    for k, span in enumerate(spans):
        own = bricks.span == k
        at = bricks.at[own]
        step = np.gradient(span.line, span.at, axis=0)
        along[own] = line.first[k] + at
        way[own] = np.stack([np.interp(at, span.at, c) for c in step.T], axis=1)
        middle = np.stack([np.interp(at, span.at, c) for c in span.line.T], axis=1)
        off = bricks.middle[own][:, [0, 2]] - middle
        # right of the way, seen from above with z to the south
        aside[own] = way[own, 0] * off[:, 1] - way[own, 1] * off[:, 0]
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    cos = np.abs(np.cos(bricks.turn) * way[:, 0] + np.sin(bricks.turn) * way[:, 1])
    sin = np.sqrt(np.maximum(0.0, 1.0 - cos**2))
    half = 0.5 * (cos * bricks.size[:, 0] + sin * bricks.size[:, 2])
    deep = 0.5 * (sin * bricks.size[:, 0] + cos * bricks.size[:, 2])
    high = 0.5 * bricks.size[:, 1]
    corners = np.zeros((n, MOST_CORNERS, 2))
    corners[:, :4, 0] = along[:, None] + half[:, None] * [-1, 1, 1, -1]
    corners[:, :4, 1] = bricks.middle[:, 1, None] + high[:, None] * [-1, -1, 1, 1]
    both = np.abs(aside) < 0.4 * deep
    side = np.where(both, THROUGH, np.where(aside > 0, RIGHT, -RIGHT))
    return Elevation(
        float(line.first[-1]),
        line.first.tolist(),
        line.ground,
        corners,
        np.full(n, 4, np.int64),
        side.astype(np.int64),
        bricks.id,
        _gaps(spans, openings, line.first, top),
    )
