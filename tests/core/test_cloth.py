"""Cloth: threads keep their length, what is fixed stays, nothing lies in what it hangs over, and wind blows where it is told to."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

import plough.core.build.cloth as cloth_module
from plough.core.build import draping
from plough.core.build.cloth import ClothParameters, _sheet
from plough.core.build.draping import body_of, settled
from plough.core.errors import TooLargeError
from plough.core.kinds import Product, get_kind
from plough.core.parameters import build
from plough.core.presets import all_presets, preset
from tests.depth import examples

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


@settings(max_examples=examples(25), deadline=None, derandomize=True)
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


ROCK = {"kind": "rock", "version": 1, "parameters": {"triangles": 800}}
JAR = {"kind": "vessel", "version": 1, "parameters": preset("water-jar").parameters}


def things(*lent: Any, apart: float = 0.7) -> list[dict[str, Any]]:
    return [
        {"id": f"t{k}", "asset": f"a{k}", "seed": k + 1, "at": [apart * k, 0, 0], "lent": x}
        for k, x in enumerate(lent)
    ]


def over(parts: Any, **own: Any) -> Product:
    return made(hung="over", body="things", parts=parts, **{"wind": 0, "points": 48, **own})


def sheet_of(product: Product) -> tuple[Any, Any]:
    """Its points and triangles."""
    faces = part(product, "cloth")
    at, index = np.unique(faces, return_inverse=True)
    return product.mesh.positions[at].astype(float), index.reshape(-1, 3)


@pytest.mark.parametrize("lent", [(ROCK,), (ROCK, ROCK), (JAR,), (JAR, JAR, JAR)])
def test_it_lies_on_whatever_it_is_hung_over_and_goes_through_nothing(lent: Any) -> None:
    apart = 0.3 if lent[0] is JAR else 0.9
    product = over(things(*lent, apart=apart), wide=2.4, long=2.2)
    at, faces = sheet_of(product)
    count = product.mesh.triangles - len(faces)
    rest = np.concatenate(
        [part(product, p.material) for p in product.mesh.parts if p.material != "cloth"]
    )
    assert len(rest) == count > 500, "what it lies on comes with it"
    solid = trimesh.Trimesh(product.mesh.positions, rest, process=False)
    # from above nothing is seen of it where the sheet is, and the sheet is nowhere cut
    x, z = np.meshgrid(np.linspace(-1, 1.8, 90), np.linspace(-1, 1, 70))
    origins = np.stack([x.ravel(), np.full(x.size, 9.0), z.ravel()], axis=1)
    down = np.tile([0.0, -1.0, 0.0], (len(origins), 1))
    sheet = trimesh.Trimesh(at, faces, process=False)
    tops = []
    for mesh in (sheet, solid):
        hit, ray, _ = mesh.ray.intersects_location(origins, down, multiple_hits=False)
        top = np.full(len(origins), np.nan)
        top[ray] = hit[:, 1]
        tops.append(top)
    both = np.isfinite(tops[0]) & np.isfinite(tops[1])
    lies = tops[0][both] - tops[1][both]
    assert both.sum() > 150
    assert lies.min() > -0.004
    assert np.quantile(lies, 0.05) < 0.03, "it lies on it, and does not float"
    assert at[:, 1].min() > -1e-6


@pytest.mark.parametrize("own", [{"size": 2.5}, {"tall": 3}, {"at": [0, 1.5, 0]}])
def test_it_is_laid_from_above_whatever_becomes_of_what_is_beneath(own: dict[str, Any]) -> None:
    product = over([{**things(ROCK)[0], **own}], wide=4, long=4)
    at, _ = sheet_of(product)
    top = max(
        product.mesh.positions[part(product, p.material)][..., 1].max()
        for p in product.mesh.parts
        if p.material != "cloth"
    )
    assert top > 1.2 and top < at[:, 1].max() < top + 0.06


@pytest.mark.parametrize("spans", [0.0, 0.4, 2.0])
@pytest.mark.parametrize("size", [(0.1, 0.1, 0.1), (1, 1, 1), (200, 0.2, 0.2), (200, 200, 200)])
def test_a_body_is_known_at_so_many_points_at_most(size: Any, spans: float) -> None:
    box = trimesh.creation.box(size)
    body = body_of(np.asarray(box.triangles, float), spans)
    assert 27 <= body.away.size < 2.5 * draping._MOST_POINTS
    assert body.cell >= draping._FINEST and np.isfinite(body.away).all()


def test_hollows_are_spanned_as_far_as_told() -> None:
    depth = {}
    for spans in (0, 60):
        product = over(things(JAR), spans=spans, wide=1.6, long=1.6, stuff="linen")
        at, _ = sheet_of(product)
        middle = np.hypot(at[:, 0], at[:, 2]) < 0.05
        depth[spans] = float(product.mesh.positions[:, 1].max() - at[middle, 1].min())
    assert depth[60] < 0.04 < 1.5 * depth[60] + 0.02 < depth[0]


def test_what_it_lies_on_comes_with_it_or_not() -> None:
    whole, bare = (over(things(ROCK), shown=shown) for shown in (True, False))
    assert set(whole.materials) == {"cloth", "a0 stone"} and set(bare.materials) == {"cloth"}
    assert len(whole.collider.pieces) == 1 and not bare.collider.pieces
    assert np.array_equal(sheet_of(whole)[0], sheet_of(bare)[0]), "the sheet is the same"
    assert not over(things(ROCK), game={"collider": "none"}).collider.pieces
    assert over(things(ROCK, JAR)).mesh.triangles > over(things(ROCK, JAR), detail=1).mesh.triangles


def test_what_is_not_there_or_too_much_is_told_or_left_out(monkeypatch: pytest.MonkeyPatch) -> None:
    gone = over([{"id": "p", "asset": "gone"}])
    assert set(gone.materials) == {"cloth"} and sheet_of(gone)[0][:, 1].max() < 0.2
    monkeypatch.setattr(cloth_module, "MOST_TRIANGLES", 700)
    with pytest.raises(TooLargeError, match="the limit is 700") as failed:
        over(things({**ROCK, "parameters": {"triangles": 801}}))
    assert failed.value.field == "parts"
