"""Filling: what is between the faces of a wall and behind its stones."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.lay.masonry import Plan
from plough.core.lay.on_wall import Frame, lined
from plough.core.lay.rule import WallRule
from plough.core.lay.run import Corner, Span
from plough.core.lay.skin import Skin
from plough.core.mesh.material import as_bytes
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part

_INSIDE = 0.05  # metres that the core ends before a stone's own end
_UNDER = 0.1  # metres that the core ends below a top without coping
_EVERY = 0.5  # metres along the core between its points

Rectangle = tuple[float, float, float, float]
"""Metres along a span from and to, and up from and to."""
Keep = tuple[Float64, Float64]
"""How high a wall still stands, by metres along a span; above its levels."""


class Fill(NamedTuple):
    """What is between and behind stones."""

    behind: float  #: metres from the faces
    color: tuple[float, float, float]  #: linear


def _over(corner: Corner | None, rule: WallRule) -> float:
    """Metres that the core goes on behind a knot."""
    return 0.01 + (
        0.3 * rule.thick(rule.height) * math.tan(0.5 * abs(corner.turn)) if corner else 0.0
    )


def core_of(plan: Plan, span: Span, rule: WallRule, keep: Keep | None) -> list[Rectangle]:
    """What is behind the stones, as rectangles: along from, to, up from, to."""
    runs: dict[tuple[float, float], list[tuple[float, float]]] = {}
    for c in plan.courses:
        starts = {w.start for w in c.whole if not w.ends[0]}
        ends = {w.end for w in c.whole if not w.ends[1]}
        for s in c.stretches:
            # where spans meet it goes to the knot, whatever the course does
            a = -_over(span.first, rule) if s.start in starts else s.start + _INSIDE
            b = span.length + _over(span.last, rule) if s.end in ends else s.end - _INSIDE
            if b - a > 0.05:
                runs.setdefault((round(a, 4), round(b, 4)), []).append((c.bottom, c.top))
    out: list[Rectangle] = []
    for (a, b), levels in runs.items():
        low, high = levels[0]
        for bottom, top in levels[1:]:
            if abs(bottom - high) > 1e-6:
                out.append((a, b, low, high))
                low = bottom
            high = top
        out.append((a, b, low, high))
    if rule.coping == "none":  # what shows from above is stone
        top = max((c.top for c in plan.courses), default=0.0)
        out = [
            (a, b, low, min(high, top - _UNDER)) for a, b, low, high in out if low < top - _UNDER
        ]
    return _lowered(out, keep, 1.4 * rule.sizes[1]) if keep is not None else out


def _lowered(core: list[Rectangle], keep: Keep, below: float) -> list[Rectangle]:
    """The core, cut off below the top of what still stands."""
    out = []
    for a, b, low, high in core:
        edges = np.linspace(a, b, max(1, math.ceil((b - a) / _EVERY)) + 1)
        at = np.linspace(edges[:-1] - 0.5, edges[1:] + 0.5, 7)
        tops = np.minimum(high, np.interp(at, *keep).min(axis=0) - below)
        for left, right, top in zip(edges[:-1], edges[1:], tops, strict=True):
            if top > low + 0.03:
                out.append((float(left), float(right), low, float(top)))
    return out


def filled(
    core: Sequence[Rectangle], frame: Frame, fill: Fill, skin: Skin, every: float = _EVERY
) -> Mesh:
    """What is behind the stones: boxes that follow the wall, with points every so many metres."""
    points, normals, flat, faces = [], [], [], []
    first = 0
    for a, b, low, high in core:
        n = max(1, math.ceil((b - a) / every))
        s = np.linspace(a, b, n + 1)
        ring = ((1, low), (1, high), (-1, high), (-1, low))  # round about, seen along the wall
        line = np.array([lined(frame, s, y, side, -fill.behind) for side, y in ring])
        for k in range(4):
            p, q = line[k], line[(k + 1) % 4]
            grid = np.stack([p, q], axis=1)  # (n + 1, 2, 3)
            way = q - p
            along = np.gradient(p, axis=0)
            out = np.cross(along, way) * -1.0
            out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)
            points.append(grid.reshape(-1, 3))
            normals.append(np.repeat(out, 2, axis=0))
            flat.append(
                np.stack(
                    [
                        np.repeat(s, 2),
                        np.tile([0.0, 1.0], n + 1) * np.linalg.norm(way, axis=1).repeat(2),
                    ],
                    1,
                )
            )
            i = first + 2 * np.arange(n)
            faces.append(np.stack([i, i + 1, i + 2, i + 1, i + 3, i + 2], 1).reshape(-1, 3))
            first += 2 * (n + 1)
        for end in (0, -1):
            quad = line[:, end]
            out = line[:, 1].mean(axis=0) - line[:, 0].mean(axis=0)
            out = out / max(1e-12, float(np.linalg.norm(out))) * (1.0 if end else -1.0)
            points.append(quad)
            normals.append(np.tile(out, (4, 1)))
            flat.append(quad[:, :2] * 0.5)
            turn = [0, 1, 2, 0, 2, 3] if end == 0 else [0, 2, 1, 0, 3, 2]
            faces.append(first + np.array(turn).reshape(-1, 3))
            first += 4
    position = np.concatenate(points).astype(np.float32)
    color = np.concatenate(
        [np.tile(fill.color, (len(position), 1)), np.ones((len(position), 1))], 1
    )
    mesh = Mesh(
        position,
        np.concatenate(normals).astype(np.float32),
        (np.concatenate(flat) / skin.repeat).astype(np.float32),
        np.concatenate(faces).astype(np.uint32),
        (Part("fill", 0, sum(len(f) for f in faces)),),
        colors=as_bytes(color),
        masks=np.tile(np.array([0, 128, 255, 128], np.uint8), (len(position), 1)),
    )
    return with_tangents(mesh)


def merged(core: list[Rectangle]) -> list[Rectangle]:
    """Rectangles that stand on one another as one, as wide as the lowest."""
    out: list[Rectangle] = []
    for a, b, low, high in sorted(core, key=lambda r: (r[2], r[0])):
        for k, (c, d, bottom, top) in enumerate(out):
            if abs(top - low) < 1e-6 and abs(a - c) < 0.12 and abs(b - d) < 0.12:
                out[k] = (c, d, bottom, high)
                break
        else:
            out.append((a, b, low, high))
    return out
