"""Masonry: what stones a wall is laid of, span by span."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.lay.corners import cope_ends, corner_reach, outset
from plough.core.lay.courses import Bond, Fixed, Stretch, anchor_of, laid
from plough.core.lay.heads import (
    BEARING,
    WIDE,
    clipped,
    heads_of,
    owned,
    taken_by,
    voussoirs,
)
from plough.core.lay.levels import Levels
from plough.core.lay.rubble import as_rubble
from plough.core.lay.rule import JAMBS, LEAST, Opening, WallRule, block, foot_of, number_of
from plough.core.lay.run import Span
from plough.core.lay.stones import (
    COPE,
    JAMB,
    LEFT,
    LINTEL,
    RIGHT,
    SILL,
    THROUGH,
    TIE,
    Stones,
    joined_stones,
)
from plough.core.rng import seed_for, stream, symmetric, symmetric_array, uniform_array

_OWN, _JAMB, _TIE, _COPE = (stream(f"masonry.{n}") for n in ("own", "jamb", "tie", "cope"))
_BETWEEN = 0.55  #: metres up between courses with stones that go through
_CLEAR = 0.25  #: metres that those keep from ends and openings
_TIED = 0.4  #: metres between stones that go through, at least
_SPLIT = 0.16  #: share of stones in courses that are two thin ones
_COPES = 1_000  #: the number of the course that the coping is
_SINK = 0.02  #: metres that a sill stands above the ground


class Course(NamedTuple):
    """A course of a span: between which lines, and where it is laid."""

    row: int
    bottom: float
    top: float
    stretches: list[Stretch]
    fixed: Fixed
    whole: list[Stretch]  #: without openings


class Plan(NamedTuple):
    """What one span of a wall is laid of."""

    stones: Stones
    courses: list[Course]
    heads: list[tuple[float, float, float]]
    """Over openings: from where to where stones lie on an arch or a lintel, and above which height."""


def plan_of(
    span: Span, after: Span | None, rule: WallRule, openings: Sequence[Opening], levels: Levels
) -> Plan:
    """The stones of a span, but for those at its corners.

    Args:
        after: the span behind it.
        openings: in its own coordinates, settled.
    """
    seed, lines = seed_for(rule.seed, "wall"), levels.lines
    arches, lintels, others = heads_of(openings, span, rule, levels)
    rows = range(len(levels.rows))
    made: list[Stones] = []
    fixed: list[Fixed] = [[] for _ in rows]
    stretches: list[list[Stretch]] = []
    wholes: list[list[Stretch]] = []
    for o, (first, last) in lintels:
        a, b = o.start - BEARING, o.end + BEARING
        for r in range(first, last):
            fixed[r].append((a, b))
        if owned(o, span):
            made.append(block(span, f"lintel {o.id}", a, b, lines[first], lines[last], LINTEL))
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
        taken = [*fixed[r], *(taken_by(arch, bottom, top) for _, arch in arches)]
        for k, (a, b) in enumerate(_clear_of(jambs, taken)):
            fixed[r].append((a, b))
            made.append(block(span, f"jamb {number} {k}", a, b, bottom, top, JAMB))
    ties = _tied(rule, levels)
    for r in rows:
        bottom, top = float(lines[r]), float(lines[r + 1])
        if levels.rows[r] in ties:
            taken = [*fixed[r], *(taken_by(arch, bottom, top) for _, arch in arches)]
            for name, a, b in _ties(span, rule, seed, levels.rows[r], stretches[r], taken):
                fixed[r].append((a, b))
                made.append(block(span, name, a, b, bottom, top, TIE))
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
        made.append(clipped(face, [arch for _, arch in arches]))
    made += [voussoirs(arch, span, o.id) for o, arch in arches if owned(o, span)]
    if rule.coping != "none":
        for whole_, top in levels.tops:
            stretch = _joined([whole_], span, after, rule, seed, _COPES)[0]
            made.append(_coping(stretch, span, rule, top, others))
    made += [_sill(o, span) for o in openings if has_sill(o, span)]
    courses = [
        Course(
            levels.rows[r], float(lines[r]), float(lines[r + 1]), stretches[r], fixed[r], wholes[r]
        )
        for r in rows
    ]
    heads = [(o.start - BEARING, o.end + BEARING, float(lines[f])) for o, (f, _) in lintels]
    heads += [(a.middle - a.outer, a.middle + a.outer, a.foot) for _, a in arches]
    return Plan(joined_stones(made), courses, heads)


def _clear_of(blocks: Fixed, taken: Fixed) -> Fixed:
    """What is left of blocks beside what is taken; none where little is left."""
    out = []
    for a, b in blocks:
        for c, d in taken:
            if c < b and d > a:
                a, b = (a, c) if c - a > b - d else (d, b)
        if b - a > LEAST:
            out.append((a, b))
    return out


def has_sill(o: Opening, span: Span) -> bool:
    """Whether an opening has a sill: it is not too wide, and goes round no corner."""
    round_corner = (o.start < 0.0 and span.first) or (o.end > span.length and span.last)
    within = min(o.end, span.length) - max(o.start, 0.0)
    return o.end - o.start < WIDE and within > LEAST and not round_corner


def _sill(o: Opening, span: Span) -> Stones:
    """The stone at the foot of an opening, or that part of it that lies in a span."""
    y = o.base + _SINK
    a, b = max(o.start, 0.0), min(o.end, span.length)
    return block(span, f"sill {o.id}", a, b, y - 0.14, y, SILL)


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
    off = 0.12 * float(symmetric(seed, _JAMB, number_of(span, f"{row}")))
    sizes = zip(JAMBS, (0.45, 0.8), strict=True)
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
    return {levels.rows[int(np.abs(middles - y).argmin())] for y in heights} - {levels.rows[-1]}


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
    ids = np.array([number_of(span, name) for name in names], np.uint64)
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
        start = reach - outset(span.first, rule, top) if outer else outset(span.first, rule, bottom)
    if span.last is not None and end == span.length and not s.ends[1]:
        outer = side == span.last.outer
        reach = corner_reach(span.last, rule, row, before=True)
        foot = foot_of(span, rule, span.length)
        bottom, top = low - foot, high - foot
        end += outset(span.last, rule, top) - reach if outer else -outset(span.last, rule, bottom)
    return s._replace(start=start, end=end) if end - start > 0.03 else None


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
        start = cope_ends(span.first, rule, y, whole.ends[0])
    if span.last is not None and end == span.length:
        y = top - foot_of(span, rule, end)
        end -= cope_ends(span.last, rule, y, whole.ends[1])
    edges = [start, *(x for o in sorted(openings, key=lambda o: o.start) for x in o[1:3]), end]
    stretches = [
        Stretch(max(a, start), min(b, end), (True, True))
        for a, b in zip(edges[::2], edges[1::2], strict=True)
        if min(b, end) - max(a, start) > 0.05
    ]
    lines = np.array([top, top + rule.cope])
    # each step has stones of its own
    row = _COPES + (round(1000.0 * top) if rule.steps else 0)
    found = laid(bond, [row], lines, [stretches], [[]])
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
