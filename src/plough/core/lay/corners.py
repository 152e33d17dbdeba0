"""Corners: the stones where a wall turns, and what ends beside them."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, UInt64
from plough.core.lay.heads import beyond
from plough.core.lay.rule import JAMBS, WallRule, foot_of, number_of
from plough.core.lay.run import Corner, Span
from plough.core.lay.stones import DEPTH

_QUOIN = 0.47  # of a wall's thickness that a stone at a corner takes
_OVER = 0.04  # metres that coping stands before the faces, at most
_SLACK = 0.01  # metres between stones at a corner and those of the inner faces


class Bed(NamedTuple):
    """A course that comes to a corner."""

    row: int
    bottom: float
    top: float


class Quoins(NamedTuple):
    """Stones at a corner."""

    rings: list[Float64]  #: outlines seen from above, metres east and north
    levels: Float64  #: (n, 2) metres of the bottom and the top of each, above the ground
    ids: UInt64
    slopes: tuple[float, float]  #: by which the ground rises before it and behind it


def corner_reach(corner: Corner, rule: WallRule, row: int, before: bool) -> float:
    """Metres along its outer face, from its very edge, that a corner stone takes of the span before it, or of the one behind."""
    long = max(JAMBS[1], 0.8 * rule.thickness)
    short = max(JAMBS[0], 0.45 * rule.thickness)
    apart = DEPTH * rule.thickness * math.tan(0.5 * abs(corner.turn)) + 0.03
    return max(long if (row % 2 == 0) == before else short, apart)


def outset(corner: Corner, rule: WallRule, y: float) -> float:
    """Metres along a span from its knot to the edge of its outer face, `y` above its foot."""
    return 0.5 * rule.thick(y) * math.tan(0.5 * abs(corner.turn))


def cope_ends(corner: Corner, rule: WallRule, y: float, stops: bool) -> float:
    """Metres from a corner to where coping ends, which stands before the faces; farther where the other side goes on higher, with an end of its own."""
    half = 0.5 * rule.thick(y) + _OVER
    turn = abs(corner.turn)
    return half * max(math.tan(0.5 * turn), math.sin(turn) if stops else 0.0)


def quoins(span: Span, after: Span, rule: WallRule, courses: list[Bed], coped: bool) -> Quoins:
    """The stones at the corner that ends a span, and the one on top of them.

    Args:
        courses: those that meet there, from below.
        coped: whether the coping is still there.
    """
    corner, base = span.last, foot_of(span, rule, span.length)
    assert corner is not None
    rings, levels, ids = [], [], []
    for c in courses:
        y = 0.5 * (c.bottom + c.top) - base
        legs = (
            corner_reach(corner, rule, c.row, before=True),
            corner_reach(corner, rule, c.row, before=False),
        )
        rings.append(_around(corner, 0.5 * rule.thick(y), legs, _QUOIN * rule.thick(y)))
        levels.append((c.bottom, c.top))
        ids.append(number_of(span, f"quoin {c.row}"))
    if courses and coped and rule.coping != "none":
        top = courses[-1].top
        thick, out = rule.thick(top - base), outset(corner, rule, top - base)
        rings.append(_around(corner, 0.5 * thick, (2 * out, 2 * out), thick))
        levels.append((top, top + (0.9 if rule.coping == "upright" else 1.0) * rule.cope))
        ids.append(number_of(span, "quoin cope"))
    near = 0.5
    slopes = (
        (span.height(span.length) - span.height(span.length - near)) / near,
        (after.height(near) - after.height(0.0)) / near,
    )
    return Quoins(rings, np.array(levels).reshape(-1, 2), np.array(ids, np.uint64), slopes)


def _around(corner: Corner, half: float, legs: tuple[float, float], deep: float) -> Float64:
    """(k, 2) the outline, seen from above, of a stone with such legs before and behind a corner, and so deep; metres east and north."""
    from scipy.spatial import ConvexHull

    a, b = np.array(corner.before), np.array(corner.after)
    right = np.array([[-a[1], a[0]], [-b[1], b[0]]]) * corner.outer
    edge = np.array(corner.at) + half * (right[0] + right[1]) / (1.0 + float(right[0] @ right[1]))
    points = np.array(
        [
            edge,
            edge - legs[0] * a,
            edge - legs[0] * a - deep * right[0],
            edge + legs[1] * b - deep * right[1],
            edge + legs[1] * b,
        ]
    )
    ring = points[ConvexHull(points).vertices]
    out = right[0] + right[1]
    out /= np.hypot(*out)
    inner = np.array(corner.at) - (edge - corner.at) + (DEPTH * 2.0 * half + _SLACK) * right[0]
    bounds = [(a, edge @ a - legs[0]), (-b, -(edge @ b) - legs[1])]
    # it stays clear of the stones of the inner faces, too
    for way, limit in [*bounds, (out, inner @ out)] if deep < 2.0 * half else bounds:
        ring = beyond(ring, ring @ way - limit + 1e-9)
    flat: Float64 = ring * [1.0, -1.0]  # counter-clockwise with north up
    turned = np.roll(flat, -1, axis=0)
    area = (flat[:, 0] * turned[:, 1] - flat[:, 1] * turned[:, 0]).sum()
    return flat if area > 0 else flat[::-1].copy()
