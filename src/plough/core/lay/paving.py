"""Paving: stones laid flat along a way, row behind row across it.

A way is paved by itself, in whole rows; what is paved along a line of many knots is paved from knot to knot.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64
from plough.core.ground.surface import Sampled
from plough.core.kernels import kernel
from plough.core.lay.dressing import Blocks, Dress, dressed
from plough.core.lay.skin import Skin, skinned
from plough.core.lay.stones import FACE, MOST_CORNERS, RIGHT, Stones
from plough.core.mesh.value import Mesh
from plough.core.rng import seed_for, stream, symmetric_array, uniform_array

Pattern = Literal["flags", "setts", "cobbles"]
MOST_STONES = 4_000  #: of one way
_DEEP = 0.09  # metres of a stone
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
    seed = int(seed_for(rule.seed, "paving"))
    start, end = float(way.at[0]), float(way.at[-1])
    rows = max(1, round((end - start) / rule.size))
    inner = np.arange(1, rows).astype(np.uint64)
    off = 0.5 * laying.uneven * symmetric_array(seed, _ROW, inner)
    edges = start + (end - start) / rows * np.concatenate([[0.0], inner + off, [float(rows)]])
    half = np.interp(edges, way.at, way.half)
    few, most = laying.wide
    wide = few + (most - few) * uniform_array(seed, _WIDE, np.arange(rows).astype(np.uint64))
    corners, ids = [], []
    for r in range(rows):
        width = half[r] + half[r + 1]
        n = max(1, round(width / (rule.size * wide[r])))
        number = np.arange(1, n + 1).astype(np.uint64) + np.uint64(r << 16)
        off = 0.5 * laying.uneven * symmetric_array(seed, _CUT, number)
        cuts = np.arange(1, n + 1) + off - (0.5 if laying.bonded and r % 2 else 0.0)
        if not (laying.bonded and r % 2):
            cuts = cuts[:-1]
        u = np.concatenate([[-1.0], 2.0 * cuts / n - 1.0, [1.0]])
        a, b = u[:-1], u[1:]
        left, right = edges[r], edges[r + 1]
        corner = np.stack(
            [
                np.stack([np.full(len(a), left), a * half[r]], axis=1),
                np.stack([np.full(len(a), right), a * half[r + 1]], axis=1),
                np.stack([np.full(len(a), right), b * half[r + 1]], axis=1),
                np.stack([np.full(len(a), left), b * half[r]], axis=1),
            ],
            axis=1,
        )
        wide_enough = (b - a) * half[r] > _LEAST
        corners.append(corner[wide_enough])
        ids.append(np.nonzero(wide_enough)[0].astype(np.uint64) + np.uint64(r << 16))
    ring = np.concatenate(corners)
    n = len(ring)
    out = np.zeros((n, MOST_CORNERS, 2))
    out[:, :4] = ring
    four = np.full(n, 4)
    return Stones(out, four, np.full(n, RIGHT), np.full(n, FACE), np.concatenate(ids))


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
