"""What stands close is laid out by copies of one square: as apart, as full and as stable as without."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from plough.core.cache import Cache
from plough.core.place.candidates import REPEATED, Candidates, Scattered, block_size
from plough.core.place.sampling import SIDE, place_of_fill, repeat_of, repeated
from plough.core.tiles import tiles_in
from tests.depth import examples

FULL = repeat_of(5, 12)


def found(spacing: float, box: Any, fill: float = 1.0, seed: int = 5) -> Candidates:
    """All that a layer may place in a box, by blocks."""
    source = Scattered(seed, spacing, fill, Cache(), lambda: None, box)
    points = source.of_blocks(tiles_in(box, block_size(spacing)))
    keep = (points.x >= box[0]) & (points.x < box[2]) & (points.z >= box[1]) & (points.z < box[3])
    return points.taken(np.nonzero(keep)[0])


def rows(points: Any) -> set[tuple[Any, ...]]:
    return set(zip(points.ids.tolist(), points.x, points.z, points.place, strict=True))


@given(
    spacing=st.floats(0.2, REPEATED),
    seed=st.integers(0, 2**63),
    i=st.integers(-40, 40),
    k=st.integers(-40, 40),
)
@settings(max_examples=examples(20), deadline=None)
def test_over_the_seams_none_is_nearer_than_the_spacing(
    spacing: float, seed: int, i: int, k: int
) -> None:
    x, z = i * SIDE * spacing, k * SIDE * spacing  # where four copies meet
    reach = 12 * spacing
    at = found(spacing, (x - reach, z - reach, x + reach, z + reach), seed=seed)
    assert len(at.x) > 0.6 * (2 * 12) ** 2
    near = cKDTree(np.stack([at.x, at.z], axis=1)).query(np.stack([at.x, at.z], axis=1), k=2)[0]
    assert near[:, 1].min() >= spacing * (1 - 1e-9)
    assert len(np.unique(at.ids)) == len(at.ids)


def test_it_is_full_everywhere_seams_included() -> None:
    at = found(1.0, (-200.0, -200.0, 200.0, 200.0))
    assert len(at.x) * math.pi / 4 / 400**2 == pytest.approx(0.546, abs=0.004)
    line = np.linspace(-150, 150, 3000)
    off = np.linspace(-2, 2, 9)
    seam = np.stack(np.meshgrid(off, line), axis=-1).reshape(-1, 2)  # about x = 0
    gap = cKDTree(np.stack([at.x, at.z], axis=1)).query(seam)[0]
    assert (gap > 1.0).mean() < 5e-4
    assert len(np.unique(at.ids)) == len(at.ids)


@pytest.mark.parametrize("spacing", [0.31, 1.0, REPEATED])
def test_a_box_holds_the_points_of_the_plane_whatever_is_asked_for(spacing: float) -> None:
    size = block_size(spacing)
    whole = found(spacing, (-2.3 * size, -2 * size, 2 * size, 1.4 * size))
    part = found(spacing, (-0.7 * size, -1.2 * size, 0.9 * size, 0.3 * size))
    assert rows(part) < rows(whole)
    inside = (whole.x >= -0.7 * size) & (whole.x < 0.9 * size)
    inside &= (whole.z >= -1.2 * size) & (whole.z < 0.3 * size)
    assert inside.sum() == len(part.x)
    again = found(spacing, (-2.3 * size, -2 * size, 2 * size, 1.4 * size))
    for name in ("x", "z", "ids", "place"):
        assert getattr(whole, name).tobytes() == getattr(again, name).tobytes()


@pytest.mark.parametrize(("low", "high"), [(0.02, 0.4), (0.4, 0.72), (0.72, 1.0)])
def test_a_higher_fill_keeps_all_that_stood_and_is_a_share(low: float, high: float) -> None:
    box = (-300.0, -260.0, 280.0, 310.0)
    less, more, full = (found(0.9, box, f) for f in (low, high, 1.0))
    assert rows(less) < rows(more)
    assert len(less.x) / len(full.x) == pytest.approx(low, abs=0.015)
    assert less.place.max() <= place_of_fill(low)


def test_the_first_of_each_copy_are_others_so_no_lattice_is_seen() -> None:
    side = SIDE * 0.5
    at = found(0.5, (0.0, 0.0, 4 * side, 4 * side), 0.004)
    assert len(at.x) > 400
    within = np.stack([np.mod(at.x, side), np.mod(at.z, side)], axis=1)
    copy = (at.x // side).astype(int) * 4 + (at.z // side).astype(int)
    again = 0
    for one in range(16):
        tree = cKDTree(within[copy != one])
        again += int((tree.query(within[copy == one])[0] < 1e-6).sum())
    assert again / len(at.x) < 0.12, "hardly one stands where one stands in another copy"
    # and the places themselves are those of the square, each once
    whole = repeated(FULL, 1.0, (0.0, 0.0, SIDE, SIDE))
    assert sorted(whole.place.tolist()) == FULL.places.tolist()
    assert (np.floor(whole.place) == np.floor(FULL.places)).all()


def test_another_seed_lies_otherwise_and_spacing_only_scales() -> None:
    box = (0.0, 0.0, 60.0, 60.0)
    one, other = found(1.0, box), found(1.0, box, seed=6)
    assert not set(one.ids.tolist()) & set(other.ids.tolist())
    wide = found(2.0, (0.0, 0.0, 120.0, 120.0))
    assert np.sort(wide.x) == pytest.approx(np.sort(2 * one.x), abs=1e-9)
