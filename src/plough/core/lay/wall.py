"""Stone walls: from a run and its openings to meshes, piece by piece."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from plough.core.arrays import Bool, Float32, Float64
from plough.core.collider import Collider
from plough.core.hashing import digest, key_of
from plough.core.lay.corners import Bed, Quoins, quoins
from plough.core.lay.dressing import Dress, dressed
from plough.core.lay.fallen import Lost
from plough.core.lay.filling import Fill, Keep, Rectangle, core_of, filled, merged
from plough.core.lay.heads import settled
from plough.core.lay.levels import Heights, Levels, levels_of
from plough.core.lay.masonry import Plan, plan_of
from plough.core.lay.on_wall import LONGEST, box, boxed, frame_of, placed
from plough.core.lay.rule import Opening, WallRule, feet_of
from plough.core.lay.run import Corner, Span
from plough.core.lay.skin import Skin, skinned
from plough.core.lay.stones import (
    ARCH,
    COPE,
    DEPTH,
    FACE,
    LINTEL,
    SILL,
    THROUGH,
    TIE,
    Stones,
    outlines,
)
from plough.core.mesh.value import Mesh, join
from plough.core.rng import seed_for, stream, uniform_array

CHUNK = 8.0  #: metres of a span that are one piece
_STANDS = 0.08  # metres that stones stand before the faces, at most
_MEET = 0.46  # of its thickness, to which stones reach where those of both faces nearly meet
SILL_STANDS = 0.06  #: metres before the faces that a sill stands
_PROUD = {TIE: 0.05, COPE: 0.02, SILL: SILL_STANDS, ARCH: 0.01}  # metres before the faces
_RUIN = stream("wall.ruin")
_PATCH = 1.6  # metres along it between places where more and where less has fallen


@dataclass(frozen=True, eq=False)
class Piece:
    """A piece of a wall that is made by itself."""

    name: str
    span: Span
    stones: Stones
    core: list[Rectangle]  #: rectangles: along from, to, up from, to
    quoins: Quoins | None
    rule: WallRule

    @property
    def key(self) -> str:
        """Tells it from any other of the same look."""
        s = self.stones
        arrays = (s.corners, s.count, s.side, s.role, s.id)
        corner = self.quoins and [digest(r.tobytes()) for r in self.quoins.rings]
        told = [digest(np.ascontiguousarray(a).tobytes()) for a in arrays]
        levels = self.quoins and (digest(self.quoins.levels.tobytes()), self.quoins.slopes)
        return key_of(self.name, self.span.key, told, self.core, corner, levels, repr(self.rule))


Kept = Callable[[str, Callable[[], Plan]], Plan]
"""Gives what is kept under a key, made where it is not."""


def laid_wall(
    spans: Sequence[Span],
    rule: WallRule,
    openings: Sequence[Sequence[Opening]],
    kept: Kept = lambda _, make: make(),
) -> tuple[list[Piece], list[Lost]]:
    """The pieces of a wall, and what of each span has fallen.

    Args:
        openings: of each span, in its own coordinates.
        kept: keeps the plans of spans.
    """
    n = len(spans)
    heights = Heights(
        rule.height, rule.footing, rule.sizes, rule.steps, int(seed_for(rule.seed, "lines"))
    )

    def after_(k: int) -> Span | None:
        return None if spans[k].ends else spans[(k + 1) % n]

    levels = [
        levels_of(s, None if s.begins else spans[k - 1], after_(k), heights)
        for k, s in enumerate(spans)
    ]
    openings = settled(openings, spans, rule, levels)
    told = repr(replace(rule, ruin=0.0, ruin_seed=0))

    def planned(k: int) -> Plan:
        span, after = spans[k], after_(k)
        make = partial(plan_of, span, after, rule, openings[k], levels[k])
        ahead = after and (after.number, after.length, repr(after.first))
        ends = (span.begins, span.ends, repr(span.first), repr(span.last))
        ground = span.key if rule.steps else ""
        own = (span.number, span.length, ends, ground, ahead, repr(openings[k]))
        return kept(key_of("plan", *own, levels[k].key, told), make)

    plans = [planned(k) for k in range(n)]
    out, lost = [], []
    for k, span in enumerate(spans):
        after = after_(k)
        plan, stones = plans[k], plans[k].stones
        keep = _kept(span, after, rule, levels[k])
        if keep is not None:
            stands = _standing(stones, keep, plan)
            gone = stones.taken(np.nonzero(~stands)[0])
            drop = gone.middle[:, 1] - feet_of(span, rule, gone.middle[:, 0])
            boxes = _footprint(plan, span, rule, levels[k])
            lost.append(Lost(span, gone, _thick(gone, rule, span), drop, boxes))
            stones = stones.taken(np.nonzero(stands)[0])
        corner = None
        if span.last is not None and after is not None:
            corner = _corner(span, after, rule, plan, plans[(k + 1) % n], levels[k], keep)
        count = max(1, round(span.length / CHUNK))
        edges = np.linspace(0.0, span.length, count + 1)
        chunk = np.clip(np.searchsorted(edges, stones.middle[:, 0], "right") - 1, 0, count - 1)
        core = core_of(plan, span, rule, keep)
        for c in range(count):
            within = (
                -math.inf if c == 0 else float(edges[c]),
                math.inf if c == count - 1 else float(edges[c + 1]),
            )
            own = [
                (max(a, within[0]), min(b, within[1]), low, high)
                for a, b, low, high in core
                if min(b, within[1]) - max(a, within[0]) > 0.01
            ]
            out.append(
                Piece(
                    f"{k} {c}",
                    span,
                    stones.taken(np.nonzero(chunk == c)[0]),
                    own,
                    corner if c == count - 1 else None,
                    rule,
                )
            )
    return out, lost


def _footprint(plan: Plan, span: Span, rule: WallRule, levels: Levels) -> list[Float32]:
    """Boxes, each (8, 3) metres, over what of a span stands about the ground, with its corners."""
    frame = frame_of(span, rule.half, 0.0, rule.steps > 0)
    longest = min(LONGEST, math.sqrt(0.16 / max(span.bend, 1e-3)))  # within 2 cm of a bend
    boxes = []
    for a, b, base in levels.bases:
        row = next((c for c in plan.courses if c.bottom <= base < c.top), None)
        joints = {w.start for w in row.whole if not w.ends[0]} if row else set()
        for s in row.stretches if row else ():
            # where spans meet it goes to the knot, whatever the course does
            left = max(0.0 if s.start in joints else s.start, a)
            right = s.end if b >= span.length else min(s.end, b)
            left -= _reach(span.first, rule) if left <= 0.0 else 0.0
            right += _reach(span.last, rule) if right >= span.length else 0.0
            if right - left < 0.01:
                continue
            edges = np.linspace(left, right, max(1, math.ceil((right - left) / longest)) + 1)
            for ends in zip(edges[:-1], edges[1:], strict=True):
                boxes.append(box(frame, ends, (base - 1.0, base + rule.height), _STANDS))
    sills = plan.stones.taken(np.nonzero(plan.stones.role == SILL)[0])
    for ring in sills.corners[:, :4]:
        boxes.append(box(frame, ring[:2, 0], ring[1:3, 1], _STANDS))
    return boxes


def _reach(corner: Corner | None, rule: WallRule) -> float:
    """Metres behind a knot that its corner goes on."""
    return rule.half * math.tan(0.5 * abs(corner.turn)) + _STANDS if corner else 0.0


def _thick(s: Stones, rule: WallRule, span: Span) -> Float64:
    """(n,) metres of the wall at the top of each stone."""
    above = s.top - feet_of(span, rule, s.middle[:, 0])
    return np.asarray(rule.thickness - 2.0 * rule.batter * np.maximum(above, 0.0))


def _kept(span: Span, after: Span | None, rule: WallRule, levels: Levels) -> Keep | None:
    """How high it still stands; None where nothing has fallen."""
    if rule.ruin <= 0:
        return None
    count = max(1, round(span.length / _PATCH))
    seed = int(seed_for(rule.ruin_seed, "ruin"))
    index = np.arange(count + 1, dtype=np.uint64) + np.uint64(span.number << 32)
    index[-1] = np.uint64((after.number if after else span.number + 1) << 32)
    draw = uniform_array(seed, _RUIN, index)
    at = np.linspace(0.0, span.length, 8 * count + 1)
    x = at / span.length * count
    k = np.minimum(x.astype(np.int64), count - 1)
    t = x - k
    t = t * t * (3.0 - 2.0 * t)
    value = draw[k] + t * (draw[k + 1] - draw[k])
    lost = np.clip((value + 1.3 * rule.ruin - 1.0) / 0.55, 0.0, 1.0)
    base = np.array([levels.base(float(s)) for s in at])
    high = rule.height + rule.cope
    return at, base + np.where(lost > 0.0, high * (1.0 - lost), high + 1.0)


def _standing(stones: Stones, keep: Keep, plan: Plan) -> Bool:
    """(n,) which stones have not fallen."""
    middle = stones.middle
    high = np.interp(middle[:, 0], *keep)
    stands = middle[:, 1] <= high
    # what an arch or a lintel carried falls with it
    heads = (stones.role == LINTEL) | (stones.role == ARCH)
    for a, b, low in plan.heads:
        over = (middle[:, 1] >= low) & (middle[:, 0] > a) & (middle[:, 0] < b)
        if not stands[heads & over].all():
            stands &= ~over
    return np.asarray(stands | (stones.role == SILL))


def _corner(
    span: Span,
    after: Span,
    rule: WallRule,
    plan: Plan,
    behind: Plan,
    levels: Levels,
    keep: Keep | None,
) -> Quoins:
    """The stones at the corner that ends a span: of the courses that come to it from both sides."""
    begin = {c.row for c in behind.courses if c.stretches and c.stretches[0].start == 0.0}
    base = levels.base(span.length)
    high = math.inf if keep is None else float(keep[1][-1])
    courses: list[Bed] = []
    for c in plan.courses:
        comes = bool(c.stretches) and c.stretches[-1].end == span.length
        if comes and c.row in begin and 0.5 * (c.bottom + c.top) <= high:
            courses.append(Bed(c.row, c.bottom, c.top))
    alike = not levels.tops[-1][0].ends[1]  # else it goes on higher, or lower
    return quoins(span, after, rule, courses, alike and high > base + rule.height)


def mesh_of(piece: Piece, dress: Dress, skin: Skin, fill: Fill, detail: int = 0) -> Mesh | None:
    """The mesh of a piece at a level of detail, 0 to 2, parts `stone` and `fill`; None where nothing stands."""
    rule, span = piece.rule, piece.span
    frame = frame_of(span, rule.half, rule.batter, rule.steps > 0)
    meshes = []
    s = piece.stones
    if len(s):
        thick = _thick(s, rule, span)
        deep = np.where(s.side == THROUGH, thick, DEPTH * thick)
        bare = _bare(piece) & (s.side != THROUGH)
        deep[bare] = _MEET * thick[bare]
        # a straight stone in a bend comes nearer to the other face
        sag = 0.125 * s.wide**2 * span.bend
        deep = np.where(s.side == THROUGH, deep, np.maximum(deep - sag, 0.25 * deep))
        proud = np.zeros(len(s))
        for role, by in _PROUD.items():
            proud[s.role == role] = by
        plain = (s.role != FACE).astype(np.int64)
        blocks, _ = dressed(s, deep, proud, plain, dress, detail)
        position, normal, tangent = placed(blocks, frame)
        high = position[:, 1] - np.interp(blocks.points[:, 0], span.at, span.ground)
        meshes.append(skinned(blocks, position, normal, tangent, s.id, high, skin))
    if piece.quoins is not None and len(piece.quoins.ids):
        meshes.append(_quoined(piece.quoins, span, rule, dress, skin, detail))
    if not meshes:
        return None
    if piece.core:
        meshes.append(filled(piece.core, frame, fill, skin))
    return join(meshes)


def _bare(piece: Piece) -> Bool:
    """(n,) which stones may be seen from above, so that those of both faces must meet; not those near corners, which leave room for others."""
    rule, span, s = piece.rule, piece.span, piece.stones
    if rule.coping != "none" and not rule.ruin:
        return np.zeros(len(s), bool)
    near = 1.2 * rule.thickness
    x = s.middle[:, 0]
    corner = np.zeros(len(s), bool)
    if span.first is not None:
        corner |= x < near
    if span.last is not None:
        corner |= x > span.length - near
    return ~corner


def _quoined(q: Quoins, span: Span, rule: WallRule, dress: Dress, skin: Skin, detail: int) -> Mesh:
    """The stones at the corner that ends a span."""
    corner = span.last
    assert corner is not None
    s = outlines(q.rings, THROUGH, TIE, q.ids)
    deep = q.levels[:, 1] - q.levels[:, 0]
    # their beds are plain, with a joint between them
    bed = dress._replace(rough=0.0, proud=0.0)
    behind, even = np.full(len(s), -0.5 * dress.gap), np.ones(len(s), np.int64)
    b, _ = dressed(s, deep, behind, even, bed, detail)
    bottom, top = q.levels[b.stone].T
    upper = b.side > 0
    y = np.where(upper, top + b.out, bottom - b.out)
    x, z = b.points[:, 0], -b.points[:, 1]
    way, on = np.array(corner.before), np.array(corner.after)
    edge = np.array([-way[1] - on[1], way[0] + on[0]]) * corner.outer / (1.0 + float(way @ on))
    base = 0.0
    if not rule.steps:
        base = span.height(span.length)
        off = np.stack([x, z], axis=1) - corner.at
        y = (
            y
            + base
            + q.slopes[0] * np.minimum(0.0, off @ way)
            + q.slopes[1] * np.maximum(0.0, off @ on)
        )
    middle = 0.5 * (bottom + top)
    lean = rule.batter * (y - base - middle)
    position = np.stack([x - lean * edge[0], y, z - lean * edge[1]], axis=1)
    normal = np.stack([b.normal[:, 0], b.normal[:, 2] * b.side, -b.normal[:, 1]], axis=1)
    high = position[:, 1] - span.height(span.length)
    return skinned(b, position, normal, None, s.id, high, skin)


def collider_of(piece: Piece) -> Collider:
    """What a game collides with: boxes over all that stands, one for each stretch that is nearly straight."""
    frame = frame_of(piece.span, piece.rule.half, piece.rule.batter, piece.rule.steps > 0)
    return Collider((), tuple(boxed(frame, merged(piece.core))))
