"""Roofs over outlines of any form."""

from __future__ import annotations

import math
from collections import Counter

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import Polygon, box, union_all
from shapely.affinity import rotate, scale

from plough.core.arrays import Float64
from plough.core.house.plan import Ring
from plough.core.house.roof import (
    Piece,
    Roof,
    area_of,
    height_along,
    roof_over,
    tapered,
    triangles_of,
)
from tests.depth import examples

RECTANGLE = np.array([[0.0, 0], [8, 0], [8, 5], [0, 5]])
ELL = np.array([[0.0, 0], [8, 0], [8, 4], [4, 4], [4, 9], [0, 9]])
HIP = [Piece(0.0, 1.0)]
GABLE = [Piece(0.0, 0.0)]


def rings_of(shape: Polygon) -> list[Float64]:
    """The rings of a polygon as roofs want them."""
    out = []
    for k, ring in enumerate([shape.exterior, *shape.interiors]):
        corners = np.array(ring.coords)[:-1]
        out.append(corners if (area_of(corners) > 0) == (k == 0) else corners[::-1])
    return out


def outline(rng: np.random.Generator, form: int) -> Polygon | None:
    """A random outline: of all angles, of right angles, slanted, or with a courtyard."""

    def star(n: int, by: float) -> Float64:
        angle = np.sort(rng.uniform(0, 2 * math.pi, n))
        far = by * rng.uniform(2, 9, n)
        return np.stack([far * np.cos(angle), far * np.sin(angle)], axis=1)

    if form == 0:
        shape = Polygon(star(int(rng.integers(4, 14)), 1.0))
    else:
        low = rng.integers(0, 8, (int(rng.integers(2, 6)), 2))
        shape = union_all(
            [box(x, y, x + rng.integers(2, 8), y + rng.integers(2, 8)) for x, y in low]
        )
        if shape.geom_type != "Polygon":
            shape = max(shape.geoms, key=lambda g: g.area)
        shape = shape.simplify(0)
        if form == 2:
            shape = rotate(scale(shape, 1, rng.uniform(0.6, 1.4)), rng.uniform(0, 90))
        if form == 3:
            middle = np.array(shape.representative_point().coords[0])
            yard = Polygon(star(int(rng.integers(3, 7)), 0.12) + middle)
            if yard.is_valid and shape.contains(yard):
                shape = shape.difference(yard)
    return shape if shape.is_valid and shape.geom_type == "Polygon" else None


def sound(roof: Roof, rings: list[Float64], slopes: list[list[Piece]], low: float = 0.0) -> None:
    """Each face is planar at its pitch and runs from its edge; from above they make up the outline."""
    corners = np.concatenate(rings)
    after = np.concatenate([np.roll(r, -1, axis=0) for r in rings])
    whole = 0.0
    for face in roof.faces:
        points = roof.nodes[np.concatenate(face.rings)]
        if face.edge < 0:
            assert np.ptp(points[:, 2]) < 1e-9
        else:
            a, b = corners[face.edge], after[face.edge]
            inward = np.array([-(b - a)[1], (b - a)[0]]) / math.hypot(*(b - a))
            away = (points[:, :2] - a) @ inward
            at, height = 0.0, low
            for k, piece in enumerate(slopes[face.edge][: face.piece]):
                until = low + slopes[face.edge][k + 1].begins
                at, height = at + piece.speed * (until - height), until
            assert np.allclose(away, at + face.speed * (points[:, 2] - height), atol=3e-3)
        whole += sum(area_of(roof.nodes[r, :2]) for r in face.rings)
    assert whole == pytest.approx(sum(area_of(r) for r in rings), rel=1e-3)
    # no two faces lie over each other
    shapes = [
        Polygon(roof.nodes[r, :2])
        for face in roof.faces
        if face.speed > 0
        for r in face.rings
        if area_of(roof.nodes[r, :2]) > 1e-4
    ]
    assert sum(s.area for s in shapes) <= whole + 1e-3 + sum(
        -area_of(roof.nodes[r, :2])
        for f in roof.faces
        for r in f.rings
        if area_of(roof.nodes[r, :2]) < 0
    )
    assert union_all([s.buffer(0) for s in shapes]).area == pytest.approx(whole, rel=2e-3)


