"""Filling: what is between the faces of a wall and behind its stones."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64, UInt32
from plough.core.kernels import kernel
from plough.core.lay.masonry import Plan
from plough.core.lay.on_wall import Frame, place
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
    long = np.array([b - a for a, b, _, _ in core])
    steps = np.maximum(1, np.ceil(long / every)).astype(np.int64)
    position, normal, flat, faces = _boxes(
        np.array(core, np.float64).reshape(-1, 4), steps, frame, fill.behind
    )
    n = len(position)
    color = as_bytes(np.array([*fill.color, 1.0]))
    mesh = Mesh(
        position.astype(np.float32),
        normal.astype(np.float32),
        (flat / skin.repeat).astype(np.float32),
        faces,
        (Part("fill", 0, len(faces)),),
        colors=np.tile(color, (n, 1)),
        masks=np.tile(np.array([0, 128, 255, 128], np.uint8), (n, 1)),
    )
    return with_tangents(mesh)


@kernel
def _boxes(
    core: Float64, steps: Int64, frame: Frame, behind: float
) -> tuple[Float64, Float64, Float64, UInt32]:
    """(v, 3) points, (v, 3) normals, (v, 2) metres of texture and (t, 3) triangles: four sides and two ends of each box."""
    many, ends = 8 * (steps + 1).sum(), 8 * len(steps)
    position, normal = np.empty((many + ends, 3)), np.empty((many + ends, 3))
    flat = np.empty((many + ends, 2))
    faces = np.empty((8 * steps.sum() + 4 * len(steps), 3), np.uint32)
    v = t = 0
    for r in range(len(steps)):
        a, b, low, high = core[r]
        n = steps[r]
        line = np.empty((4, n + 1, 3))  # round about, seen along the wall
        for k in range(4):
            for i in range(n + 1):
                s = b if i == n else a + (b - a) * i / n
                y, side = (low if k in (0, 3) else high), (1 if k < 2 else -1)
                x, h, z = place(frame, s, y, side, -behind)
                line[k, i, 0], line[k, i, 1], line[k, i, 2] = x, h, z
        for k in range(4):
            p, q = line[k], line[(k + 1) % 4]
            for i in range(n + 1):
                on = p[min(i + 1, n)] - p[max(i - 1, 0)]
                way = q[i] - p[i]
                out = _square(way, on)
                s = b if i == n else a + (b - a) * i / n
                wide = math.sqrt(way[0] ** 2 + way[1] ** 2 + way[2] ** 2)
                for c in range(2):
                    position[v + c] = q[i] if c else p[i]
                    normal[v + c] = out
                    flat[v + c, 0], flat[v + c, 1] = s, (wide if c else 0.0)
                if i < n:
                    faces[t, 0], faces[t, 1], faces[t, 2] = v, v + 1, v + 2
                    faces[t + 1, 0], faces[t + 1, 1], faces[t + 1, 2] = v + 1, v + 3, v + 2
                    t += 2
                v += 2
        for end in range(2):
            i = n if end else 0
            on = np.zeros(3)
            for k in range(4):
                on += line[k, i + 1 - end] - line[k, i - end]
            on *= (1.0 if end else -1.0) / max(1e-12, math.sqrt((on * on).sum()))
            for k in range(4):
                position[v + k] = line[k, i]
                normal[v + k] = on
                flat[v + k] = 0.5 * line[k, i, :2]
            for f in range(2):
                faces[t, 0] = v
                faces[t, 1] = v + (f + 2 if end else f + 1)
                faces[t, 2] = v + (f + 1 if end else f + 2)
                t += 1
            v += 4
    return position, normal, flat, faces


@kernel
def _square(a: Float64, b: Float64) -> Float64:
    """The unit vector square to both."""
    out = np.empty(3)
    for c in range(3):
        m, n = (c + 1) % 3, (c + 2) % 3
        out[c] = a[m] * b[n] - a[n] * b[m]
    return out / max(1e-12, math.sqrt((out * out).sum()))


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
