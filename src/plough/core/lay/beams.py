"""Beams and blocks: boxes with worn edges that lie anyhow, closed, each with a tone of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.lay.dressing import Blocks
from plough.core.lay.skin import Skin, skinned
from plough.core.mesh.value import Mesh
from plough.core.rng import stream, uniform

_CHIP, _PLACE, _BACK = (stream(f"brick.{n}") for n in ("chip", "place", "back"))

# Faces: the axis that each is square to, its sense, and its axes to the right and up, seen from outside.
_FACES = np.array(
    [
        [2, 1, 0, 1, 1, 1],
        [0, 1, 2, -1, 1, 1],
        [2, -1, 0, -1, 1, 1],
        [0, -1, 2, 1, 1, 1],
        [1, 1, 0, 1, 2, -1],
        [1, -1, 0, 1, 2, 1],
    ],
    np.int64,
)


@dataclass(frozen=True, eq=False)
class Beams:
    """Boxes, in the scene's coordinates."""

    middle: Float64  #: (n, 3) metres
    axes: Float64  #: (n, 3, 3) unit directions of their length, height and width, right-handed
    size: Float64  #: (n, 3) metres long, high, wide
    id: UInt64  #: (n,) the same as long as it is the same one

    def __len__(self) -> int:
        return len(self.id)

    def boxes(self) -> list[Float32]:
        """(8, 3) metres each: their corners."""
        signs = np.array([(x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)])
        half = 0.5 * self.size[:, None] * signs
        return list((self.middle[:, None] + half @ self.axes).astype(np.float32))


def upright(middle: Float64, turn: Float64, size: Float64, ids: UInt64) -> Beams:
    """Boxes that stand upright, turned (n,) radians clockwise seen from above."""
    c, s, none = np.cos(turn), np.sin(turn), np.zeros(len(turn))
    axes = np.stack([c, none, s, none, none + 1.0, none, -s, none, c], axis=1)
    return Beams(middle, axes.reshape(-1, 3, 3), size, ids)


def between(a: Float64, b: Float64, high: float, wide: float, ids: UInt64) -> Beams:
    """Beams from places (n, 3) to others, their width level; those that stand upright are as wide along the map's south."""
    way = b - a
    long = np.linalg.norm(way, axis=1)
    along = way / np.maximum(long, 1e-9)[:, None]
    steep = np.hypot(along[:, 0], along[:, 2]) < 1e-6
    across = np.stack([-along[:, 2], np.zeros(len(a)), along[:, 0]], axis=1)
    across[steep] = (0.0, 0.0, 1.0)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    axes = np.stack([along, np.cross(across, along), across], axis=1)
    size = np.column_stack([long, np.full(len(a), high), np.full(len(a), wide)])
    return Beams(0.5 * (a + b), axes, size, ids)


def upright_beams(
    foot: Float64, top: Float64, turn: Float64, section: tuple[float, float], ids: UInt64
) -> Beams:
    """Beams from feet (n, 3) to tops that stand more or less upright, so wide along a direction on the map (n,) and across it."""
    way = top - foot
    long = np.linalg.norm(way, axis=1)
    up = way / np.maximum(long, 1e-9)[:, None]
    along = np.column_stack([np.cos(turn), np.zeros(len(turn)), np.sin(turn)])
    across = np.cross(along, up)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    axes = np.stack([up, np.cross(across, up), across], axis=1)
    size = np.column_stack([long, np.full(len(long), section[0]), np.full(len(long), section[1])])
    return Beams(0.5 * (foot + top), axes, size, ids)


def joined_beams(parts: Sequence[Beams]) -> Beams:
    """All of several."""
    columns = ("middle", "axes", "size", "id")
    return Beams(*(np.concatenate([getattr(p, c) for p in parts]) for c in columns))


class Wear(NamedTuple):
    """How boxes are worn; metres."""

    seed: np.uint64
    edge: float  #: by which edges are taken off; 0: sharp
    uneven: float  #: by which corners lie behind those of a true block, at most


def _topology(worn: bool) -> Int64:
    """(t, 3) triangles of a block over its 24 vertices: four to a face, in the order of `_FACES`."""
    faces = [[4 * f + k for k in (0, 1, 2, 0, 2, 3)] for f in range(6)]
    out = [f[i : i + 3] for f in faces for i in (0, 3)]
    if worn:
        where = {}  # (face, corner of the block) -> vertex
        for f in range(6):
            for k in range(4):
                where[f, _corner(f, k)] = 4 * f + k
        corners = sorted({c for _, c in where})
        for c in corners:
            out.append(_outward([where[f, c] for f in range(6) if (f, c) in where], [c]))
        for i, a in enumerate(corners):
            for b in corners[i + 1 :]:
                if sum(x != y for x, y in zip(a, b, strict=True)) != 1:
                    continue
                p, q = [f for f in range(6) if (f, a) in where and (f, b) in where]
                quad = [where[p, a], where[p, b], where[q, b], where[q, a]]
                first = _outward(quad[:3], [a, b])
                quad = quad if first == quad[:3] else quad[::-1]
                out += [[quad[0], quad[1], quad[2]], [quad[0], quad[2], quad[3]]]
    return np.array(out, np.int64)


