"""What has fallen from a wall: some of its stones on the ground at its foot, none in another, nor in the wall."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.ground.surface import Surface
from plough.core.lay.dressing import Blocks, Dress, dressed
from plough.core.lay.on_wall import frame_of, place
from plough.core.lay.run import Span
from plough.core.lay.skin import Skin, skinned
from plough.core.lay.stones import DEPTH, THROUGH, Stones
from plough.core.mesh.value import Mesh, chosen
from plough.core.place.apart import push_apart
from plough.core.place.bodies import Body, Shapes
from plough.core.place.placements import Placements
from plough.core.rng import stream, symmetric_array, uniform_array

_SIDE, _FAR, _YAW, _ROLL, _TIP, _STAYS = (
    stream(f"fallen.{n}") for n in ("side", "far", "yaw", "roll", "tip", "stays")
)
_NEAR, _SPREAD, _THROWN = 0.2, 0.35, 0.4  # metres from the face; more for each metre that it fell
_SUNK = 0.12  # of its height that a stone lies in the ground
_HIGH = 0.2  # metres above the ground that their skin is that of
_ROUNDS = 120  # of pushing them apart
_FLAT = 0.8  # share that lies as it lay in its course, or upside down
_TIPPED = math.radians(9)


@dataclass(frozen=True, eq=False)
class Lost:
    """Stones of a span that have fallen."""

    span: Span
    stones: Stones
    thick: Float64  #: (n,) metres of the wall where each was
    drop: Float64  #: (n,) metres that each was above the ground
    beside: list[Float32]  #: boxes, each (k, 3) metres, that they lie beside


def lying(lost: Lost, dress: Dress, seed: int, share: float) -> Lost:
    """Those of them that still lie there; a greater share has all of a lesser one. Of some nothing is left once they are dressed."""
    s = lost.stones
    _, about = dressed(s, lost.thick, np.zeros(len(s)), np.zeros(len(s), np.int64), dress)
    rows = np.nonzero((uniform_array(seed, _STAYS, s.id) < share) & (about > 0))[0]
    return replace(lost, stones=s.taken(rows), thick=lost.thick[rows], drop=lost.drop[rows])


def fallen(
    lost: Sequence[Lost],
    half: float,
    surface: Surface,
    dress: Dress,
    skin: Skin,
    seed: int,
    check: Callable[[], None] = lambda: None,
) -> list[Mesh | None]:
    """A mesh for the stones of each span that lie on the ground.

    Args:
        half: metres from the middle of the wall to its face.
    """
    made = [_loose(one, dress) for one in lost]
    bodies = [
        [Body(points[blocks.stone == k])]
        for one, (blocks, points, _) in zip(lost, made, strict=True)
        for k in range(len(one.stones))
    ]
    if not bodies:
        return [None] * len(lost)
    ids = np.concatenate([one.stones.id for one in lost])
    at = np.concatenate([_thrown(one, half, seed) for one in lost])
    turn = _turns(seed, ids)
    walls = [box for one in lost for box in one.beside]
    n, m = len(ids), len(walls)
    shapes = Shapes.of([*bodies, *([Body(w.astype(np.float64))] for w in walls)])
    low = np.array([_lowest(b[0].points, q) for b, q in zip(bodies, turn, strict=True)])

    def height(off: Float64) -> Float64:
        x, z = (np.ascontiguousarray(c) for c in (at + off[:n]).T)
        found = surface.sample(x, z)
        return np.where(found.hit, found.position[:, 1], 0.0)

    ground = height(np.zeros((n, 2)))
    position = np.stack([at[:, 0], ground - low[:, 0] - _SUNK * low[:, 1], at[:, 1]], axis=1)
    placed = Placements(
        np.concatenate([ids, np.arange(m, dtype=np.uint64)]),
        np.arange(n + m, dtype=np.uint32),
        np.concatenate([position, np.zeros((m, 3))]).astype(np.float32),
        np.concatenate([turn, np.tile([0.0, 0, 0, 1], (m, 1))]).astype(np.float32),
        np.ones((n + m, 3), np.float32),
    )
    free = np.arange(n + m) < n

    def follow(off: Float64) -> Float64:
        return np.concatenate([height(off) - ground, np.zeros(m)])

    apart = push_apart(shapes.stood(placed), n + m, free, True, follow, check, _ROUNDS)
    position = position + apart.by[:n]
    jammed = np.isin(np.arange(n), apart.left)  # for these there is no room
    out: list[Mesh | None] = []
    first = 0
    for one, (blocks, points, normals) in zip(lost, made, strict=True):
        rows = slice(first, first + len(one.stones))
        first += len(one.stones)
        if not len(one.stones):
            out.append(None)
            continue
        q = turn[rows][blocks.stone]
        world = _turned(q, points) + position[rows][blocks.stone]
        high = np.full(len(points), _HIGH)
        mesh = skinned(blocks, world, _turned(q, normals), None, one.stones.id, high, skin)
        stays = ~jammed[rows][blocks.stone[mesh.indices[:, 0]]]
        kept = mesh.indices[stays].astype(np.int64)
        out.append(chosen(mesh, kept, np.zeros(len(kept), np.int64)) if len(kept) else None)
    return out


def _loose(lost: Lost, dress: Dress) -> tuple[Blocks, Float64, Float64]:
    """Stones as bodies about their own middles, dressed on both sides: their points and normals (v, 3)."""
    s = lost.stones
    deep = np.where(s.side == THROUGH, lost.thick, DEPTH * lost.thick)
    whole = replace(s, side=np.full(len(s), THROUGH))
    b, _ = dressed(whole, deep, np.zeros(len(s)), np.zeros(len(s), np.int64), dress)
    off = b.points - s.middle[b.stone]
    points = np.column_stack([off, b.side * (0.5 * deep[b.stone] + b.out)])
    return b, points, b.normal * np.column_stack([np.ones((len(off), 2)), b.side])


def _thrown(lost: Lost, half: float, seed: int) -> Float64:
    """(n, 2) where stones come to lie: beside the face that they were of, farther the higher they were."""
    s, span = lost.stones, lost.span
    frame = frame_of(span, half, 0.0, False)
    middle = s.middle
    side = np.where(
        s.side != THROUGH, s.side, np.where(uniform_array(seed, _SIDE, s.id) < 0.5, 1, -1)
    )
    size = 0.5 * np.maximum(lost.thick * DEPTH, 0.1)
    far = size + _NEAR * uniform_array(seed, _FAR, s.id)
    far += (_SPREAD + _THROWN * np.maximum(lost.drop, 0.0)) * uniform_array(
        seed, _FAR, s.id + np.uint64(1)
    ) ** 1.5
    at = middle[:, 0] + 0.3 * symmetric_array(seed, _FAR, s.id + np.uint64(2))
    at = np.clip(at, 0.0, span.length)
    rows = zip(at.tolist(), side.tolist(), far.tolist(), strict=True)
    return np.array([place(frame, x, 0.0, k, f)[::2] for x, k, f in rows]).reshape(-1, 2)


def _turns(seed: int, ids: UInt64) -> Float64:
    """(n, 4) how stones lie: on one of their four long sides, turned any way, a little tipped."""
    from scipy.spatial.transform import Rotation

    side = uniform_array(seed, _ROLL, ids)
    roll = 0.5 * math.pi * np.where(side < _FLAT, 2 * (side < 0.5 * _FLAT), 2 * (side < 0.9) + 1)
    tip = _TIPPED * np.stack([symmetric_array(seed, _TIP, ids + np.uint64(k)) for k in (0, 1)], 1)
    yaw = 2 * math.pi * uniform_array(seed, _YAW, ids)
    angles = np.stack([yaw, roll + tip[:, 0], tip[:, 1]], axis=1)
    return np.asarray(Rotation.from_euler("YXZ", angles).as_quat())


def _turned(q: Float64, points: Float64) -> Float64:
    from scipy.spatial.transform import Rotation

    return np.asarray(Rotation.from_quat(q).apply(points))


def _lowest(points: Float64, q: Float64) -> tuple[float, float]:
    """The height of the lowest point of a turned body, and how high it is."""
    y = _turned(q, points)[:, 1]
    return float(y.min()), float(np.ptp(y))
