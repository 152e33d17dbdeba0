"""Paving: stones laid flat along a way, row behind row across it.

A way is paved by itself, in whole rows; what is paved along a line of many knots is paved from knot to knot.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.ground.surface import Sampled
from plough.core.kernels import kernel
from plough.core.lay.beams import Wear, beamed, between, joined_beams
from plough.core.lay.dressing import Blocks, Dress, dressed
from plough.core.lay.skin import Skin, skinned
from plough.core.lay.stones import FACE, MOST_CORNERS, RIGHT, Stones
from plough.core.mesh.value import Mesh
from plough.core.rng import seed_for, stream, symmetric, symmetric_array, uniform_array

Pattern = Literal["flags", "setts", "cobbles"]
MOST_STONES = 4_000  #: of one way
_DEEP = 0.09  # metres of a stone
KERB = 0.16  #: metres that kerbs are wide
_KERB_LONG, _KERB_DEEP, _KERB_STANDS = 0.9, 0.3, 0.07  # metres
_LEAST = 0.05  # metres of one
_ROW, _WIDE, _CUT = (stream(f"paving.{n}") for n in ("row", "wide", "cut"))


class Way(NamedTuple):
    """A line on the map to pave."""

    at: Float64  #: (n,) metres along it, ascending
    line: Float64  #: (n, 2)
    right: Float64  #: (n, 2) unit directions to its right
    half: Float64  #: (n,) metres to either side


class Paving(NamedTuple):
    """How a way is paved; lengths in metres."""

    seed: int
    pattern: Pattern
    size: float  #: of stones along the way
    gap: float  #: of joints
    stands: float  #: above the ground at its sides
    crown: float  #: by which its middle is higher


class Laying(NamedTuple):
    """What a pattern is."""

    wide: tuple[float, float]  #: stones by their size along the way, from and to
    uneven: float  #: rows and joints, by half of one
    bonded: bool  #: every second row begins with half a stone
    rounding: float
    rough: float
    bevel: float  #: by the size of stones


PATTERNS: dict[Pattern, Laying] = {
    "flags": Laying((0.7, 1.9), 0.35, False, 0.25, 0.10, 0.02),
    "setts": Laying((1.5, 1.5), 0.06, True, 0.35, 0.25, 0.10),
    "cobbles": Laying((0.9, 1.4), 0.30, True, 1.0, 0.55, 0.22),
}
SIZES: dict[Pattern, float] = {"flags": 0.55, "setts": 0.13, "cobbles": 0.15}
"""Metres along the way, as a rule."""


def way_of(line: Float64, half: Float64) -> Way:
    """The way along a line (n, 2), so wide to either side (n,)."""
    step = np.gradient(line, axis=0)
    step /= np.maximum(np.hypot(*step.T), 1e-12)[:, None]
    at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    return Way(at, line, np.stack([-step[:, 1], step[:, 0]], axis=1), half)


def many_of(way: Way, rule: Paving) -> float:
    """About how many stones a way takes."""
    wide = rule.size * float(np.mean(PATTERNS[rule.pattern].wide))
    return float(way.at[-1] - way.at[0]) * 2.0 * float(way.half.mean()) / (rule.size * wide)


def paved(way: Way, rule: Paving) -> Stones:
    """The stones of a way: outlines by metres along it and to its left."""
    laying = PATTERNS[rule.pattern]
    seed = seed_for(rule.seed, "paving")
    start, end = float(way.at[0]), float(way.at[-1])
    rows = max(1, round((end - start) / rule.size))
    inner = np.arange(1, rows).astype(np.uint64)
    off = 0.5 * laying.uneven * symmetric_array(int(seed), _ROW, inner)
    edges = start + (end - start) / rows * np.concatenate([[0.0], inner + off, [float(rows)]])
    half = np.interp(edges, way.at, way.half)
    few, most = laying.wide
    wide = few + (most - few) * uniform_array(int(seed), _WIDE, np.arange(rows).astype(np.uint64))
    many = np.maximum(1, np.rint((half[1:] + half[:-1]) / (rule.size * wide))).astype(np.int64)
    corners, ids = _rows(edges, half, many, seed, laying.uneven, laying.bonded)
    n = len(ids)
    four = np.full(n, 4)
    return Stones(corners, four, np.full(n, RIGHT), np.full(n, FACE), ids)


@kernel
def _rows(
    edges: Float64, half: Float64, many: Int64, seed: np.uint64, uneven: float, bonded: bool
) -> tuple[Float64, UInt64]:
    """Outlines (n, MOST_CORNERS, 2) and ids of the stones of rows between edges, so many to a row; those too narrow are left out."""
    total = int(many.sum()) + (many.shape[0] if bonded else 0)
    corners, ids = np.zeros((total, MOST_CORNERS, 2)), np.empty(total, np.uint64)
    count = 0
    for r in range(many.shape[0]):
        n = many[r]
        shifted = bonded and r % 2 == 1
        pieces = n + 1 if shifted else n
        a = -1.0
        for k in range(pieces):
            b = 1.0
            if k < pieces - 1:
                number = np.uint64((r << 16) + k + 1)
                cut = k + 1.0 + 0.5 * uneven * symmetric(seed, _CUT, number)
                b = 2.0 * (cut - (0.5 if shifted else 0.0)) / n - 1.0
            if (b - a) * half[r] > _LEAST:
                ring = corners[count]
                ring[0, 0], ring[0, 1] = edges[r], a * half[r]
                ring[1, 0], ring[1, 1] = edges[r + 1], a * half[r + 1]
                ring[2, 0], ring[2, 1] = edges[r + 1], b * half[r + 1]
                ring[3, 0], ring[3, 1] = edges[r], b * half[r]
                ids[count] = np.uint64((r << 16) + k)
                count += 1
            a = b
    return corners[:count].copy(), ids[:count].copy()


@kernel
def _on_map(way: Way, points: Float64) -> Float64:
    """(n, 2) east and south of places along a way and to its left."""
    out = np.empty((points.shape[0], 2))
    for n in range(points.shape[0]):
        s = points[n, 0]
        k = min(max(np.searchsorted(way.at, s) - 1, 0), way.at.shape[0] - 2)
        t = (s - way.at[k]) / (way.at[k + 1] - way.at[k])
        for c in range(2):
            right = way.right[k, c] + t * (way.right[k + 1, c] - way.right[k, c])
            here = way.line[k, c] + t * (way.line[k + 1, c] - way.line[k, c])
            out[n, c] = here - points[n, 1] * right
    return out


def outlines_on_map(way: Way, stones: Stones) -> Float64:
    """(n, 4, 2) east and south of the corners of a way's stones."""
    corners = np.ascontiguousarray(stones.corners[:, :4].reshape(-1, 2))
    return np.asarray(_on_map(way, corners).reshape(-1, 4, 2))


