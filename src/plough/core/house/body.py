"""The body of a building: storeys over each other, their faces, and the parts of a plan that have a roof."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.errors import ParameterError
from plough.core.house.kits import RoleName
from plough.core.house.plan import LEAST, Region, Ring, difference, moved, pulled, tidied
from plough.core.house.roof import (
    Piece,
    Roof,
    area_of,
    normals_of,
    roof_over,
    tapered,
    triangles_of,
)

BodyName = Literal["long", "ell", "tee", "court", "round", "drawn"]
RoofName = Literal["gable", "hip", "half", "shed", "mansard", "flat"]
MOST_STOREYS = 12
NARROW = 0.4  #: metres of a part of a plan that is only covered, not roofed
_BEGUN = ((-4.5, 2.7), (4.5, 2.7), (4.5, -2.7), (-4.5, -2.7))  # what is drawn at first
_LEAST_ROOM = 0.8  # metres of each edge of a storey that stands back
_ROUND = 14  # corners of a round body


class Wing(NamedTuple):
    """What is built on to an edge."""

    id: str
    edge: str
    at: float  #: of the edge's length, where its middle is
    wide: float  #: metres along the edge
    deep: float  #: metres out
    storeys: int


class Pull(NamedTuple):
    """A face that is pulled out, or pushed in."""

    edge: str
    storey: int
    out: float  #: metres


class Storey(NamedTuple):
    """One storey."""

    number: int
    low: float  #: metres up
    high: float
    ring: Ring


@dataclass(frozen=True, eq=False)
class FaceOf:
    """An upright face of a storey, seen from outside."""

    id: str
    edge: str
    storey: int
    role: RoleName
    origin: Float64  #: (3,) east, north and up of its lower left
    way: Float64  #: (2,) to the right, east and north
    out: Float64  #: (2,) outwards
    wide: float
    high: float


@dataclass(frozen=True, eq=False)
class Covered:
    """A part of a plan with nothing over it but a roof."""

    region: Region
    low: float  #: metres up, of the top of its walls
    storey: int  #: below it
    roof: Roof | None  #: over the walls, without eaves; None where it is flat
    eaves: Roof | None  #: with eaves: what is seen
    why: str = ""  #: why there is none, where one was asked for


def outline(
    body: BodyName, long: float, wide: float, wing: float, drawn: Sequence[tuple[float, float]]
) -> Ring:
    """The plan of a ready body, or one that is drawn: east and south of each corner; its middle at 0.

    Args:
        wing: metres that a wing is wide.

    Raises:
        ParameterError: what is drawn crosses itself or is too small.
    """
    x, y = 0.5 * long, 0.5 * wide
    corners: Any
    if body == "drawn":
        drawn = drawn or _BEGUN
        corners = np.array(drawn, np.float64).reshape(-1, 2) * [1.0, -1.0]
        if len(corners) >= 3 and area_of(corners) < 0:
            corners = corners[::-1]
    elif body == "ell":
        w = min(wing, 0.9 * long)
        corners = [[-x, -y], [x, -y], [x, y], [-x + w, y], [-x + w, y + wing], [-x, y + wing]]
    elif body == "tee":
        w = 0.5 * min(wing, 0.9 * long)
        corners = [
            [-x, -y],
            [x, -y],
            [x, y],
            [w, y],
            [w, y + wing],
            [-w, y + wing],
            [-w, y],
            [-x, y],
        ]
    elif body == "court":
        w = min(wing, 0.45 * long)
        corners = [
            [-x, -y],
            [x, -y],
            [x, y + wing],
            [x - w, y + wing],
            [x - w, y],
            [-x + w, y],
            [-x + w, y + wing],
            [-x, y + wing],
        ]
    elif body == "round":
        turn = (
            2 * math.pi * (np.arange(_ROUND) + 0.5) / _ROUND - 0.5 * math.pi - 2 * math.pi / _ROUND
        )
        corners = np.stack([x * np.cos(turn), x * np.sin(turn)], axis=1)
    else:
        corners = [[-x, -y], [x, -y], [x, y], [-x, y]]
    made = np.array(corners, np.float64).reshape(-1, 2)
    ring = Ring(made, tuple(f"w{k}" for k in range(len(made))))
    if len(made) < 3 or not ring.sound:
        raise ParameterError(
            "corners", "cross each other, or enclose less than a quarter of a square metre"
        )
    return ring


def storeys_of(
    base: Ring,
    low: float,
    heights: Sequence[float],
    wings: Sequence[Wing],
    pulls: Sequence[Pull],
    setback: float,
    from_storey: int,
) -> list[Storey]:
    """The storeys of a building, the lowest first.

    Args:
        setback: metres that storeys from `from_storey` on stand back behind the one below, each, as far as there is room; below 0 they stand out.

    Raises:
        ParameterError: a wing or a pulled face would cut the plan.
    """
    out = []
    plain = base
    for k, high in enumerate(heights):
        if k >= from_storey and abs(setback) >= LEAST:
            back = setback * (k - from_storey + 1)
            found = moved(base, dict.fromkeys(base.names, -back).__getitem__)
            if found.sound and (found.lengths > _LEAST_ROOM).all():
                plain = found
        ring = plain
        for n, wing in enumerate(wings):
            if k >= wing.storeys:
                continue
            row = ring.edge(wing.edge)
            if row < 0:
                raise ParameterError(
                    f"wings.{n}.edge",
                    f"there is no edge {wing.edge}; edges are {', '.join(ring.names)}",
                    value=wing.edge,
                )
            long = float(ring.lengths[row])
            wide = min(wing.wide, long)
            start = min(max(0.0, wing.at * long - 0.5 * wide), long - wide)
            ring = pulled(ring, row, (start, start + wide), wing.deep, wing.id)
            if not ring.sound:
                raise ParameterError(
                    f"wings.{n}", "would cut another part of the plan: make it less deep or move it"
                )
        for pull in pulls:
            row = ring.edge(pull.edge)
            if pull.storey != k or row < 0 or abs(pull.out) < LEAST:
                continue
            long = float(ring.lengths[row])
            found = tidied(pulled(ring, row, (0.0, long), pull.out))
            if not found.sound:
                raise ParameterError(
                    "faces", f"{pull.edge}-{k} cannot be pulled so far: the plan would cross itself"
                )
            ring = found
        out.append(Storey(k, low, low + high, ring))
        low += high
    return out


def faces_of(storeys: Sequence[Storey]) -> list[FaceOf]:
    """All upright faces, storey by storey, in the order of their edges."""
    out = []
    for s in storeys:
        for k, name in enumerate(s.ring.names):
            a, b = s.ring.ends(k)
            wide = math.hypot(*(b - a))
            if wide < 1e-3:
                continue
            way = (b - a) / wide
            role: RoleName = "upper" if s.number else ("front" if name == "w0" else "lower")
            out.append(
                FaceOf(
                    f"{name}-{s.number}",
                    name,
                    s.number,
                    role,
                    np.array([*a, s.low]),
                    way,
                    np.array([way[1], -way[0]]),
                    wide,
                    s.high - s.low,
                )
            )
    return out


class RoofRule(NamedTuple):
    """How roofs are made; metres, radians."""

    form: RoofName
    pitch: float
    overhang: float
    verge: float  #: how far it stands out over gables


def covered_of(storeys: Sequence[Storey], rule: RoofRule) -> Sequence[Covered]:
    """What of each storey has nothing over it, with its roof; kept for as long as plan, heights and rule are the same."""
    return _covered(tuple(map(_told, storeys)), rule)


_Told = tuple[int, float, float, tuple[str, ...], bytes]
"""A storey by its values: those that are the same are equal."""


def _told(s: Storey) -> _Told:
    return s.number, s.low, s.high, s.ring.names, s.ring.corners.tobytes()


def _meant(told: _Told) -> Storey:
    number, low, high, names, corners = told
    return Storey(number, low, high, Ring(np.frombuffer(corners).reshape(-1, 2), names))


def blocks_of(storey: Storey) -> tuple[Float32, ...]:
    """Convex bodies (n, 3) that fill a storey, in the axes of meshes; the lowest reaches down to the ground."""
    return _blocks(_told(storey))


@lru_cache(maxsize=256)
def _blocks(told: _Told) -> tuple[Float32, ...]:
    s = _meant(told)
    corners = s.ring.corners
    way = np.roll(corners, -1, axis=0) - corners
    after = np.roll(way, -1, axis=0)
    bend = way[:, 0] * after[:, 1] - way[:, 1] * after[:, 0]
    rows = [np.arange(len(corners))]
    if (bend < -1e-9).any():
        rows = list(triangles_of(corners, rows))
    pieces = []
    for r in rows:
        flat = np.concatenate([corners[r], corners[r]])
        up = np.repeat([0.0 if s.number == 0 else s.low, s.high], len(r))
        pieces.append(np.column_stack([flat[:, 0], up, -flat[:, 1]]).astype(np.float32))
    return tuple(pieces)


@lru_cache(maxsize=64)
def _covered(told: tuple[_Told, ...], rule: RoofRule) -> tuple[Covered, ...]:
    storeys = list(map(_meant, told))
    out = []
    for k, s in enumerate(storeys):
        over = storeys[k + 1].ring if k + 1 < len(storeys) else None
        if over is not None and np.array_equal(over.corners, s.ring.corners):
            continue
        for region in difference(s.ring, over):
            out.append(_roofed(region, s, rule, over is None))
    return tuple(out)


def _roofed(region: Region, s: Storey, rule: RoofRule, top: bool) -> Covered:
    from shapely import Polygon

    whole = Polygon(region.rings[0], region.rings[1:])
    narrow = whole.buffer(-0.5 * NARROW).is_empty
    if rule.form == "flat" or narrow:
        return Covered(region, s.high, s.number, None, None)
    slopes = _slopes(region, rule, top)
    made = roof_over(region.rings, slopes)
    if isinstance(made, str) and rule.form != "hip":
        return _roofed(region, s, rule._replace(form="hip"), top)
    if isinstance(made, str):
        return Covered(region, s.high, s.number, None, None, made)
    overhang = rule.overhang
    while overhang > 0.02:
        found = _eaves(region, slopes, rule._replace(overhang=overhang))
        if found is not None:
            return Covered(region, s.high, s.number, made, found)
        overhang *= 0.5
    return Covered(region, s.high, s.number, made, made)


def _slopes(region: Region, rule: RoofRule, top: bool) -> list[list[Piece]]:
    """What each edge of a part of a plan carries; against walls nothing slopes."""
    speed = 1.0 / math.tan(rule.pitch)
    ends = tapered(region.rings)
    longs = np.concatenate([normals_of(r)[1] for r in region.rings])
    free = [bool(n) for n in region.names]
    upright = [Piece(0.0, 0.0)]
    plain = [Piece(0.0, speed)]
    if not top or not all(free):
        # against a wall it leans
        return [plain if own and not end else upright for own, end in zip(free, ends, strict=True)]
    if rule.form == "gable":
        return [upright if end else plain for end in ends]
    if rule.form == "half":
        return [
            [Piece(0.0, 0.0), Piece(0.22 * float(long) / speed, speed)] if end else plain
            for end, long in zip(ends, longs, strict=True)
        ]
    if rule.form == "shed":
        low = int(np.argmax(longs[: len(region.rings[0])]))
        return [plain if k == low else upright for k in range(len(longs))]
    if rule.form == "mansard":
        steep = min(0.35, 0.5 * speed)
        return [[Piece(0.0, steep), Piece(1.9, speed * 1.4)]] * len(longs)
    return [plain] * len(longs)


def _eaves(region: Region, slopes: list[list[Piece]], rule: RoofRule) -> Roof | None:
    """The roof with its eaves: edges that slope go on downwards, gables stand out, and what leans on a wall stays there."""
    first = [s[0].speed for s in slopes]
    speed = max(first)
    drop = rule.overhang / speed
    rings, k = [], 0
    shifted = []
    for ring in region.rings:
        names = tuple(str(k + j) for j in range(len(ring)))
        by = {
            name: (
                first[k + j] * drop if first[k + j] else rule.verge if region.names[k + j] else 0.0
            )
            for j, name in enumerate(names)
        }
        made = moved(Ring(ring, names), by.__getitem__)
        if (
            np.einsum(
                "ij,ij->i", np.roll(made.corners, -1, 0) - made.corners, np.roll(ring, -1, 0) - ring
            ).min()
            <= 0
        ):
            return None  # an edge has turned over
        shifted.append(made)
        rings.append(made.corners)
        k += len(ring)
    if not all(r.sound for r in shifted[:1]):
        return None
    pieces = [
        [p._replace(begins=p.begins + drop if j else 0.0) for j, p in enumerate(s)] for s in slopes
    ]
    made_ = roof_over(rings, pieces, low=-drop)
    return None if isinstance(made_, str) else made_
