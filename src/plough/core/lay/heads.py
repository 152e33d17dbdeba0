"""What is over openings: arches and lintels, and where other stones make room for them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.lay.levels import Levels
from plough.core.lay.rule import JAMBS, LEAST, Opening, WallRule, number_of
from plough.core.lay.run import Span
from plough.core.lay.stones import ARCH, MOST_CORNERS, THROUGH, Stones, outlines

BEARING = 0.22  #: metres that a lintel rests on, on each side
WIDE = 3.0  #: metres of an opening from which on it has neither lintel nor sill
_WIDEST = 6.0  # metres of an opening that an arch can span


class Arch(NamedTuple):
    """An arch over an opening."""

    middle: float  #: metres along the span
    centre: float  #: metres up, of its circle
    inner: float  #: radius
    outer: float
    foot: float  #: metres up, where it springs from
    half: float  #: of the opening's width

    def beside(self, y: float) -> float:
        """Metres from its middle to where other stones begin."""
        if y < self.foot - 1e-6:
            return self.half
        spring = (self.foot - self.centre) / self.inner
        high = self.centre + self.outer * spring
        wide = self.outer * math.sqrt(max(0.0, 1.0 - spring * spring))
        if y < high:
            return self.half + (wide - self.half) * (y - self.foot) / (high - self.foot)
        return math.sqrt(max(0.0, self.outer**2 - (y - self.centre) ** 2))


def arch_over(opening: Opening, lines: Float64) -> Arch | None:
    """The arch over an opening, whose top lies on a line between courses; None where there is no room for one."""
    wide = opening.end - opening.start
    thick = 0.2 + 0.06 * wide
    half = 0.5 * wide
    ends = lines[(lines >= opening.height + thick - 0.1) & (lines > half * 0.35 + thick + 0.2)]
    if not len(ends):
        return None
    top = float(ends[0])
    crown = top - thick
    feet = lines[(lines >= crown - half) & (lines <= crown - 0.25 * half)]
    if not len(feet):
        return None
    rise = crown - float(feet[0])
    inner = (half * half + rise * rise) / (2.0 * rise)
    return Arch(
        0.5 * (opening.start + opening.end), crown - inner, inner, inner + thick, crown - rise, half
    )


def lintel_rows(opening: Opening, lines: Float64) -> tuple[int, int] | None:
    """The courses, from the first to before the last, that a lintel takes; None where there is no room for one."""
    first = int(np.searchsorted(lines, opening.height - 0.04))
    wanted = min(0.5, 0.12 + 0.1 * (opening.end - opening.start))
    last = first
    while last < len(lines) - 1 and lines[last] - lines[first] < wanted:
        last += 1
    return (
        (first, last) if last < len(lines) and lines[last] - lines[first] >= 0.6 * wanted else None
    )


def owned(o: Opening, span: Span) -> bool:
    """Whether an opening is a span's own, and no neighbour's."""
    return 0.0 <= 0.5 * (o.start + o.end) < span.length


def taken_by(arch: Arch, bottom: float, top: float) -> tuple[float, float]:
    """From where to where an arch takes a course."""
    if bottom >= arch.centre + arch.outer - 1e-6 or top <= arch.foot + 1e-6:
        return arch.middle, arch.middle
    heights = np.linspace(bottom + 1e-4, top - 1e-4, 7)
    far = max(arch.beside(float(y)) for y in heights)
    return arch.middle - far, arch.middle + far


def heads_of(
    openings: Sequence[Opening], span: Span, rule: WallRule, levels: Levels
) -> tuple[list[tuple[Opening, Arch]], list[tuple[Opening, tuple[int, int]]], list[Opening]]:
    """Openings under an arch, those under a lintel with the courses that it takes, and those open to the sky."""
    arches, lintels, others = [], [], []
    for o in openings:
        lines = levels.lines[levels.lines < o.base + rule.height + 0.6 * rule.sizes[1]]
        wide = o.end - o.start
        arch = arch_over(o, lines) if o.head == "arch" and wide <= _WIDEST else None
        rows = lintel_rows(o, lines) if o.head == "lintel" and wide <= WIDE else None
        if arch and _fits(arch.middle - arch.outer, arch.middle + arch.outer, span, rule):
            arches.append((o, arch))
        elif rows and _fits(o.start - BEARING, o.end + BEARING, span, rule):
            lintels.append((o, rows))
        else:
            others.append(o)
    return arches, lintels, others


def settled(
    openings: Sequence[Sequence[Opening]],
    spans: Sequence[Span],
    rule: WallRule,
    levels: Sequence[Levels],
) -> list[list[Opening]]:
    """The openings of all spans, each on its base and with what is over it in every span that it reaches; where these do not agree it is open to the sky."""
    bases = {
        o.id: own.base(0.5 * (o.start + o.end))
        for one, span, own in zip(openings, spans, levels, strict=True)
        for o in one
        if owned(o, span)
    }
    based = [
        [o._replace(base=(y := bases.get(o.id, 0.0)), height=o.height + y) for o in one]
        for one in openings
    ]
    over: dict[str, set[tuple[float, ...]]] = {}
    for one, span, own in zip(based, spans, levels, strict=True):
        arches, lintels, others = heads_of(one, span, rule, own)
        told = [(o, (a.centre, a.outer, a.foot)) for o, a in arches]
        told += [(o, tuple(own.lines[list(rows)].tolist())) for o, rows in lintels]
        for o, shape in [*told, *((o, ()) for o in others)]:
            over.setdefault(o.id, set()).add(tuple(round(y, 6) for y in shape))
    return [[o if len(over[o.id]) == 1 else o._replace(head="open") for o in one] for one in based]


def _fits(a: float, b: float, span: Span, rule: WallRule) -> bool:
    """Whether what is over an opening comes to no end of the wall, and not near a corner."""
    room = 0.5 * JAMBS[1] + 1.3 * rule.thickness
    before = room if span.first else LEAST if span.begins else -math.inf
    behind = room if span.last else LEAST if span.ends else -math.inf
    return a > before and b < span.length - behind


def clipped(face: Stones, arches: list[Arch]) -> Stones:
    """Stones of a face, cut off where an arch begins."""
    if not arches:
        return face
    keep = np.ones(len(face), bool)
    corners, count = face.corners.copy(), face.count.copy()
    for k in range(len(face)):
        ring = corners[k, : count[k]]
        low, high = float(ring[:, 1].min()), float(ring[:, 1].max())
        for arch in arches:
            if (
                low > arch.centre + arch.outer - 1e-6
                or ring[:, 0].max() < arch.middle - 2 * arch.outer
            ):
                continue
            sign = 1.0 if ring[:, 0].mean() > arch.middle else -1.0
            low_, high_ = low + 1e-4, min(high, arch.centre + arch.outer) - 1e-4
            a = np.array([sign * arch.beside(low_), low_])
            b = np.array([sign * arch.beside(high_), high_])
            way = b - a
            out = sign * np.array([way[1], -way[0]]) / max(1e-9, float(np.hypot(*way)))
            y = np.linspace(low_, high_, 7)
            x = sign * np.array([arch.beside(float(v)) for v in y])
            level = float((np.stack([x, y], axis=1) @ out).max())
            f = (ring - [arch.middle, 0.0]) @ out - level
            if (f < 0).any():
                ring = beyond(ring, f)
            if len(ring) < 3:
                break
        if len(ring) < 3 or len(ring) > MOST_CORNERS:
            keep[k] = False
            continue
        corners[k, : len(ring)], count[k] = ring, len(ring)
    whole = Stones(corners, count, face.side, face.role, face.id)
    return whole.taken(np.nonzero(keep)[0])


def beyond(ring: Float64, f: Float64) -> Float64:
    """The part of an outline where `f`, known at its corners, is not less than 0."""
    out = []
    for k in range(len(ring)):
        j = (k + 1) % len(ring)
        if f[k] >= 0:
            out.append(ring[k])
        if (f[k] >= 0) != (f[j] >= 0):
            out.append(ring[k] + f[k] / (f[k] - f[j]) * (ring[j] - ring[k]))
    return np.array(out).reshape(-1, 2)


def voussoirs(arch: Arch, span: Span, name: str) -> Stones:
    """The stones of an arch: an odd number, the keystone in the middle."""
    spring = math.asin(min(1.0, (arch.foot - arch.centre) / arch.inner))
    open_ = math.pi - 2.0 * spring
    count = max(5, round(open_ * arch.inner / 0.2) | 1)
    turn = spring + open_ * np.arange(count + 1) / count
    way = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    middle = np.array([arch.middle, arch.centre])
    inner, outer = middle + arch.inner * way, middle + arch.outer * way
    # chords cut into the opening: the inner ring is that of its own corners
    rings = [np.stack([inner[k + 1], inner[k], outer[k], outer[k + 1]]) for k in range(count)]
    ids = np.array([number_of(span, f"arch {name} {k}") for k in range(count)], np.uint64)
    return outlines(rings, THROUGH, ARCH, ids)