@kernel
def _flat(
    b: Blocks, way: Way, places: Float64, height: Float64, stands: float
) -> tuple[Float64, Float64]:
    """(v, 3) positions and (v, 3) normals of stones that each lie in a plane over the ground.

    Args:
        places: (v, 2) east and south.
        height: (n, 3) of the ground at each stone's middle, and by how much it rises to the east and to the south.
    """
    n = b.points.shape[0]
    position, normal = np.empty((n, 3)), np.empty((n, 3))
    for v in range(n):
        k = b.stone[v]
        position[v, 0], position[v, 2] = places[v, 0], places[v, 1]
        east, south = height[k, 1], height[k, 2]
        position[v, 1] = height[k, 0] + east * places[v, 0] + south * places[v, 1]
        position[v, 1] += stands + b.out[v]
        i = min(max(np.searchsorted(way.at, b.points[v, 0]) - 1, 0), way.at.shape[0] - 2)
        rx, rz = way.right[i, 0], way.right[i, 1]
        x = b.normal[v, 0] * rz - b.normal[v, 1] * rx
        z = -b.normal[v, 0] * rx - b.normal[v, 1] * rz
        y = b.normal[v, 2]
        x, z = x - east * y, z - south * y
        long = (x * x + y * y + z * z) ** 0.5
        normal[v, 0], normal[v, 1], normal[v, 2] = x / long, y / long, z / long
    return position, normal