def _corner(face: int, k: int) -> tuple[int, int, int]:
    """The corner of a block (its senses along its axes) by which a vertex lies."""
    axis, sense, right, r, up, u = (int(x) for x in _FACES[face])
    at = [0, 0, 0]
    at[axis] = sense
    at[right] = r * (1 if k in (1, 2) else -1)
    at[up] = u * (1 if k in (2, 3) else -1)
    return (at[0], at[1], at[2])


def _outward(vertices: list[int], at: list[tuple[int, int, int]]) -> list[int]:
    """Three vertices in the order in which they are seen from outside, near corners of the block."""
    places = []
    for v in vertices:
        face, corner = v // 4, np.array(_corner(v // 4, v % 4), float)
        inner = 0.8 * corner
        inner[_FACES[face, 0]] = corner[_FACES[face, 0]]
        places.append(inner)
    normal = np.cross(places[1] - places[0], places[2] - places[0])
    out = np.mean(at, axis=0)
    return vertices if normal @ out > 0 else vertices[::-1]


_SHARP, _WORN = _topology(False), _topology(True)


@kernel
def _vertices(
    middle: Float64,
    axes: Float64,
    size: Float64,
    ids: UInt64,
    wear: Wear,
    faces: Int64,
    runs_up: bool,
) -> tuple[Float64, Float64, Float64, Float64, Float64, Float64]:
    n = size.shape[0]
    place, normal, tangent = np.empty((24 * n, 3)), np.empty((24 * n, 3)), np.empty((24 * n, 4))
    flat, shade, edge = np.empty((24 * n, 2)), np.empty(24 * n), np.empty(24 * n)
    half, local = np.empty(3), np.empty(3)
    for b in range(n):
        own = axes[b]
        for a in range(3):
            half[a] = 0.5 * size[b, a]
        least = half.min()
        fx = 3.0 * uniform(wear.seed, _PLACE, ids[b])
        fy = 3.0 * uniform(wear.seed, _PLACE, ids[b] + np.uint64(1))
        for f in range(6):
            axis, right, up = faces[f, 0], faces[f, 2], faces[f, 4]
            for k in range(4):
                r = faces[f, 3] * (1.0 if 0 < k < 3 else -1.0)
                u = faces[f, 5] * (1.0 if k >= 2 else -1.0)
                local[axis], local[right], local[up] = faces[f, 1], r, u
                # the corner of the block, 0 to 7
                corner = np.uint64((local[0] > 0) * 1 + (local[1] > 0) * 2 + (local[2] > 0) * 4)
                chip = uniform(wear.seed, _CHIP, ids[b] + corner)
                off = min(wear.edge * (0.5 + 1.3 * chip * chip), 0.35 * least)
                for a in range(3):
                    back = wear.uneven * uniform(
                        wear.seed, _BACK, ids[b] + np.uint64(8 * a) + corner
                    )
                    back = min(back, 0.2 * half[a])
                    local[a] *= half[a] - back - (0.0 if a == axis else off)
                v = 24 * b + 4 * f + k
                sense = float(faces[f, 1])
                for a in range(3):
                    place[v, a] = (
                        middle[b, a]
                        + own[0, a] * local[0]
                        + own[1, a] * local[1]
                        + own[2, a] * local[2]
                    )
                    normal[v, a] = sense * own[axis, a]
                # unfolded about its right face, so that the texture runs over the edges that are seen
                if axis == 2:
                    x = local[0] if sense > 0 else 2.0 * half[0] + 2.0 * half[2] - local[0]
                    y = -local[1]
                elif axis == 0:
                    x = sense * half[0] + sense * (half[2] - local[2])
                    y = -local[1]
                else:
                    x = local[0]
                    y = -sense * (half[1] + half[2] - local[2])
                # along which of its axes, and in which sense, the texture's width runs
                along, towards = (0, sense if axis == 2 else 1.0) if axis else (2, -sense)
                if runs_up:
                    x, y = y, x
                    along, towards = (2, sense) if axis == 1 else (1, -1.0)
                for a in range(3):
                    tangent[v, a] = towards * own[along, a]
                tangent[v, 3] = -1.0 if runs_up else 1.0
                flat[v, 0], flat[v, 1] = fx + x, fy + y
                shade[v] = 0.8 if axis == 2 else 0.45
                edge[v] = min(1.0, off / 0.006) if wear.edge > 0.0 else 0.0
    return place, normal, tangent, flat, shade, edge


def beamed(
    beams: Beams, wear: Wear, skin: Skin, ground: Float64, slot: str, runs_up: bool = False
) -> Mesh:
    """The mesh of boxes in one part: 44 triangles each, or 12 where edges are sharp.

    Args:
        ground: (n,) metres of the ground beneath each.
        slot: of their material.
        runs_up: whether their length lies along the texture's height, as grain does.
    """
    n = len(beams)
    own = _WORN if wear.edge > 0 else _SHARP
    place, normal, tangent, flat, shade, edge = _vertices(
        beams.middle, beams.axes, beams.size, beams.id, wear, _FACES, runs_up
    )
    triangles = (own[None] + 24 * np.arange(n)[:, None, None]).reshape(-1, 3)
    owner = np.repeat(np.arange(n), 24)
    none = np.empty((0, 2))
    blocks = Blocks(none, owner, shade, normal, flat, shade, edge, owner, triangles)
    high = place[:, 1] - np.repeat(ground, 24)
    return skinned(blocks, place, normal, tangent, beams.id, high, skin, slot)
