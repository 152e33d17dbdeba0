"""Things in the air: within their bodies, spread as told, kept when more come, dropped where they fall."""

from __future__ import annotations

import copy
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from shapely import LineString, points

from plough.core.errors import ParameterError
from plough.core.ground import HeightField, TerrainParameters, TriangleSurface, make_terrain
from plough.core.ground.paths import path_curve
from plough.core.layers.air import AirParameters, _landed
from plough.core.place.air import Air, about_points, along_line
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL
from tests.core.test_surfaces import mesh_of
from tests.depth import examples

FIELD = make_terrain(TerrainParameters(size=256, resolution=2, relief=12, feature=60))
SPOTS = np.array([[-30.0, 12.0], [40.0, -25.0]])
BENT = [(-60.0, -10.0), (-20.0, 25.0), (30.0, -15.0), (70.0, 20.0)]
EVALUATOR = Evaluator()


def about(count: int = 4000, **more: Any) -> Any:
    return about_points(Air(3, count, **more), SPOTS, FIELD)


def off_middle(found: Any, count: int, above: float) -> Any:
    """(2, count, 3) from the middle of each body."""
    ground = FIELD.height(SPOTS[:, 0], SPOTS[:, 1])
    middle = np.stack([SPOTS[:, 0], ground + above, SPOTS[:, 1]], axis=1)
    return found.position.reshape(2, count, 3) - middle[:, None]


@given(size=st.tuples(*[st.floats(0, 60)] * 3), above=st.floats(-5, 80), bias=st.floats(-1, 1))
@settings(max_examples=examples(30), deadline=None)
def test_all_lie_within_their_body(size: Any, above: float, bias: float) -> None:
    half = 0.5 * np.array(size) + 1e-9
    for form in ("box", "ball"):
        found = about(200, form=form, size=size, above=above, bias=bias)
        off = np.abs(off_middle(found, 200, above))
        assert (off <= half + 1e-6).all()
        if form == "ball":
            assert (((off / np.maximum(half, 1e-6)) ** 2).sum(axis=2) <= 1.0 + 1e-6).all()


def test_without_bias_they_are_even_over_the_body() -> None:
    box = off_middle(about(form="box", size=(8, 4, 2)), 4000, 0.0) / [4, 2, 1]
    # each eighth of a box, and each half of its width, holds its share
    eighth = (box > 0) @ [1, 2, 4]
    assert np.bincount(eighth.ravel()) / 8000 == pytest.approx(np.full(8, 1 / 8), abs=0.012)
    assert (np.abs(box) < 0.5).mean(axis=(0, 1)) == pytest.approx(np.full(3, 0.5), abs=0.015)
    ball = off_middle(about(form="ball", size=(6, 6, 6)), 4000, 0.0) / 3
    far = np.linalg.norm(ball, axis=2)
    assert (far < 0.5 ** (1 / 3)).mean() == pytest.approx(0.5, abs=0.015)
    assert (ball > 0).mean(axis=(0, 1)) == pytest.approx(np.full(3, 0.5), abs=0.02)


def test_bias_draws_them_to_the_middle_or_to_the_rim() -> None:
    def mean(form: str, bias: float) -> float:
        off = off_middle(about(form=form, size=(2, 2, 2), bias=bias), 4000, 0.0)
        return float(np.linalg.norm(off, axis=2).mean())

    for form in ("box", "ball"):
        far = [mean(form, b) for b in (-1, -0.5, 0, 0.5, 1)]
        assert far == sorted(far)
        assert far[0] < 0.5 * far[2] and far[4] > 1.2 * far[2]


def test_a_tube_follows_its_line_and_the_ground() -> None:
    line = path_curve(BENT)
    found = along_line(Air(3, 3000, "tube", (6, 3, 0), 8.0), line, FIELD)
    course = LineString(line.line)
    x, y, z = found.position.T
    aside = course.distance(points(x, z))
    along = course.line_locate_point(points(x, z))
    foot = np.array([course.interpolate(a).coords[0] for a in along])
    up = y - FIELD.height(*np.ascontiguousarray(foot.T)) - 8.0
    inside = (aside / 3.0) ** 2 + (up / 1.5) ** 2
    # where it bends, the nearest place of the line is not quite the one that a point hangs on
    assert (inside < 1.05).mean() > 0.97 and aside.max() < 3.01
    assert np.histogram(along, 10, (0, course.length))[0] / 3000 == pytest.approx(0.1, abs=0.025)
    part = np.minimum(10 * along / course.length, 9).astype(int)
    assert all(aside[part == k].max() > 2.75 for k in range(10)), (
        "it is as wide whichever way it runs"
    )


def test_a_higher_count_and_a_further_point_keep_all_that_hung() -> None:
    few, many = about(50, size=(4, 4, 4)), about(400, size=(4, 4, 4))
    at = {int(i): p.tobytes() for i, p in zip(many.ids, many.position, strict=True)}
    assert {
        int(i): p.tobytes() for i, p in zip(few.ids, few.position, strict=True)
    }.items() <= at.items()
    assert len(at) == 800
    more = about_points(Air(3, 400, size=(4, 4, 4)), np.concatenate([SPOTS, [[0, 0]]]), FIELD)
    assert set(at) < set(more.ids.tolist())
    beyond = about_points(Air(3, 10), np.array([[500.0, 0.0], [0.0, 0.0]]), FIELD)
    assert len(beyond.ids) == 10