def paving_mesh(
    way: Way,
    stones: Stones,
    rule: Paving,
    ground: Sampled,
    skin: Skin,
    detail: int = 0,
) -> Mesh:
    """The mesh of a way's stones, one at least, in one part `stone`, each flat on the ground beneath it; `detail` is that of `dressed`."""
    laying, size = PATTERNS[rule.pattern], rule.size
    dress = Dress(
        seed_for(rule.seed, "dress"),
        rule.gap,
        laying.rounding,
        laying.rough,
        0.006 * laying.rough,
        laying.bevel * size,
    )
    deep, proud = np.full(len(stones), _DEEP), np.zeros(len(stones))
    plain = np.zeros(len(stones), np.int64)
    blocks, _ = dressed(stones, deep, proud, plain, dress, detail)
    corners = outlines_on_map(way, stones)
    x, z = corners.reshape(-1, 2).T
    along, left = stones.corners[:, :4].reshape(-1, 2).T
    off = left / np.interp(along, way.at, way.half)
    high = ground.sample(x, z).position[:, 1] + rule.crown * (1.0 - off**2)
    planes = _planes(corners, high.reshape(-1, 4))
    places = _on_map(way, blocks.points)
    position, normal = _flat(blocks, way, places, planes, rule.stands)
    above = np.full(len(position), 1.0)
    return skinned(blocks, position, normal, None, stones.id, above, skin)


def kerb_mesh(way: Way, rule: Paving, ground: Sampled, skin: Skin, detail: int = 0) -> Mesh:
    """The mesh of the kerbs along both borders of a way, part `stone`: `KERB` wide, within its width."""
    parts = []
    for side in (1, -1):
        edge = way.line + (side * (way.half - 0.5 * KERB))[:, None] * way.right
        at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(edge, axis=0).T))])
        many = max(1, round(float(at[-1]) / _KERB_LONG))
        s = np.linspace(0.0, float(at[-1]), many + 1)
        x, z = (np.interp(s, at, edge[:, c]) for c in range(2))
        y = ground.sample(x, z).position[:, 1] + rule.stands + _KERB_STANDS - 0.5 * _KERB_DEEP
        ends = np.stack([x, y, z], axis=1)
        gap = 0.5 * rule.gap / np.maximum(np.diff(s), 1e-9)[:, None]
        a, b = ends[:-1] + gap * np.diff(ends, axis=0), ends[1:] - gap * np.diff(ends, axis=0)
        ids = stream(f"kerb {side}") ^ np.uint64(rule.seed & (2**64 - 1))
        parts.append(between(a, b, _KERB_DEEP, KERB, ids + np.arange(many).astype(np.uint64)))
    beams = joined_beams(parts)
    wear = Wear(seed_for(rule.seed, "kerb"), 0.0 if detail else 0.012, 0.0)
    return beamed(beams, wear, skin, beams.middle[:, 1] - 1.0, "stone")


def _planes(corners: Float64, height: Float64) -> Float64:
    """(n, 3) the planes nearest to the heights (n, 4) of corners (n, 4, 2): at the map's middle, and to the east and to the south."""
    middle = corners.mean(axis=1, keepdims=True)
    off = corners - middle
    square = np.einsum("nki,nkj->nij", off, off) + 1e-9 * np.eye(2)
    rise = np.linalg.solve(square, np.einsum("nki,nk->ni", off, height)[..., None])[..., 0]
    at = height.mean(axis=1) - np.einsum("ni,ni->n", rise, middle[:, 0])
    return np.column_stack([at, rise])


def without(way: Way, stones: Stones, taken: Sequence[object]) -> Stones:
    """The stones of a way that stand in none of some polygons of the map."""
    from shapely import STRtree, polygons

    if not taken or not len(stones):
        return stones
    keep: Bool = np.ones(len(stones), bool)
    shapes = polygons(outlines_on_map(way, stones))
    hit, _ = STRtree(list(taken)).query(shapes, predicate="intersects")
    keep[hit] = False
    return stones.taken(np.nonzero(keep)[0])
