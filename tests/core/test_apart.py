"""What is pushed apart stands clear: another library says so; and it has moved little."""

from __future__ import annotations

import manifold3d
import numpy as np
import pytest
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float64
from plough.core.place.apart import Apart, push_apart
from plough.core.place.bodies import Body, Shapes
from plough.core.place.placements import Placements

KINDS = 6


def heap(seed: int) -> tuple[Shapes, Placements, list[Float64]]:
    """A heap of stones of several shapes, and the corners of each where it stands."""
    rng = np.random.default_rng(seed)
    shapes = []
    for _ in range(KINDS):
        points = rng.normal(size=(24, 3)) * rng.uniform(0.3, 1.0, 3)
        shapes.append(points[ConvexHull(points).vertices])
    count = int(rng.integers(5, 45))
    wide = rng.uniform(1.0, 4.0)
    placed = Placements(
        np.arange(count, dtype=np.uint64),
        rng.integers(0, KINDS, count).astype(np.uint32),
        (rng.uniform(-wide, wide, (count, 3)) * [1, 0.4, 1]).astype(np.float32),
        Rotation.random(count, rng=rng).as_quat().astype(np.float32),
        np.repeat(rng.uniform(0.3, 1.0, (count, 1)), 3, axis=1).astype(np.float32),
    )
    there = [
        Rotation.from_quat(placed.rotation[i]).apply(shapes[placed.variant[i]] * placed.scale[i])
        + placed.position[i]
        for i in range(count)
    ]
    return Shapes.of([[Body(s)] for s in shapes]), placed, there


def shared(corners: list[Float64]) -> float:
    """Cubic metres that two or more of the hulls share, as another library has it."""
    solids = [manifold3d.Manifold.hull_points(c) for c in corners]
    boxes = [(c.min(axis=0), c.max(axis=0)) for c in corners]
    total = 0.0
    for i in range(len(solids)):
        for j in range(i + 1, len(solids)):
            if (boxes[i][0] <= boxes[j][1]).all() and (boxes[j][0] <= boxes[i][1]).all():
                total += (solids[i] ^ solids[j]).volume()
    return total


def pushed(seed: int, level: bool = False) -> tuple[Apart, Placements, list[Float64]]:
    shapes, placed, there = heap(seed)
    free = np.ones(placed.count, bool)
    return push_apart(shapes.stood(placed), placed.count, free, level), placed, there


@pytest.mark.parametrize("first", range(0, 200, 20))
def test_of_two_hundred_heaps_nothing_intersects_afterwards(first: int) -> None:
    before = after = 0.0
    for seed in range(first, first + 20):
        found, _, there = pushed(seed, level=seed % 4 == 0)
        before += shared(there)
        after += shared([c + by for c, by in zip(there, found.by, strict=True)])
        assert not len(found.left)
        if seed % 4 == 0:
            assert not found.by[:, 1].any()  # it stayed on its level
    assert before > 1.0
    assert after == pytest.approx(0.0, abs=1e-9)


def test_two_part_by_no_more_than_they_are_in_each_other_the_lighter_one_farther() -> None:
    box = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float64)
    quiet = np.tile([0, 0, 0, 1], (2, 1)).astype(np.float32)
    size = np.repeat([[1.0], [0.5]], 3, axis=1).astype(np.float32)
    at = np.array([[0, 0, 0], [1.3, 0.1, 0]], np.float32)
    placed = Placements(np.arange(2, dtype=np.uint64), np.zeros(2, np.uint32), at, quiet, size)
    shapes = Shapes.of([[Body(box)]])
    found = push_apart(shapes.stood(placed), 2, np.ones(2, bool))
    assert found.by[1, 0] - found.by[0, 0] == pytest.approx(0.2, abs=0.01)
    assert abs(found.by[1, 0]) > 4 * abs(found.by[0, 0])
    assert np.abs(found.by[:, 1:]).max() < 1e-6
    # one that is held stays
    held = push_apart(shapes.stood(placed), 2, np.array([True, False]))
    assert not held.by[1].any() and held.by[0, 0] == pytest.approx(-0.2, abs=0.01)


def test_what_stands_clear_is_not_moved_and_the_same_heap_gives_the_same() -> None:
    shapes, placed, _ = heap(7)
    found, *_ = pushed(7)
    moved = Placements(
        placed.ids,
        placed.variant,
        (placed.position + found.by).astype(np.float32),
        placed.rotation,
        placed.scale,
    )
    again = push_apart(shapes.stood(moved), placed.count, np.ones(placed.count, bool))
    assert np.abs(again.by).max() < 2e-3
    assert (pushed(7)[0].by == found.by).all()


def test_what_cannot_be_solved_is_reported() -> None:
    # a stone among walls that are held, with no room
    box = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float64)
    at = np.array([[0, 0, 0], [1.5, 0, 0], [-1.5, 0, 0], [0, 0, 1.5], [0, 0, -1.5]], np.float32)
    n = len(at)
    placed = Placements(
        np.arange(n, dtype=np.uint64),
        np.zeros(n, np.uint32),
        at,
        np.tile([0, 0, 0, 1], (n, 1)).astype(np.float32),
        np.ones((n, 3), np.float32) * [1, 9, 1],
    )
    free = np.arange(n) == 0
    found = push_apart(Shapes.of([[Body(box)]]).stood(placed), n, free, level=True)
    assert len(found.left) and (found.left[:, 0] == 0).all()
    assert not found.by[1:].any()
