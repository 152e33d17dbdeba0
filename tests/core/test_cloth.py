"""Cloth: threads keep their length, what is fixed stays, nothing lies in what it hangs over, and wind blows where it is told to."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.build.cloth import ClothParameters, _sheet
from plough.core.build.draping import settled
from plough.core.kinds import Product, get_kind
from plough.core.parameters import build
from plough.core.presets import all_presets

CLOTHS = [p for p in all_presets() if p.kind == "cloth"]
HUNG = ["line", "corners", "ridge", "over"]


def made(detail: int = 0, seed: int = 1, **own: Any) -> Product:
    kind = get_kind("cloth")
    return kind.make(build(kind.parameters, own, ""), seed, detail)


def points(**own: Any) -> Any:
    """The settled grid."""
    p = build(ClothParameters, own, "")
    return settled(_sheet(p, 1.0)), p


def part(product: Product, slot: str) -> Any:
    rows = [np.arange(p.first, p.first + p.count) for p in product.mesh.parts if p.material == slot]
    return product.mesh.indices[np.concatenate(rows)]


@pytest.mark.parametrize("hung", HUNG)
def test_threads_keep_their_length(hung: str) -> None:
    at, p = points(hung=hung, wind=2)
    rows, columns = at.shape[:2]
    across = np.linalg.norm(np.diff(at, axis=1), axis=2) / (p.wide / (columns - 1))
    down = np.linalg.norm(np.diff(at, axis=0), axis=2) / (p.long / (rows - 1))
    for threads in (across, down):
        assert abs(np.median(threads) - 1) < 0.03
        assert np.quantile(threads, 0.98) < 1.15
    assert np.isfinite(at).all()


@pytest.mark.parametrize("hung", HUNG[:3])
def test_what_is_fixed_stays_where_it_is(hung: str) -> None:
    p = build(ClothParameters, {"hung": hung, "wind": 9, "tied": True}, "")
    sheet = _sheet(p, 2.0)
    at = settled(sheet)
    assert sheet.fixed.sum() >= 4
    assert np.array_equal(at[sheet.fixed], sheet.at[sheet.fixed])
    moved = np.linalg.norm(at - sheet.at, axis=2)[~sheet.fixed]
    assert np.median(moved) > 0.01, "all else has settled"


@pytest.mark.parametrize("body", ["block", "round"])
def test_a_cover_lies_on_its_thing_and_not_in_it_nor_in_the_ground(body: str) -> None:
    at, p = points(hung="over", body=body, wide=3, long=3, wind=0)
    x, y, z = at.reshape(-1, 3).T
    assert y.min() >= 0.0
    margin = 0.004
    if body == "block":
        inside = (np.abs(x) < p.body_long / 2 - margin) & (np.abs(z) < p.body_wide / 2 - margin)
    else:
        inside = np.hypot(x, z) < p.body_wide / 2 - margin
    assert y[inside].min() > p.body_high - margin, "nothing of it is in the thing"
    assert (inside & (y < p.body_high + 0.03)).sum() > 30, "it lies on the top"
    assert (y < 0.4 * p.body_high).sum() > 30, "its edges hang down"


def test_wind_blows_a_sheet_where_it_is_told_to() -> None:
    mean = {}
    for way in (0, 180):
        at, _ = points(wind=5, direction=way, gusts=0.2)
        mean[way] = at[-1, :, 2].mean()
    assert mean[0] > 0.15
    assert mean[180] < -0.15
    still, _ = points(wind=0)
    assert abs(still[-1, :, 2].mean()) < 0.05
    net, _ = points(wind=5, direction=0, gusts=0.2, stuff="net")
    assert net[-1, :, 2].mean() > 0, "a net is blown as well"


def test_more_slack_sags_more() -> None:
    low = []
    for slack in (1, 10, 25):
        at, p = points(hung="corners", slack=slack, low=1.0, wind=0, fixings=2)
        low.append(p.height - at[..., 1].min())
    assert low[0] < low[1] < low[2]


@pytest.mark.parametrize("hung", HUNG)
def test_a_thick_sheet_is_closed_and_as_thick_as_it_says(hung: str) -> None:
    product = made(hung=hung, thickness=8, hem=2, poles=False, wind=1)
    faces = part(product, "cloth")
    at = product.mesh.positions.astype(float)
    body = trimesh.Trimesh(at, faces, process=True)
    assert body.is_watertight and body.is_winding_consistent
    p = build(ClothParameters, {"hung": hung}, "")
    assert 0.7 < body.volume / (p.wide * p.long * 0.008) < 1.5
    # each face is lit from its own side
    a, b, c = (at[faces[:, k]] for k in range(3))
    flat = np.cross(b - a, c - a)
    lit = product.mesh.normals[faces].astype(float).mean(axis=1)
    assert ((flat * lit).sum(axis=1) > 0).mean() > 0.995


def test_a_thin_sheet_is_one_layer_seen_from_both_sides() -> None:
    thin = made(poles=False)
    grid = 40 * round(40 * 1.6 / 2.4 / 4) * 4
    assert abs(thin.mesh.triangles - 2 * grid) < 0.1 * grid
    assert thin.materials["cloth"].cutout
    body = trimesh.Trimesh(thin.mesh.positions, thin.mesh.indices, process=False)
    assert body.is_winding_consistent
    shared = np.sort(body.edges, axis=1)
    _, times = np.unique(shared, axis=0, return_counts=True)
    assert times.max() == 2


@pytest.mark.parametrize("preset", CLOTHS, ids=lambda p: p.name)
def test_levels_are_lighter_and_lie_where_the_first_does(preset: Any) -> None:
    kind = get_kind("cloth")
    p = build(kind.parameters, preset.parameters, "")
    levels = [kind.make(p, preset.seed, d) for d in range(3)]
    counts = [x.mesh.triangles for x in levels]
    assert counts[0] > 2 * counts[1] > 2.2 * counts[2]
    for other in levels[1:]:
        a, b = levels[0].mesh.positions, other.mesh.positions
        assert np.abs(a.min(axis=0) - b.min(axis=0)).max() < 0.12
        assert np.abs(a.max(axis=0) - b.max(axis=0)).max() < 0.12
    again = kind.make(p, preset.seed, 0)
    assert np.array_equal(again.mesh.positions, levels[0].mesh.positions), "the same bytes"
    gusty = kind.make(p, preset.seed + 1, 0)
    assert not np.array_equal(gusty.mesh.positions, levels[0].mesh.positions)


def test_poles_stand_in_the_ground_and_reach_what_they_carry() -> None:
    for hung, many in (("line", 2), ("corners", 4)):
        product = made(hung=hung, wind=0)
        faces = part(product, "wood")
        body = trimesh.Trimesh(product.mesh.positions.astype(float), faces, process=True)
        poles = [b for b in body.split() if b.extents[1] > 1.2]
        assert len(poles) == many
        assert all(b.bounds[0, 1] < -0.1 and b.is_watertight for b in poles)


def test_a_net_lets_the_ground_be_seen() -> None:
    drawn = made(stuff="net", threads=16).materials["cloth"].maps
    assert drawn is not None
    alpha = drawn.draw().albedo[..., 3]
    share = (alpha > 127).mean()
    assert 0.15 < share < 0.6
    # it repeats
    image = alpha.astype(int)
    assert np.abs(image[:, 0] - image[:, -1]).mean() < 60
    whole = made(stuff="canvas").materials["cloth"].maps
    assert whole is not None
    assert (whole.draw().albedo[..., 3] == 255).all()


@settings(max_examples=25, deadline=None, derandomize=True)
@given(st.data())
def test_any_valid_sheet_settles(data: st.DataObject) -> None:
    own = {
        "hung": data.draw(st.sampled_from(HUNG)),
        "wide": data.draw(st.floats(0.2, 20)),
        "long": data.draw(st.floats(0.2, 20)),
        "points": data.draw(st.integers(8, 48)),
        "stuff": data.draw(st.sampled_from(["canvas", "linen", "net"])),
        "height": data.draw(st.floats(0.2, 20)),
        "low": data.draw(st.floats(0.1, 1.5)),
        "slack": data.draw(st.floats(0, 60)),
        "fixings": data.draw(st.integers(2, 40)),
        "tied": data.draw(st.booleans()),
        "spread": data.draw(st.floats(0, 0.98)),
        "wind": data.draw(st.floats(0, 25)),
        "stiff": data.draw(st.floats(0, 1)),
        "thickness": data.draw(st.sampled_from([0, 1, 60])),
        "poles": data.draw(st.booleans()),
    }
    product = made(detail=data.draw(st.integers(0, 2)), **own)
    m = product.mesh
    assert np.isfinite(m.positions).all() and np.isfinite(m.normals).all()
    assert np.abs(np.linalg.norm(m.normals, axis=1) - 1).max() < 1e-2
    cloth = m.positions[np.unique(part(product, "cloth"))]
    assert np.abs(cloth).max() < 80
    assert cloth[:, 1].min() > -0.2