def test_hips_meet_in_a_ridge_half_as_high_as_the_house_is_wide() -> None:
    roof = roof_over([RECTANGLE], [HIP] * 4)
    assert isinstance(roof, Roof)
    sound(roof, [RECTANGLE], [HIP] * 4)
    ridge = roof.nodes[roof.nodes[:, 2] > 2.4]
    assert sorted(ridge[:, 0].round(6)) == [2.5, 5.5] and np.allclose(ridge[:, 1:], 2.5)


def test_gables_stand_upright_and_the_ridge_runs_through() -> None:
    slopes = [HIP, GABLE, HIP, GABLE]
    assert tapered([RECTANGLE]) == [False, True, False, True]
    roof = roof_over([RECTANGLE], slopes)
    assert isinstance(roof, Roof)
    sound(roof, [RECTANGLE], slopes)
    ridge = roof.nodes[roof.nodes[:, 2] > 2.4]
    assert sorted(ridge[:, 0].round(6)) == [0.0, 8.0]
    along = height_along(roof, np.array([8.0, 0]), np.array([8.0, 5]))
    assert np.allclose(along, [[0, 0], [2.5, 2.5], [5, 0]], atol=1e-6)


def test_a_half_hip_begins_where_its_gable_ends() -> None:
    half = [Piece(0.0, 0.0), Piece(1.5, 1.0)]
    slopes = [HIP, half, HIP, half]
    roof = roof_over([RECTANGLE], slopes)
    assert isinstance(roof, Roof)
    sound(roof, [RECTANGLE], slopes)
    assert {(f.edge, f.piece) for f in roof.faces} == {
        (0, 0),
        (1, 0),
        (1, 1),
        (2, 0),
        (3, 0),
        (3, 1),
    }
    assert sorted(roof.nodes[roof.nodes[:, 2] > 2.4][:, 0].round(6)) == [1.0, 7.0]


def test_a_mansard_breaks_all_round_and_a_flat_top_ends_it() -> None:
    mansard = [Piece(0.0, 0.3), Piece(2.0, 1.8)]
    roof = roof_over([ELL], [mansard] * 6)
    assert isinstance(roof, Roof)
    sound(roof, [ELL], [mansard] * 6)
    assert len(roof.faces) == 12 and (roof.nodes[:, 2].round(9) == 2.0).sum() == 6
    cut = roof_over([ELL], [HIP] * 6, top=0.5)
    assert isinstance(cut, Roof)
    sound(cut, [ELL], [HIP] * 6)
    (top,) = [f for f in cut.faces if f.edge < 0]
    inner = ELL + 0.5 * np.array([[1, 1], [-1, 1], [-1, -1], [-1, -1], [-1, -1], [1, -1]])
    assert area_of(cut.nodes[top.rings[0], :2]) == pytest.approx(area_of(inner))


def test_a_shed_rises_from_one_edge_to_the_other() -> None:
    slopes = [[Piece(0.0, 2.0)], GABLE, GABLE, GABLE]
    roof = roof_over([RECTANGLE], slopes)
    assert isinstance(roof, Roof)
    sound(roof, [RECTANGLE], slopes)
    assert roof.height == pytest.approx(2.5)


def test_what_leans_on_a_wall_all_round_reaches_it_everywhere_at_once() -> None:
    wall = ELL + np.array([[1, 1], [-1, 1], [-1, -1], [-1, -1], [-1, -1], [1, -1]])
    rings, slopes = [ELL, wall[::-1]], [HIP] * 6 + [GABLE] * 6
    roof = roof_over(rings, slopes)
    assert isinstance(roof, Roof)
    sound(roof, rings, slopes)
    top = roof.nodes[roof.nodes[:, 2] > 0.5]
    assert len(top) == 6 and top[:, 2] == pytest.approx(1.0, abs=1e-9)


def test_what_cannot_close_says_why() -> None:
    told = roof_over([RECTANGLE], [GABLE] * 4)
    assert isinstance(told, str) and "slope" in told


@pytest.mark.parametrize("form", range(4))
def test_any_outline_yields_a_roof(form: int) -> None:
    rng = np.random.default_rng(100 + form)
    tried = yards = 0
    for k in range(500):
        shape = outline(rng, form)
        if shape is None:
            continue
        rings = rings_of(shape)
        yards += len(rings) > 1
        n = sum(map(len, rings))
        slopes = [HIP] * n
        if k % 3 == 1:
            slopes = [GABLE if ends else HIP for ends in tapered(rings)]
        roof = roof_over(rings, slopes)
        assert isinstance(roof, Roof), (roof, [r.tolist() for r in rings])
        if k % 5 == 0:
            sound(roof, rings, slopes)
        tried += 1
    assert tried > 400 and (form != 3 or yards > 250)


