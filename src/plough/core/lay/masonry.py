"""Masonry: what stones a wall is laid of, span by span."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float64, UInt64
from plough.core.lay.courses import Bond, Fixed, Stretch, anchor_of, laid
from plough.core.lay.levels import Levels
from plough.core.lay.rubble import as_rubble
from plough.core.lay.run import Corner, Span
from plough.core.lay.stones import (
    ARCH,
    COPE,
    DEPTH,
    JAMB,
    LEFT,
    LINTEL,
    MOST_CORNERS,
    RIGHT,
    SILL,
    THROUGH,
    TIE,
    Stones,
    joined_stones,
    outlines,
)
from plough.core.rng import seed_for, stream, symmetric_array, uniform_array

Head = Literal["open", "lintel", "arch"]
Coping = Literal["none", "flat", "upright"]
_OWN, _JAMB, _TIE, _COPE, _RUIN = (
    stream(f"masonry.{n}") for n in ("own", "jamb", "tie", "cope", "ruin")
)
_BEARING = 0.22  #: metres that a lintel rests on, on each side
_JAMBS = (0.24, 0.46)  #: metres that short and long stones beside an opening are, at least
_BETWEEN = 0.55  #: metres up between courses with stones that go through
_CLEAR = 0.25  #: metres that those keep from ends and openings
_QUOIN = 0.47  #: that one at a corner takes
_OVER = 0.04  #: metres that coping stands before the faces, at most
_TIED = 0.4  #: metres between stones that go through, at least
_SLACK = 0.01  #: metres between it and those of the inner faces
_WIDEST = 6.0  #: metres of an opening that an arch can span
_LEAST = 0.06  #: metres of a stone of its own
_SPLIT = 0.16  #: share of stones in courses that are two thin ones
WIDE = 3.0  #: metres of an opening from which on it has no sill
_COPES = 1_000  #: the number of the course that the coping is
SINK = 0.02  #: metres that a sill stands above the ground


@dataclass(frozen=True, slots=True)
class WallRule:
    """How a wall is built; lengths in metres."""

    seed: int
    height: float
    thickness: float  #: at the ground
    batter: float  #: that a face leans back for each metre up
    footing: float  #: below the ground
    courses: bool  #: else rubble
    sizes: tuple[float, float]  #: heights of stones at the top and at the foot
    lengths: tuple[float, float]  #: of stones, by their heights
    uneven: float
    ties: float  #: between stones that go through, along a course; 0: none do
    coping: Coping
    cope: float  #: its height
    steps: float  #: it follows the ground in steps so long; 0: by its slope
    ruin: float  #: 0 whole to 1
    ruin_seed: int

    @property
    def half(self) -> float:
        """From its middle to a face, at the ground."""
        return 0.5 * self.thickness

    def thick(self, y: float) -> float:
        """How thick it is, so far above the ground."""
        return self.thickness - 2.0 * self.batter * y

    @property
    def mean(self) -> float:
        """Length of a stone."""
        return 0.25 * sum(self.sizes) * sum(self.lengths)


class Opening(NamedTuple):
    """A way through a wall, in the coordinates of a span."""

    id: str
    start: float
    end: float
    height: float  #: clear, above the ground
    head: Head


class Course(NamedTuple):
    """A course of a span: between which lines, and where it is laid."""

    row: int
    bottom: float
    top: float
    stretches: list[Stretch]
    fixed: Fixed
    whole: list[Stretch]  #: without openings


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


def corner_reach(corner: Corner, rule: WallRule, row: int, before: bool) -> float:
    """Metres along its outer face, from its very edge, that a corner stone takes of the span before it, or of the one behind."""
    long = max(_JAMBS[1], 0.8 * rule.thickness)
    short = max(_JAMBS[0], 0.45 * rule.thickness)
    apart = DEPTH * rule.thickness * math.tan(0.5 * abs(corner.turn)) + 0.03
    return max(long if (row % 2 == 0) == before else short, apart)


def foot_of(span: Span, rule: WallRule, s: float) -> float:
    """Metres of its own heights at which a wall stands on the ground."""
    return span.height(s) if rule.steps else 0.0


def _outset(corner: Corner, rule: WallRule, y: float) -> float:
    """Metres along a span from its knot to the edge of its outer face, `y` above its foot."""
    return 0.5 * rule.thick(y) * math.tan(0.5 * abs(corner.turn))


class Quoins(NamedTuple):
    """Stones at a corner."""

    rings: list[Float64]  #: outlines seen from above, metres east and north
    levels: Float64  #: (n, 2) metres of the bottom and the top of each, above the ground
    ids: UInt64
    slopes: tuple[float, float]  #: by which the ground rises before it and behind it


class Plan(NamedTuple):
    """What one span of a wall is laid of."""

    stones: Stones
    courses: list[Course]
    heads: list[
        tuple[float, float, float]
    ]  #: over openings: from where to where stones lie on an arch or a lintel, and above which height


def plan_of(
    span: Span, after: Span | None, rule: WallRule, openings: Sequence[Opening], levels: Levels
) -> Plan:
    """The stones of a span, but for those at its corners.

    Args:
        after: the span behind it.
    """
    seed, lines = seed_for(rule.seed, "wall"), levels.lines
    openings = [
        o._replace(height=o.height + levels.base(0.5 * (o.start + o.end))) for o in openings
    ]
    arches, lintels, others = _heads(openings, span, rule, levels)
    rows = range(len(levels.rows))
    made: list[Stones] = []
    fixed: list[Fixed] = [[] for _ in rows]
    stretches: list[list[Stretch]] = []
    wholes: list[list[Stretch]] = []
    for o, (first, last) in lintels:
        a, b = o.start - _BEARING, o.end + _BEARING
        for r in range(first, last):
            fixed[r].append((a, b))
        if _owned(o, span):
            made.append(_block(span, f"lintel {o.id}", a, b, lines[first], lines[last], LINTEL))
    for r in rows:
        bottom, top = float(lines[r]), float(lines[r + 1])
        cuts = [(o.start, o.end, True) for o in others]
        cuts += [(o.start, o.end, True) for o, (first, _) in lintels if r < first]
        for _, arch in arches:
            if bottom < arch.centre + arch.outer - 1e-6:
                near = min(arch.beside(bottom), arch.beside(top))
                cuts.append((arch.middle - near, arch.middle + near, top <= arch.foot + 0.05))
        number = levels.rows[r]
        whole = _joined(levels.whole[r], span, after, rule, seed, number)
        found, jambs = _cut(whole, cuts, rule, seed, span, number)
        stretches.append(found)
        wholes.append(whole)
        taken = [*fixed[r], *(_taken(arch, bottom, top) for _, arch in arches)]
        for k, (a, b) in enumerate(_clear_of(jambs, taken)):
            fixed[r].append((a, b))
            made.append(_block(span, f"jamb {number} {k}", a, b, bottom, top, JAMB))
    ties = _tied(rule, levels)
    for r in rows:
        bottom, top = float(lines[r]), float(lines[r + 1])
        if levels.rows[r] in ties:
            taken = [*fixed[r], *(_taken(arch, bottom, top) for _, arch in arches)]
            for name, a, b in _ties(span, rule, seed, levels.rows[r], stretches[r], taken):
                fixed[r].append((a, b))
                made.append(_block(span, name, a, b, bottom, top, TIE))
        fixed[r].sort()
    for side in (RIGHT, LEFT):
        bond = _bond(rule, seed, span, side)
        own = [
            [at for s in row if (at := _at_corners(s, span, rule, side, levels, r)) is not None]
            for r, row in enumerate(stretches)
        ]
        face = laid(bond, levels.rows, lines, own, fixed)
        if not rule.courses:
            face = as_rubble(face, own, fixed, lines, bond)
        made.append(_clipped(face, [arch for _, arch in arches]))
    made += [_voussoirs(arch, span, o.id) for o, arch in arches if _owned(o, span)]
    if rule.coping != "none":
        for whole_, top in levels.tops:
            stretch = _joined([whole_], span, after, rule, seed, _COPES)[0]
            made.append(_coping(stretch, span, rule, top, others))
    made += [_sill(o, span, levels) for o in openings if _has_sill(o, span)]
    courses = [
        Course(
            levels.rows[r], float(lines[r]), float(lines[r + 1]), stretches[r], fixed[r], wholes[r]
        )
        for r in rows
    ]
    heads = [(o.start - _BEARING, o.end + _BEARING, float(lines[f])) for o, (f, _) in lintels]
    heads += [(a.middle - a.outer, a.middle + a.outer, a.foot) for _, a in arches]
    return Plan(joined_stones(made), courses, heads)


def _owned(o: Opening, span: Span) -> bool:
    """Whether an opening is a span's own, and no neighbour's."""
    return 0.0 <= 0.5 * (o.start + o.end) < span.length


def _taken(arch: Arch, bottom: float, top: float) -> tuple[float, float]:
    """From where to where an arch takes a course."""
    if bottom >= arch.centre + arch.outer - 1e-6 or top <= arch.foot + 1e-6:
        return arch.middle, arch.middle
    heights = np.linspace(bottom + 1e-4, top - 1e-4, 7)
    far = max(arch.beside(float(y)) for y in heights)
    return arch.middle - far, arch.middle + far


def _clear_of(blocks: Fixed, taken: Fixed) -> Fixed:
    """What is left of blocks beside what is taken; none where little is left."""
    out = []
    for a, b in blocks:
        for c, d in taken:
            if c < b and d > a:
                a, b = (a, c) if c - a > b - d else (d, b)
        if b - a > _LEAST:
            out.append((a, b))
    return out


def _heads(
    openings: Sequence[Opening], span: Span, rule: WallRule, levels: Levels
) -> tuple[list[tuple[Opening, Arch]], list[tuple[Opening, tuple[int, int]]], list[Opening]]:
    """Openings under an arch, those under a lintel with the courses that it takes, and those open to the sky."""
    arches, lintels, others = [], [], []
    for o in openings:
        top = levels.base(0.5 * (o.start + o.end)) + rule.height
        lines = levels.lines[levels.lines < top + 0.6 * rule.sizes[1]]
        wide = o.end - o.start
        arch = arch_over(o, lines) if o.head == "arch" and wide <= _WIDEST else None
        rows = lintel_rows(o, lines) if o.head == "lintel" and wide <= WIDE else None
        if arch and _fits(arch.middle - arch.outer, arch.middle + arch.outer, span, rule):
            arches.append((o, arch))
        elif rows and _fits(o.start - _BEARING, o.end + _BEARING, span, rule):
            lintels.append((o, rows))
        else:
            others.append(o)
    return arches, lintels, others


def _fits(a: float, b: float, span: Span, rule: WallRule) -> bool:
    """Whether what is over an opening comes to no end of the wall, and not near a corner."""
    room = 0.5 * _JAMBS[1] + 1.3 * rule.thickness
    before = room if span.first else _LEAST if span.begins else -math.inf
    behind = room if span.last else _LEAST if span.ends else -math.inf
    return a > before and b < span.length - behind


def _number(span: Span, name: str) -> UInt64:
    return np.array([stream(f"stone {span.number} {name}")], np.uint64)


def _block(
    span: Span, name: str, a: float, b: float, bottom: float, top: float, role: int
) -> Stones:
    """A stone that goes through, square on the faces."""
    ring = np.array([[a, bottom], [b, bottom], [b, top], [a, top]])
    return outlines([ring], THROUGH, role, _number(span, name))


def _has_sill(o: Opening, span: Span) -> bool:
    """Whether an opening has a sill: it is not too wide, and goes round no corner."""
    round_corner = (o.start < 0.0 and span.first) or (o.end > span.length and span.last)
    within = min(o.end, span.length) - max(o.start, 0.0)
    return o.end - o.start < WIDE and within > _LEAST and not round_corner


def _sill(o: Opening, span: Span, levels: Levels) -> Stones:
    """The stone at the foot of an opening, or that part of it that lies in a span."""
    y = SINK + levels.base(0.5 * (o.start + o.end))
    a, b = max(o.start, 0.0), min(o.end, span.length)
    return _block(span, f"sill {o.id}", a, b, y - 0.14, y, SILL)


def _bond(rule: WallRule, seed: np.uint64, span: Span, side: int) -> Bond:
    split = _SPLIT if rule.courses else 0.0
    anchor = max(7.0 * rule.mean, 0.6)
    return Bond(seed, span.number, side, anchor, *rule.lengths, rule.uneven, split)


def _joined(
    whole: list[Stretch],
    span: Span,
    after: Span | None,
    rule: WallRule,
    seed: np.uint64,
    row: int,
) -> list[Stretch]:
    """Stretches of a course; where it goes on from span to span they meet a little behind the knot. Corners are left to the faces."""
    out = []
    for s in whole:
        start, end = s.start, s.end
        if start == 0.0 and not s.ends[0] and span.first is None:
            start = _joint(span, rule, seed, row)
        if end == span.length and not s.ends[1] and span.last is None and after is not None:
            end += _joint(after, rule, seed, row)
        out.append(Stretch(start, end, s.ends))
    return out


def _joint(span: Span, rule: WallRule, seed: np.uint64, row: int) -> float:
    """Metres behind its first knot where a course of a span begins."""
    return min(anchor_of(_bond(rule, seed, span, THROUGH), row, 0), 0.3 * span.length)


def _cut(
    whole: list[Stretch],
    cuts: list[tuple[float, float, bool]],
    rule: WallRule,
    seed: np.uint64,
    span: Span,
    row: int,
) -> tuple[list[Stretch], Fixed]:
    """What openings leave of a course, and the stones of their own beside them and at its ends.

    Args:
        cuts: from where to where, and whether such stones stand beside it.
    """
    stretches, fixed = [], []
    off = 0.12 * float(symmetric_array(int(seed), _JAMB, _number(span, f"{row}"))[0])
    sizes = zip(_JAMBS, (0.45, 0.8), strict=True)
    size = [max(least, part * rule.thickness) * (1.0 + off) for least, part in sizes]
    for one in whole:
        edges: list[tuple[float, bool]] = [(one.start, one.ends[0])]
        for a, b, jambs in sorted(cuts):
            edges += [(a, jambs), (b, jambs)]
        edges.append((one.end, one.ends[1]))
        for (first, own), (last, other) in zip(edges[::2], edges[1::2], strict=True):
            a, b = max(first, one.start), min(last, one.end)
            if b - a < 0.02:
                continue
            own, other = bool(own and a == first), bool(other and b == last)
            stretches.append(Stretch(a, b, (own, other)))
            left, right = size[row % 2] * own, size[row % 2] * other
            corner = (span.first and not own and a == 0.0) or (
                span.last and not other and b == span.length
            )
            if corner and left + right > b - a - 2.0 * rule.thickness - size[0]:
                continue  # its own stones take all the room
            if left + right > b - a - size[0]:
                if own or other:
                    fixed.append((a, b))
                continue
            fixed += [(a, a + left)] * own + [(b - right, b)] * other
    return stretches, fixed


def _tied(rule: WallRule, levels: Levels) -> set[int]:
    """The courses with stones that go through."""
    if not rule.ties:
        return set()
    if rule.steps:  # of the level that all of it shares
        every = max(2, round(_BETWEEN / (0.5 * sum(rule.sizes))))
        return {r for r in levels.rows if r % every == 0}
    middles = 0.5 * (levels.lines[:-1] + levels.lines[1:])
    heights = np.arange(_BETWEEN, rule.height - 0.1, _BETWEEN)
    return {int(np.abs(middles - y).argmin()) for y in heights} - {levels.rows[-1]}


def _ties(
    span: Span,
    rule: WallRule,
    seed: np.uint64,
    row: int,
    stretches: list[Stretch],
    fixed: Fixed,
) -> list[tuple[str, float, float]]:
    """Where stones go through in a course, and what they are called."""
    apart = max(rule.ties, _TIED, 2.0 * rule.mean)
    names = [f"tie {k} {row}" for k in range(int(span.length / apart) + 1)]
    ids = np.array([_number(span, name)[0] for name in names], np.uint64)
    off = symmetric_array(int(seed), _TIE, ids)
    wide = rule.mean * (0.8 + 0.5 * uniform_array(int(seed), _OWN, ids))
    middle = (np.arange(len(ids)) + 0.25 + 0.5 * (row % 2) + 0.2 * off) * apart
    away = _CLEAR + rule.thickness
    out = []
    for name, a, b in zip(names, middle - 0.5 * wide, middle + 0.5 * wide, strict=True):
        inside = any(s.start + _CLEAR < a and b < s.end - _CLEAR for s in stretches)
        clear = all(b < f - _CLEAR or a > g + _CLEAR for f, g in fixed)
        corner = (span.first and a < away) or (span.last and b > span.length - away)
        if inside and clear and not corner:
            out.append((name, float(a), float(b)))
    return out


def _at_corners(
    s: Stretch, span: Span, rule: WallRule, side: int, levels: Levels, course: int
) -> Stretch | None:
    """A stretch of one face, drawn in or out to the stones at the corners of its span."""
    start, end, row = s.start, s.end, levels.rows[course]
    low, high = (float(y) for y in levels.lines[course : course + 2])
    if span.first is not None and start == 0.0 and not s.ends[0]:
        outer = side == span.first.outer
        reach = corner_reach(span.first, rule, row, before=False)
        foot = foot_of(span, rule, 0.0)
        bottom, top = low - foot, high - foot
        start = (
            reach - _outset(span.first, rule, top) if outer else _outset(span.first, rule, bottom)
        )
    if span.last is not None and end == span.length and not s.ends[1]:
        outer = side == span.last.outer
        reach = corner_reach(span.last, rule, row, before=True)
        foot = foot_of(span, rule, span.length)
        bottom, top = low - foot, high - foot
        end += _outset(span.last, rule, top) - reach if outer else -_outset(span.last, rule, bottom)
    return s._replace(start=start, end=end) if end - start > 0.03 else None


def _clipped(face: Stones, arches: list[Arch]) -> Stones:
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
                ring = _beyond(ring, f)
            if len(ring) < 3:
                break
        if len(ring) < 3 or len(ring) > MOST_CORNERS:
            keep[k] = False
            continue
        corners[k, : len(ring)], count[k] = ring, len(ring)
    whole = Stones(corners, count, face.side, face.role, face.id)
    return whole.taken(np.nonzero(keep)[0])


def _beyond(ring: Float64, f: Float64) -> Float64:
    """The part of an outline where `f`, known at its corners, is not less than 0."""
    out = []
    for k in range(len(ring)):
        j = (k + 1) % len(ring)
        if f[k] >= 0:
            out.append(ring[k])
        if (f[k] >= 0) != (f[j] >= 0):
            out.append(ring[k] + f[k] / (f[k] - f[j]) * (ring[j] - ring[k]))
    return np.array(out).reshape(-1, 2)


def _voussoirs(arch: Arch, span: Span, name: str) -> Stones:
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
    ids = np.array([_number(span, f"arch {name} {k}")[0] for k in range(count)], np.uint64)
    return outlines(rings, THROUGH, ARCH, ids)


def _coping(
    whole: Stretch,
    span: Span,
    rule: WallRule,
    top: float,
    openings: Sequence[Opening],
) -> Stones:
    """The stones along a stretch of the top."""
    upright = rule.coping == "upright"
    lengths = (0.36, 0.66) if upright else (2.2, 4.2)
    seed = seed_for(rule.seed, "coping")
    anchor = max(2.5 * rule.cope * sum(lengths), 0.5)
    bond = Bond(seed, span.number, THROUGH, anchor, *lengths, 0.0, 0.0)
    start, end = whole.start, whole.end
    if span.first is not None and start == 0.0:
        y = top - foot_of(span, rule, 0.0)
        start = _cope_ends(span.first, rule, y, whole.ends[0])
    if span.last is not None and end == span.length:
        y = top - foot_of(span, rule, end)
        end -= _cope_ends(span.last, rule, y, whole.ends[1])
    edges = [start, *(x for o in sorted(openings, key=lambda o: o.start) for x in o[1:3]), end]
    stretches = [
        Stretch(max(a, start), min(b, end), (True, True))
        for a, b in zip(edges[::2], edges[1::2], strict=True)
        if min(b, end) - max(a, start) > 0.05
    ]
    lines = np.array([top, top + rule.cope])
    found = laid(bond, [_COPES], lines, [stretches], [[]])
    corners = found.corners.copy()
    if upright:
        short = uniform_array(int(seed), _COPE, found.id)
        high = rule.cope * np.where(short < 0.45, 0.62 + 0.2 * short, 0.88 + 0.12 * short)
        corners[:, 2:4, 1] = top + high[:, None]
        for s in stretches:  # they lean, but for those at the ends
            room = np.minimum(corners[:, 2:4, 0] - s.start, s.end - corners[:, 2:4, 0])
            # so far for each metre up: sides that meet lean alike, whatever their heights
            lean = 0.22 * min(1.0, 0.5 / rule.thickness) ** 2 * np.clip(room / 0.6, 0.0, 1.0)
            corners[:, 2:4, 0] += lean * (corners[:, 2:4, 1] - top)
    roles = np.full(len(found), COPE)
    return Stones(corners, found.count, found.side, roles, found.id)


def _cope_ends(corner: Corner, rule: WallRule, y: float, stops: bool) -> float:
    """Metres from a corner to where coping ends, which stands before the faces; farther where the other side goes on higher, with an end of its own."""
    half = 0.5 * rule.thick(y) + _OVER
    turn = abs(corner.turn)
    return half * max(math.tan(0.5 * turn), math.sin(turn) if stops else 0.0)


def quoins(span: Span, after: Span, rule: WallRule, courses: list[Course], coped: bool) -> Quoins:
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
        ids.append(_number(span, f"quoin {c.row}")[0])
    if courses and coped and rule.coping != "none":
        top = courses[-1].top
        thick, out = rule.thick(top - base), _outset(corner, rule, top - base)
        rings.append(_around(corner, 0.5 * thick, (2 * out, 2 * out), thick))
        levels.append((top, top + (0.9 if rule.coping == "upright" else 1.0) * rule.cope))
        ids.append(_number(span, "quoin cope")[0])
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
        ring = _beyond(ring, ring @ way - limit + 1e-9)
    flat: Float64 = ring * [1.0, -1.0]  # counter-clockwise with north up
    turned = np.roll(flat, -1, axis=0)
    area = (flat[:, 0] * turned[:, 1] - flat[:, 1] * turned[:, 0]).sum()
    return flat if area > 0 else flat[::-1].copy()