def scene(**parameters: Any) -> Any:
    document = copy.deepcopy(SMALL)
    layer = {
        "id": "seeds",
        "kind": "air",
        "name": "Willow seed",
        "parameters": {"mix": [{"asset": "sedge"}], "points": [[-20, 5], [15, 10]], **parameters},
    }
    document["layers"] = [*document["layers"][:1], layer, document["layers"][-1]]
    return document


def run(**parameters: Any) -> Any:
    evaluation = EVALUATOR.evaluate(read_document(scene(**parameters)))
    return evaluation, evaluation.layer("seeds").output.placements.whole()


def test_what_is_dropped_lies_on_the_ground_under_where_it_hung() -> None:
    _, hung = run(count=300)
    evaluation, dropped = run(count=300, dropped=True)
    ground = evaluation.surface
    x, z = (np.ascontiguousarray(dropped.position[:, k], float) for k in (0, 2))
    assert np.abs(dropped.position[:, 1] - ground.sample(x, z).position[:, 1]).max() < 1e-3
    before = {int(i): p for i, p in zip(hung.ids, hung.position, strict=True)}
    fell = np.array([before[int(i)] for i in dropped.ids])
    assert np.abs(fell[:, [0, 2]] - dropped.position[:, [0, 2]]).max() < 1e-5
    assert (fell[:, 1] > dropped.position[:, 1] - 1e-6).all()
    assert dropped.count == 600
    _, low = run(count=300, above=-1, dropped=True, tall=2.6)
    assert 0 < low.count < 250  # what begins in the ground falls on none


def test_under_an_arch_it_falls_on_the_ground_and_over_it_on_the_arch() -> None:
    move = trimesh.transformations.translation_matrix
    floor = trimesh.creation.box((60, 1, 60), move((0, -0.5, 0)))
    roof = trimesh.creation.box((20, 1, 20), move((0, 6.5, 0)))
    both = trimesh.util.concatenate([floor, roof])
    surface = TriangleSurface(mesh_of(both))
    p = AirParameters(points=[(0, 0)], wide=50, deep=50, tall=6, above=3, count=2000, dropped=True)
    air = Air(3, 2000, "box", (50, 5.9, 50), 3.0)
    under = about_points(air, np.zeros((1, 2)), TriangleSurface(mesh_of(floor)))
    over = replace(under, position=under.position + np.array([0.0, 8.0, 0.0]))
    fell = _landed(p, under, surface)[1].position[:, 1]
    assert np.abs(fell).max() < 1e-3
    high = _landed(p, over, surface)[1].position
    covered = np.abs(high[:, [0, 2]]).max(axis=1) < 9.99
    assert np.abs(high[covered, 1] - 7.0).max() < 1e-3
    assert 0.1 < covered.mean() < 0.22


@pytest.mark.parametrize("form", ["box", "ball", "tube"])
def test_no_two_are_nearer_than_they_may_be_and_earlier_ones_stay(form: str) -> None:
    _, free = run(form=form, count=400, tilt=180)
    _, apart = run(form=form, count=400, tilt=180, apart=0.9)
    tree = cKDTree(apart.position.astype(float))
    assert not len(tree.query_pairs(0.9 - 1e-4, output_type="ndarray"))
    rows = {int(i): p.tobytes() for i, p in zip(free.ids, free.position, strict=True)}
    kept = {int(i): p.tobytes() for i, p in zip(apart.ids, apart.position, strict=True)}
    assert kept.items() < rows.items() and len(kept) > 50
    _, fewer = run(form=form, count=100, tilt=180, apart=0.9)
    assert set(fewer.ids.tolist()) <= set(apart.ids.tolist())


def test_limits_are_told_before_the_work() -> None:
    for wrong, words in (
        ({"count": 60_000}, "count: 60,000 in each of 2 bodies are 120,000; the limit is 100,000"),
        ({"form": "tube", "points": [[0, 0], [40, 40], [40, 0], [0, 40]]}, "crosses itself"),
        ({"form": "tube", "points": [[3, 3], [3, 3]]}, "points"),
        ({"points": []}, "points"),
        ({"points": [[9000, 0]]}, r"points\.0.*4096"),
        ({"count": -1}, "count"),
        ({"bias": 140}, r"bias.*100"),
        ({"above": 900}, r"above.*300"),
        ({"points": [[float("nan"), 0]]}, "points"),
        ({"wide": float("inf")}, "wide"),
    ):
        with pytest.raises(ParameterError, match=words):
            read_document(scene(**wrong))
    evaluation, nothing = run(mix=[])
    assert nothing.count == 0
    assert "nothing is chosen" in evaluation.layer("seeds").output.findings[0].text
    assert run(form="tube", points=[[3, 4]])[1].count == 60  # one point alone is no line: a body


def test_conditions_thin_them_by_where_they_hang() -> None:
    high = {"id": "h", "of": "height", "between": [3, 9000], "fade": 0}
    _, all_ = run(count=500, tall=12, above=4)
    _, some = run(count=500, tall=12, above=4, conditions=[high])
    assert 0 < some.count < all_.count
    assert (some.position[:, 1] >= 3 - 1e-4).all()
    left = np.isin(all_.ids, some.ids)
    assert (all_.position[~left, 1] < 3 + 1e-4).all()


def test_a_flat_field_gives_bodies_of_the_same_height() -> None:
    flat = HeightField(np.full((33, 33), 2.0, np.float32), 128.0)
    found = about_points(Air(1, 500, "box", (4, 0, 4), 5.0), SPOTS, flat)
    assert (found.position[:, 1] == 7.0).all()