def test_flat_parts_with_holes_are_cut_in_triangles() -> None:
    points = np.concatenate([8 * (RECTANGLE - 2), RECTANGLE])
    rings = [np.arange(4), np.arange(4, 8)[::-1]]
    found = triangles_of(points, rings)
    areas = [area_of(points[list(t)]) for t in found]
    assert min(areas) > 0
    assert sum(areas) == pytest.approx(area_of(points[:4]) - area_of(points[4:]))


@settings(max_examples=examples(200), deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(3, 40), st.booleans())
def test_any_simple_ring_is_cut_into_triangles_that_fill_it(
    seed: int, many: int, along: bool
) -> None:
    """Rings about a middle, with corners in between that lie on their edges, as those of floors do."""
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, many))
    assume(np.diff([*angle, angle[0] + 2 * np.pi]).min() > 0.02)
    assume(np.diff([*angle, angle[0] + 2 * np.pi]).max() < 3.0)
    ring = (rng.uniform(2, 9, many) * np.stack([np.cos(angle), np.sin(angle)])).T
    if along:
        ring = np.stack([ring, 0.5 * (ring + np.roll(ring, -1, axis=0))], axis=1).reshape(-1, 2)
    found = triangles_of(ring, [np.arange(len(ring))])
    areas = [area_of(ring[t]) for t in found]
    assert len(found) == len(ring) - 2 and min(areas) > -1e-9
    assert sum(areas) == pytest.approx(area_of(ring))
    # each side of the ring is a side of one triangle, every other of two
    sides = Counter(tuple(sorted((int(t[k]), int(t[k - 1])))) for t in found for k in range(3))
    rim = {tuple(sorted((k, (k + 1) % len(ring)))) for k in range(len(ring))}
    assert all(sides[s] == (1 if s in rim else 2) for s in sides) and rim <= set(sides)


@settings(max_examples=examples(200), deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(3, 24), st.integers(3, 9))
def test_any_ring_with_a_hole_is_cut_into_triangles_that_fill_it(
    seed: int, many: int, inner: int
) -> None:
    rng = np.random.default_rng(seed)

    def star(n: int, low: float, high: float) -> np.ndarray:
        angle = np.sort(rng.uniform(0, 2 * np.pi, n))
        assume(np.diff([*angle, angle[0] + 2 * np.pi]).min() > 0.02)
        return (rng.uniform(low, high, n) * np.stack([np.cos(angle), np.sin(angle)])).T

    outer, hole = star(many, 2, 9), star(inner, 0.1, 1.5)
    assume(Polygon(outer).contains_properly(Polygon(hole)) and Polygon(hole).is_valid)
    points = np.concatenate([outer, hole[::-1] if area_of(hole) > 0 else hole])
    assume(area_of(outer) > 0 and area_of(points[many:]) < -1e-3)
    found = triangles_of(points, [np.arange(many), np.arange(many, many + inner)])
    areas = [area_of(points[t]) for t in found]
    assert len(found) == many + inner and min(areas) > -1e-9
    assert sum(areas) == pytest.approx(area_of(outer) + area_of(points[many:]))
    sides = Counter(tuple(sorted((int(t[k]), int(t[k - 1])))) for t in found for k in range(3))
    rim = {tuple(sorted((k, (k + 1) % many))) for k in range(many)}
    rim |= {tuple(sorted((many + k, many + (k + 1) % inner))) for k in range(inner)}
    assert all(sides[s] == (1 if s in rim else 2) for s in sides) and rim <= set(sides)


@settings(max_examples=examples(200), deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(3, 12))
def test_a_ring_is_sound_where_another_library_says_so(seed: int, many: int) -> None:
    rng = np.random.default_rng(seed)
    ring = rng.integers(0, 6, (many, 2)).astype(float)  # many touch, run back, or lie in one line
    whole = Polygon(ring)
    corners = Ring(ring, tuple(map(str, range(many))))
    expected = bool(whole.is_valid and area_of(ring) > 0.25)
    repeated = any((ring[k] == ring[k - 1]).all() for k in range(many))
    assert corners.sound == (expected and not repeated)
