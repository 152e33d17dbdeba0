"""Fences, gates and hedges: what stands along a line, open where paths cross, and only what is near a change changes."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

from plough.core.errors import ParameterError
from plough.core.lay.beams import Beams, Wear, beamed
from plough.core.lay.skin import Skin
from plough.core.library.library import Library
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.trouble import trouble
from tests.core.test_walls import LINE, run, scene

PATH = {"points": [[1, -20], [1, 20]], "width": 2}
AWAY = {"points": [[40, -40], [50, -40]], "width": 1}
STRAIGHT = [[-12, 4], [12, 4]]
STYLES = ["rails", "pales", "boards"]


def made(kind: str, path: Any = PATH, resolution: float | None = None, **own: Any) -> Evaluation:
    document = scene(path, **own)
    if resolution is not None:
        document["layers"][0]["parameters"]["resolution"] = resolution
    layer = next(x for x in document["layers"] if x["id"] == "wall")
    layer["kind"] = kind
    layer["parameters"].pop("ties")
    return run(document)


def beams(found: Evaluation, slot: str = "timber") -> list[trimesh.Trimesh]:
    """Every beam as a mesh of another library."""
    out = []
    for solid in found.layer("wall").output.solids:
        for part in solid.mesh.parts:
            if part.material != slot:
                continue
            faces = solid.mesh.indices[part.first : part.first + part.count]
            for k in np.unique(faces[:, 0] // 24):
                own = faces[faces[:, 0] // 24 == k] - 24 * int(k)
                places = solid.mesh.positions[24 * int(k) : 24 * int(k) + 24].astype(float)
                out.append(trimesh.Trimesh(places, own, process=True))
    return out


def codes(found: Evaluation) -> set[str]:
    return {f.code for f in found.layer("wall").output.findings}


@pytest.mark.parametrize("style", STYLES)
@pytest.mark.parametrize("bends", ["round", "sharp"])
def test_all_timber_is_closed_and_faces_outwards(style: str, bends: str) -> None:
    found = made("fence", points=LINE, style=style, bends=bends, gate="boards")
    timber = beams(found)
    assert len(timber) > 30
    assert all(b.is_watertight and b.is_winding_consistent and b.volume > 0 for b in timber)
    for solid in found.layer("wall").output.solids:
        m = solid.mesh
        assert np.abs(np.linalg.norm(m.normals, axis=1) - 1).max() < 1e-3
        assert (np.abs((m.tangents[:, :3] * m.normals).sum(axis=1)) < 2e-2).all()


def upright(timber: list[trimesh.Trimesh]) -> list[trimesh.Trimesh]:
    return [b for b in timber if b.extents[1] > 1.0 and max(b.extents[0], b.extents[2]) < 0.35]


def test_posts_stand_in_the_ground_no_farther_apart_than_they_may() -> None:
    found = made("fence", AWAY, points=[[-20, 4], [20, -6]], bay=2.5, off=0)
    surface = found.surface
    posts = upright(beams(found))
    places = np.array(sorted([b.bounds.mean(axis=0)[0], b.bounds.mean(axis=0)[2]] for b in posts))
    gaps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert gaps.max() <= 2.5 * 1.05 and np.ptp(gaps) < 0.02, "shared out"
    ground = surface.sample(*(np.ascontiguousarray(places[:, k]) for k in (0, 1))).position[:, 1]
    low = np.array([b.bounds[0, 1] for b in sorted(posts, key=lambda b: b.bounds.mean(axis=0)[0])])
    assert (ground - low).min() > 0.35
    line = np.interp(places[:, 0], [-20, 20], [4, -6])
    assert np.abs(line - places[:, 1]).max() < 0.02


@pytest.mark.parametrize("style", STYLES)
def test_a_fence_is_open_where_a_path_crosses_and_a_gate_fits_between_its_posts(style: str) -> None:
    own = {"points": STRAIGHT, "style": style, "beside": 0.4}
    bare = beams(made("fence", gate="none", **own))
    inside = [b for b in bare if -0.2 + 0.05 < b.bounds.mean(axis=0)[0] < 2.2 - 0.05]
    assert inside == []
    gated = beams(made("fence", gate="bars", ajar=0, **own))
    leaf = [b for b in gated if 0.0 < b.bounds.mean(axis=0)[0] < 2.0]
    assert len(leaf) >= 6, "stiles, bars and a brace"
    assert min(b.bounds[0, 0] for b in leaf) > -0.2 and max(b.bounds[1, 0] for b in leaf) < 2.2
    for b in leaf:
        assert abs(b.bounds.mean(axis=0)[2] - 4) < 0.12, "in line when it is shut"
    ajar = beams(made("fence", gate="bars", ajar=90, **own))
    swung = [b for b in ajar if abs(b.bounds.mean(axis=0)[2] - 4) > 0.3]
    assert len(swung) >= 4
    # to the left of a line from west to east is north
    assert all(b.bounds.mean(axis=0)[2] < 4 for b in swung)


def test_wide_gates_have_two_leaves() -> None:
    wide = {"points": [[1, -20], [1, 20]], "width": 5}
    timber = beams(made("fence", wide, points=STRAIGHT, gate="bars", ajar=80))
    swung = [b for b in timber if abs(b.bounds.mean(axis=0)[2] - 4) > 0.4]
    middle = [b.bounds.mean(axis=0)[0] for b in swung]
    assert min(middle) < 0
    assert max(middle) > 2


@pytest.mark.parametrize("kind", ["wall", "bricks"])
def test_gates_hang_in_walls_clear_of_their_jambs(kind: str) -> None:
    found = made(kind, points=STRAIGHT, gate="boards", ajar=0, beside=0.2)
    gates = [s for s in found.layer("wall").output.solids if s.name.startswith("gate")]
    (gate,) = gates
    low, high = gate.mesh.positions.min(axis=0), gate.mesh.positions.max(axis=0)
    assert 0.7 < high[0] - low[0] < 2.5 and low[0] > -0.4 and high[0] < 2.4
    for solid in found.layer("wall").output.solids:
        if solid is gate:
            continue
        near = np.abs(solid.mesh.positions[:, 2] - 4) < 0.6
        up = (solid.mesh.positions[:, 1] > low[1] + 0.05) & (solid.mesh.positions[:, 1] < high[1])
        x = solid.mesh.positions[near & up, 0]
        assert not ((x > low[0]) & (x < high[0])).any(), "no stone stands in the gate"
    assert not [
        s for s in made(kind, points=STRAIGHT).layer("wall").output.solids if "gate" in s.name
    ]


def test_a_dragged_knot_changes_only_spans_near_it() -> None:
    line = [[-24, 0], [-14, 3], [-4, 0], [6, 3], [16, 0], [24, 3]]
    moved = [*line[:1], [-14, 5], *line[2:]]

    def solids(points: Any) -> Any:
        found = made("fence", AWAY, points=points, style="pales")
        return {s.name: s for s in found.layer("wall").output.solids}

    before, after = solids(line), solids(moved)
    assert before.keys() == after.keys()
    same = {n for n in before if before[n].key == after[n].key}
    assert "4" in same and not same & {"0", "1"}
    for name in same:
        assert np.array_equal(before[name].mesh.positions, after[name].mesh.positions)


def test_colliders_cover_posts_and_leave_openings_free() -> None:
    found = made("fence", points=STRAIGHT, gate="none", beside=0)
    boxes = [b for s in found.layer("wall").output.solids for b in s.collider.pieces]
    assert boxes
    for b in boxes:
        assert not (b[:, 0].min() < 1 < b[:, 0].max())
    covered = sum(float(np.ptp(b[:, 0])) for b in boxes)
    assert covered == pytest.approx(24 - 2, abs=0.1)


def test_bounds_are_told_before_anything_is_built() -> None:
    far = [[-1000, 0], [1000, 0]]
    with pytest.raises(ParameterError, match=r"bay.*limit is 4,000"):
        made("fence", points=far, bay=0.4)
    with pytest.raises(ParameterError, match=r"pale.*limit is 20,000"):
        made("fence", points=far, style="pales", pale=15, gap=1)
    with pytest.raises(ParameterError, match="nothing over its openings"):
        made("fence", points=LINE, openings=[{"id": "a", "at": [0, 0], "head": "arch"}])
    with pytest.raises(ParameterError, match=r"spacing.*limit is 40,000"):
        made("hedge", points=far, spacing=0.1, rows=6)


MIX = [{"asset": "willow"}]


def placed(found: Evaluation) -> Any:
    out = found.layer("wall").output.placements
    assert out is not None
    return out.whole()


def test_a_hedge_stands_along_its_line_in_rows_and_is_open_where_a_path_crosses() -> None:
    found = made("hedge", points=STRAIGHT, mix=MIX, rows=2, between=0.6, spacing=0.8, beside=1)
    x, _, z = placed(found).position.T
    assert len(x) > 2 * 0.8 * (24 - 3) / 0.8
    assert np.abs(np.abs(z - 4) - 0.3).max() < 0.11
    inside = np.abs(x - 1) < 1.5
    assert not inside.any()
    west = np.sort(x[(x < 0) & (z < 4)])
    assert np.diff(west).max() < 0.8 * 1.3


def test_a_bank_rises_under_a_hedge_and_falls_off_before_a_path() -> None:
    flat = made("hedge", points=STRAIGHT, mix=MIX)
    own = {"bank": 1.2, "crown": 1.4, "slope": 45}
    high = made("hedge", points=STRAIGHT, mix=MIX, **own)

    def rise(x: float, z: float) -> float:
        at = np.array([x]), np.array([z])
        a, b = (f.surface.sample(*at).position[0, 1] for f in (flat, high))
        return float(b - a)

    assert rise(-6, 4) == pytest.approx(1.2, abs=0.25)
    assert rise(-6, 9) == pytest.approx(0, abs=1e-6)
    assert abs(rise(1, 4)) < 0.35, "the way through is all but level"
    on = placed(high).position
    ground = high.surface.sample(
        on[:, 0].astype(float), np.ascontiguousarray(on[:, 2]).astype(float)
    ).position[:, 1]
    assert np.abs(on[:, 1] - ground).max() < 0.08
    whole = made("hedge", points=STRAIGHT, mix=MIX, crossed="none", **own)
    at = np.array([1.0]), np.array([4.0])
    through = whole.surface.sample(*at).position[0, 1] - flat.surface.sample(*at).position[0, 1]
    assert through == pytest.approx(1.2, abs=0.25)


def test_a_bank_goes_on_over_the_first_point_of_a_closed_line() -> None:
    ring = {"points": [[-12, 8], [-12, -8], [14, -8], [14, 8]], "closed": True, "mix": MIX}
    way = {**PATH, "points": [[1, 0], [1, 30]]}
    flat = made("hedge", way, 0.5, **ring)
    high = made("hedge", way, 0.5, **ring, bank=1.0, crown=1.4, slope=45)

    def rise(x: float, z: float) -> float:
        at = np.array([x]), np.array([z])
        a, b = (f.surface.sample(*at).position[0, 1] for f in (flat, high))
        return float(b - a)

    line = high.layer("wall").output.curves[0].line
    south = line[line[:, 1] > 0]
    far = np.hypot(*(line - south[np.abs(south[:, 0] - 1).argmin()]).T) > 5
    rises = np.array([rise(*p) for p in line.tolist()])
    assert far.sum() > 40
    assert rises[far].min() > 0.7 and rises[far].max() < 1.3, "no gap, and nothing twice"
    assert rises.min() < 0.4, "there is a way through"


def test_ground_too_coarse_for_a_bank_is_told() -> None:
    own = {"points": STRAIGHT, "mix": MIX, "bank": 1.2, "crown": 0.6}
    assert "coarse-ground" in codes(made("hedge", resolution=1.0, **own))
    assert "coarse-ground" not in codes(made("hedge", resolution=0.5, **own))
    assert "coarse-ground" not in codes(made("hedge", resolution=1.0, **{**own, "bank": 0}))


def test_what_stands_in_a_hedge_hangs_on_its_own_span() -> None:
    line = [[-24, 0], [-14, 3], [-4, 0], [6, 3], [16, 0], [24, 3]]
    moved = [*line[:1], [-14, 5], *line[2:]]
    before, after = (placed(made("hedge", AWAY, points=p, mix=MIX)) for p in (line, moved))
    east = before.position[:, 0] > 7
    assert east.sum() > 15
    row = {i: k for k, i in enumerate(after.ids.tolist())}
    for k in np.nonzero(east)[0]:
        other = row[int(before.ids[k])]
        assert np.array_equal(before.position[k], after.position[other])
        assert np.array_equal(before.rotation[k], after.rotation[other])
        assert before.variant[k] == after.variant[other]


def test_hedges_face_along_their_line() -> None:
    found = placed(made("hedge", AWAY, points=[[-10, -10], [10, 10]], mix=MIX, turn=0))
    yaw = 2 * np.arctan2(found.rotation[:, 1], found.rotation[:, 3])
    assert np.ptp(np.mod(yaw, math.tau)) < 1e-3


def test_nothing_chosen_is_told() -> None:
    assert "nothing-chosen" in codes(made("hedge", points=STRAIGHT))


def test_a_hedge_may_grow_into_itself_but_nothing_else_may() -> None:
    library = Library()
    document = scene(AWAY, points=STRAIGHT, mix=MIX, spacing=0.3)
    layer = next(x for x in document["layers"] if x["id"] == "wall")
    layer["kind"] = "hedge"
    layer["parameters"].pop("ties")

    def told() -> list[str]:
        found = Evaluator(library).evaluate(read_document(document))
        return [f"{f.layer} {f.code}" for f in trouble(found, library).findings]

    assert told() == []
    parameters = {"mix": MIX, "placed": [{"id": "p", "asset": "willow", "seed": 1, "at": [0, 4.1]}]}
    hand = {"id": "hand", "kind": "by_hand", "name": "Hand", "parameters": parameters}
    document["layers"].insert(-1, hand)
    assert {"hand intersecting", "hand forbidden-ground"} <= set(told())


@pytest.mark.parametrize("gate", ["none", "bars"])
def test_posts_stand_clear_of_each_other(gate: str) -> None:
    posts = upright(beams(made("fence", points=STRAIGHT, gate=gate, ajar=0, bay=1.7, off=0)))
    posts = [b for b in posts if b.bounds[0, 1] < b.bounds[1, 1] - 1.3]
    assert len(posts) > 10
    x = np.sort([b.bounds.mean(axis=0)[0] for b in posts])
    wide = [float(b.extents[0]) for b in sorted(posts, key=lambda b: b.bounds.mean(axis=0)[0])]
    gaps = np.diff(x) - 0.5 * (np.array(wide[1:]) + np.array(wide[:-1]))
    assert gaps.min() > 0.3


@pytest.mark.parametrize("edge", [0.0, 0.01])
@pytest.mark.parametrize("runs_up", [False, True])
def test_tangents_of_beams_run_as_their_texture_grows(edge: float, runs_up: bool) -> None:
    many = 12
    turns = np.swapaxes(Rotation.random(many, random_state=4).as_matrix(), 1, 2)
    size = np.random.default_rng(4).uniform(0.1, 1.0, (many, 3))
    ids = np.arange(many).astype(np.uint64)
    boxes = Beams(np.zeros((many, 3)), np.ascontiguousarray(turns), size, ids)
    skin = Skin(np.uint64(1), 1.0, 0.5, 0.5, 0.5, 0.5, (0.2, 0.3, 0.1), 0.5)
    mesh = beamed(boxes, Wear(np.uint64(1), edge, 0.0), skin, np.zeros(many), "timber", runs_up)
    assert mesh.tangents is not None
    own = mesh.indices.astype(np.int64)
    flat = np.ptp(own // 4, axis=1) == 0  # of one face, not of its worn edges
    assert flat.sum() == 12 * many
    a, b, c = (own[flat, k] for k in range(3))
    for coordinate in range(2):
        edges = np.stack(
            [mesh.positions[b] - mesh.positions[a], mesh.positions[c] - mesh.positions[a]], 1
        )
        grows = np.stack([mesh.uv0[b] - mesh.uv0[a], mesh.uv0[c] - mesh.uv0[a]], 1)[..., coordinate]
        # the direction in the plane of the triangle by which it grows, by least squares
        way = np.einsum("nij,nj->ni", np.linalg.pinv(edges.astype(float)), grows)
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        tangent = mesh.tangents[a, :3].astype(float)
        if coordinate:  # glTF's bitangent, with v upwards: images have it downwards
            tangent = -mesh.tangents[a, 3:] * np.cross(mesh.normals[a], tangent)
        np.testing.assert_allclose(np.einsum("ni,ni->n", way, tangent), 1.0, atol=1e-3)
