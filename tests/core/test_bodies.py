"""How far convex bodies are apart, against another library's answer."""

from __future__ import annotations

from typing import Any

import fcl
import numpy as np
import pytest
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float64
from plough.core.place.bodies import Body, Shapes, apart_by, stop_of
from plough.core.place.placements import Placements


def their_hull(points: Float64) -> Any:
    """The hull of points as the other library has it; about their own middle."""
    hull = ConvexHull(points)
    row = {corner: k for k, corner in enumerate(hull.vertices)}
    corners, faces = points[hull.vertices], []
    for simplex, plane in zip(hull.simplices, hull.equations, strict=True):
        a, b, c = (corners[row[i]] for i in simplex)
        face = [row[i] for i in simplex]
        if np.dot(np.cross(b - a, c - a), plane[:3]) < 0:
            face.reverse()
        faces += [3, *face]
    return fcl.CollisionObject(fcl.Convex(corners, len(hull.simplices), np.array(faces)))


def their_distance(one: Any, two: Any) -> float:
    """Metres between two; 0 where they meet."""
    if fcl.collide(one, two, fcl.CollisionRequest(), fcl.CollisionResult()):
        return 0.0
    return float(fcl.distance(one, two, fcl.DistanceRequest(), fcl.DistanceResult()))


def ours(a: Float64, b: Float64, ra: float = 0.0, rb: float = 0.0) -> tuple[float, Float64]:
    axis = np.zeros(3)
    whole = np.concatenate([a, b])
    return apart_by(whole, 0, len(a), ra, len(a), len(whole), rb, axis), axis


@pytest.mark.parametrize("seed", range(20))
def test_hulls_are_as_far_apart_as_another_library_says(seed: int) -> None:
    rng = np.random.default_rng(seed)
    met = 0
    for _ in range(25):
        a, b = (
            rng.normal(size=(rng.integers(4, 30), 3)) * rng.uniform(0.2, 2, 3) + [300, 20, -200]
            for _ in "ab"
        )
        b += rng.normal(size=3) * 2.5
        middle = a.mean(axis=0)
        theirs = their_distance(their_hull(a - middle), their_hull(b - middle))
        gap, axis = ours(a, b)
        assert np.linalg.norm(axis) == pytest.approx(1, abs=1e-9)
        if theirs > 1e-6:
            assert gap == pytest.approx(theirs, rel=1e-3, abs=1e-4)
            continue
        met += 1
        assert gap < 1e-4
        # moved out by what was told they are clear, and not much before
        out = b + axis * (-gap + 1e-4)
        assert their_distance(their_hull(a - middle), their_hull(out - middle)) > 0
        assert (
            their_distance(their_hull(a - middle), their_hull(b + 0.9 * -gap * axis - middle)) == 0
        )
    assert met > 2


def test_rods_are_told_from_their_middle_lines() -> None:
    upright = np.array([[0.0, 0, 0], [0, 4, 0]])
    for x, ra, rb in ((1.0, 0.2, 0.3), (0.45, 0.2, 0.3), (3.0, 0.0, 0.0)):
        level = np.array([[x, 2.0, -2], [x, 2.0, 2]])  # crosses it at a right angle
        gap, axis = ours(upright, level, ra, rb)
        assert gap == pytest.approx(x - ra - rb, abs=1e-6)
        assert axis == pytest.approx([1, 0, 0], abs=1e-6)
    # end to end, and one that is a point
    assert ours(upright, upright + np.array([0, 5, 0]), 0.3, 0.3)[0] == pytest.approx(0.4, abs=1e-6)
    assert ours(upright, np.array([[0.0, 7, 0]]), 0.5, 0.5)[0] == pytest.approx(2.0, abs=1e-6)


def heap(count: int, seed: int) -> tuple[Shapes, Placements, Float64]:
    """Boxes at random, and the corners of one box."""
    rng = np.random.default_rng(seed)
    box = np.array([[x, y, z] for x in (-1, 1) for y in (0, 1) for z in (-0.5, 0.5)], np.float64)
    placed = Placements(
        np.arange(count, dtype=np.uint64),
        np.zeros(count, np.uint32),
        rng.uniform(-4, 4, (count, 3)).astype(np.float32),
        Rotation.random(count, rng=rng).as_quat().astype(np.float32),
        rng.uniform(0.5, 1.5, (count, 3)).astype(np.float32),
    )
    return Shapes.of([[Body(box)]]), placed, box


def test_pairs_that_meet_are_those_that_another_library_finds() -> None:
    shapes, placed, box = heap(60, 3)
    stood = shapes.stood(placed)
    there = [
        Rotation.from_quat(placed.rotation[i]).apply(box * placed.scale[i]) + placed.position[i]
        for i in range(placed.count)
    ]
    for k, corners in enumerate(there):
        mine = stood.points[stood.starts[k] : stood.starts[k + 1]]
        assert np.abs(mine - corners).max() < 1e-5
        assert stood.low[k] == pytest.approx(corners.min(axis=0), abs=1e-5)
    hulls = [their_hull(c) for c in there]
    theirs = {
        (i, j)
        for i in range(60)
        for j in range(i + 1, 60)
        if fcl.collide(hulls[i], hulls[j], fcl.CollisionRequest(), fcl.CollisionResult())
    }
    rank = np.arange(60)
    met = stood.meeting(rank, np.ones(60, bool), 0.0)
    assert len(theirs) > 40
    sure = {(i, j) for i, j, d in zip(met.first, met.second, met.depth, strict=True) if d > 1e-4}
    every = set(zip(met.first.tolist(), met.second.tolist(), strict=True))
    assert sure <= theirs <= every | {p for p in theirs if p not in every and _grazes(there, p)}
    # asked of some alone, and only what is deep
    own = rank % 7 == 0
    some = stood.meeting(rank, own, 0.1)
    wanted = [(i, j) for i, j, d in zip(*met[:3], strict=True) if own[j] and d > 0.1]
    assert list(zip(some.first, some.second, strict=True)) == wanted
    # a body that blocks nothing is in nobody's way
    assert not len(Shapes.of([[Body(box, 0.0, False)]]).stood(placed).meeting(rank, own, 0.0).first)


def _grazes(there: list[Float64], pair: tuple[int, int]) -> bool:
    return abs(ours(there[pair[0]], there[pair[1]])[0]) < 1e-4


def test_what_stops_a_walker_is_what_lies_between_knee_and_head() -> None:
    stem = stop_of(Body(np.array([[0, 0, 0], [0.0, 9, 0]]), 0.25))
    assert stem is not None and stem.ring.tolist() == [[0, 0]] and stem.round == 0.25
    leaning = stop_of(Body(np.array([[0, 0, 0], [9.0, 9, 0]]), 0.1))
    assert leaning is not None
    assert leaning.ring == pytest.approx(np.array([[0.2, 0], [1.9, 0]]), abs=1e-6)
    # a cone on its tip: as wide as it is at the head
    cone = np.array(
        [[0, 0, 0], *([3 * np.cos(a), 3, 3 * np.sin(a)] for a in np.arange(16) * np.pi / 8)]
    )
    found = stop_of(Body(cone))
    assert found is not None
    assert np.hypot(*found.ring.T) == pytest.approx([1.8] * 16, abs=1e-3)
    for high in (5.0, -2.0):  # overhead, and a step
        assert stop_of(Body(cone * [1, 0.05, 1] + np.array([0, high, 0]))) is None
