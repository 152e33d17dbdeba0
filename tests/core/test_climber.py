"""Climbers: no stem and no leaf goes through what is climbed, more stems leave the others, and starts stand by themselves."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation
from trimesh.ray.ray_pyembree import RayMeshIntersector

from plough.core.errors import ParameterError
from plough.core.kinds import make
from plough.core.layers import climber
from plough.core.library import Library
from plough.core.mesh.grid import Grid, clear_skins, free_lines, grid_of, nearest_fronts, skin_of
from plough.core.place.climb import ClimbRule, Stems, climbed
from plough.core.presets import preset
from plough.core.scene import Evaluation, Evaluator, read_document
from tests.conftest import SMALL

LIBRARY = Library()
EVALUATOR = Evaluator(LIBRARY)
LEAF, HOUSE = preset("oak-like-leaf"), preset("pump-house")
ASSETS = [
    {"id": "leaf", "name": "Leaf", "kind": LEAF.kind, "parameters": LEAF.parameters, "seeds": [1]},
    {"id": "hut", "name": "Hut", "kind": HOUSE.kind, "parameters": HOUSE.parameters, "seeds": [1]},
]
POINTS = [[-6, 6.5], [4, 6.5], [0.5, -9.5]]


def document(**own: Any) -> Any:
    """A wall, a house, and a climber over both."""
    found = copy.deepcopy(SMALL)
    ground = next(x for x in found["layers"] if x["kind"] == "ground")
    wall = {"points": [[-12, 5], [0, 6], [12, 5]], "height": 2.4, "bends": "sharp"}
    hut = {"id": "a", "asset": "hut", "seed": 1, "at": [0, -14]}
    ivy = {"mix": [{"asset": "leaf"}], "on": ["wall", "huts"], "points": POINTS, "stems": 20, **own}
    found["assets"] = ASSETS
    found["layers"] = [
        ground,
        {"id": "wall", "kind": "wall", "name": "Wall", "parameters": wall},
        {
            "id": "huts",
            "kind": "by_hand",
            "name": "Huts",
            "parameters": {"mix": [{"asset": "hut"}], "placed": [hut]},
        },
        {"id": "ivy", "kind": "climber", "name": "Ivy", "parameters": ivy},
        found["layers"][-1],
    ]
    return found


def run(**own: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document(**own)))


def standing(found: Evaluation) -> trimesh.Trimesh:
    """All that can be climbed, by another library."""
    parts = [s.mesh for s in found.layer("wall").output.solids]
    corners = [m.positions[m.indices] for m in parts]
    made = found.layer("huts").output.placements
    assert made is not None
    hut = LIBRARY.level(made.variants[0], 0).mesh
    whole = made.whole()
    points = Rotation.from_quat(whole.rotation[0]).apply(hut.positions) + whole.position[0]
    corners.append(points[hut.indices])
    faces = np.concatenate(corners)
    return trimesh.Trimesh(
        faces.reshape(-1, 3), np.arange(3 * len(faces)).reshape(-1, 3), process=False
    )


def through(mesh: trimesh.Trimesh, ends: Any) -> int:
    """How many of some lines (n, 2, 3) go through a mesh."""
    way = ends[:, 1] - ends[:, 0]
    long = np.linalg.norm(way, axis=1)
    kept = long > 1e-6
    ends, way, long = ends[kept], way[kept] / long[kept][:, None], long[kept]
    rays = RayMeshIntersector(mesh, scale_to_box=False)
    at, row, _ = rays.intersects_location(ends[:, 0], way, multiple_hits=False)
    away = np.linalg.norm(at - ends[row, 0], axis=1)
    return int((away < long[row] - 1e-4).sum())


def lines_of(found: Evaluation) -> Any:
    """(n, 2, 3) the middles of the stems, ring by ring: five vertices and one more for the seam make a ring."""
    out = []
    for solid in found.layer("ivy").output.solids:
        edges = solid.mesh.indices[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        out.append(solid.mesh.positions[edges].astype(float))
    return np.concatenate(out)


def leaves_of(found: Evaluation) -> Any:
    """(n, m, 3) the vertices of each leaf where it stands."""
    made = found.layer("ivy").output.placements
    assert made is not None
    whole = made.whole()
    points = LIBRARY.level(made.variants[0], 0).mesh.positions.astype(float)
    turned = Rotation.from_quat(whole.rotation.astype(float)).as_matrix()
    sized = points[None] * whole.scale[:, None].astype(float)
    return np.einsum("nij,nmj->nmi", turned, sized) + whole.position[:, None]


@pytest.mark.parametrize(
    "own",
    [
        {},
        {"wander": 1, "up": 0, "gap": 1},
        {"cling": 0.8, "seed": 4},
        {"starts": "foot", "share": 15, "stems": 8, "either": 90, "facing": 180},
    ],
)
def test_nothing_of_it_goes_through_what_it_climbs(own: dict[str, Any]) -> None:
    found = run(**own)
    mesh = standing(found)
    assert through(mesh, lines_of(found)) == 0
    leaves = leaves_of(found)
    assert len(leaves) > 200
    made = found.layer("ivy").output.placements
    assert made is not None
    faces = LIBRARY.level(made.variants[0], 0).mesh.indices.astype(int)
    edges = np.unique(np.sort(faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1), axis=0)
    assert through(mesh, leaves[:, edges].reshape(-1, 2, 3)) == 0


def test_it_keeps_near_what_it_climbs_and_above_the_ground() -> None:
    found = run(gap=0)
    spots, _ = trimesh.sample.sample_surface(standing(found), 400_000, seed=1)
    near = cKDTree(spots)
    for solid in found.layer("ivy").output.solids:
        away, _ = near.query(solid.mesh.positions.astype(float))
        assert away.max() < 0.15
        x, y, z = solid.mesh.positions.astype(float).T
        assert (y - found.surface.sample(x.copy(), z.copy()).position[:, 1]).min() > -0.15
    leaves = leaves_of(found)
    x, y, z = leaves[:, 0].T
    assert (y > found.surface.sample(x.copy(), z.copy()).position[:, 1]).all()


def box() -> Grid:
    return grid_of(np.asarray(trimesh.creation.box((4, 3, 1)).triangles))


def grown(grid: Grid, stems: int, **own: Any) -> Stems:
    rule = ClimbRule(np.uint64(5), 0.08, 5.0, stems, 0.6, 0.5, 0.02, 0.2)._replace(**own)
    ids = np.array([7, 8], np.uint64)
    at, off = np.array([[0.3, -1.4, 0.52], [-1.2, -1.4, 0.52]]), np.array([[0, 0, 1.0]] * 2)
    return climbed(grid, rule, ids, at, off)


def named(stems: Stems) -> dict[int, bytes]:
    return {
        int(i): stems.points[a:b].tobytes()
        for i, a, b in zip(stems.ids, stems.first[:-1], stems.first[1:], strict=True)
    }


def test_more_stems_leave_the_others_and_so_do_other_starts() -> None:
    few, many = named(grown(box(), 5)), named(grown(box(), 40))
    assert len(few) == 10 and len(many) == 80
    assert few.items() <= many.items()
    before = run(points=POINTS[:1]).layer("ivy").output
    after = run(points=POINTS[:2]).layer("ivy").output
    solid, more = ({s.name: s.mesh.positions.tobytes() for s in o.solids} for o in (before, after))
    assert solid.items() <= more.items() and len(more) == 2
    assert before.placements is not None and after.placements is not None
    first, then = ({int(i) for i in o.placements.whole().ids} for o in (before, after))
    assert first < then


def test_stems_go_over_a_rim_and_lie_off_the_face_all_the_way() -> None:
    grid = box()
    stems = grown(grid, 30, up=1.0, reach=8.0)
    top = stems.points[:, 1] > 1.5
    assert top.any() and (stems.points[:, 2] < -0.5).any()  # up, over, and down behind
    found, foot = nearest_fronts(grid, stems.points, 0.5)
    assert (found >= 0).all()
    assert np.linalg.norm(stems.points - foot, axis=1) == pytest.approx(0.02, abs=2e-3)


def test_a_pull_upwards_lifts_and_reach_and_age_are_lengths() -> None:
    grid = box()

    def high(up: float) -> float:
        return float(grown(grid, 20, up=up, reach=2.0).points[:, 1].mean())

    assert high(1.0) > high(0.0) + 0.2
    for reach in (1.0, 2.5):
        stems = grown(grid, 20, reach=reach)
        step = np.linalg.norm(np.diff(stems.points, axis=0), axis=1)
        for a, b in zip(stems.first[:-1], stems.first[1:], strict=True):
            assert step[a : b - 1].sum() < reach + 0.35
        a, b = stems.first[:2]
        assert step[a : b - 1].sum() > 0.85 * reach
    young = run(age=30).layer("ivy").output
    old = run(age=100).layer("ivy").output
    assert young.placements is not None and old.placements is not None
    assert young.placements.count < 0.6 * old.placements.count


def test_it_starts_outside_though_set_on_or_in_a_wall() -> None:
    front = -14 + max(f.at[1] for f in make("building", HOUSE.parameters, 1).faces)
    mesh = standing(run())
    for z in (front + 0.4, front, front - 0.15):
        found = run(points=[[-2.4, z], [2.6, z]])
        solids = found.layer("ivy").output.solids
        assert len(solids) == 2
        for solid in solids:
            assert solid.mesh.triangles > 1000
            at = solid.mesh.positions.astype(float)
            foot = at[at[:, 1] < at[:, 1].min() + 0.3]
            assert foot[:, 2].min() > front - 0.02
        assert through(mesh, lines_of(found)) == 0


def test_it_starts_as_high_on_a_face_as_its_point_lies() -> None:
    front = -14 + max(f.at[1] for f in make("building", HOUSE.parameters, 1).faces)

    def stems(*point: float) -> dict[str, Any]:
        found = run(points=[[2.6, front], point], up=1.0, thick=0.5)
        assert through(standing(found), lines_of(found)) == 0
        return {s.name: s.mesh.positions for s in found.layer("ivy").output.solids}

    at = [stems(-2.4, front), stems(-2.4, front, 1.2), stems(-2.4, front, 2.0)]
    first, second = at[0]
    lowest = [float(s[second][:, 1].min()) for s in at]
    # a house stands on its base; what is pulled upwards goes hardly below where it starts
    assert np.diff(lowest) == pytest.approx([1.2 - 0.12, 0.8], abs=0.25)
    assert len({s[first].tobytes() for s in at}) == 1, "the other start keeps its stems"


def test_it_starts_from_that_share_of_the_foot_which_faces_so() -> None:
    def starts(**own: Any) -> set[str]:
        found = run(starts="foot", stems=1, **own).layer("ivy").output
        return {s.name for s in found.solids}

    few, many, north = starts(share=10), starts(share=40), starts(share=40, either=45)
    assert few < many and north < many
    assert 2.2 < len(many) / len(few) < 7
    assert not starts(share=0)


def test_what_is_lacking_is_told() -> None:
    def told(**own: Any) -> str:
        return " ".join(f.text for f in run(**own).layer("ivy").output.findings)

    assert "no layer is chosen" in told(on=[])
    assert "missing" in told(on=["gone"])
    assert "near its starts" in told(points=[[40, 40]])
    assert "the limits are 2,000 stems" in told(starts="foot", share=100, stems=200, reach=0.2)
    assert told() == ""
    # what has no faces but leaves that are cut out
    leaves = document()
    leaves["layers"][2]["parameters"] = {
        "mix": [{"asset": "leaf"}],
        "placed": [{"id": "a", "asset": "leaf", "seed": 1, "at": POINTS[0]}],
    }
    for own in ({}, {"starts": "foot", "share": 100}):
        leaves["layers"][3]["parameters"] |= {"on": ["huts"], **own}
        found = EVALUATOR.evaluate(read_document(leaves)).layer("ivy").output
        assert "near its starts" in " ".join(f.text for f in found.findings)
    assert told(on=["gone"] * 1000).count("missing") == 1


def test_too_much_is_refused_before_it_is_grown(monkeypatch: pytest.MonkeyPatch) -> None:
    def told(**own: Any) -> str:
        found = run(**own).layer("ivy").output
        placed = found.placements
        assert placed is None or placed.count <= climber.MOST_LEAVES
        return " ".join(f.text for f in found.findings)

    monkeypatch.setattr(climber, "MOST_METRES", 100)
    assert "and 100 m of them, so it starts 1 times" in told(stems=20, reach=5, seed=11)
    monkeypatch.setattr(climber, "MOST_METRES", 8_000)
    monkeypatch.setattr(climber, "MOST_LEAVES", 500)
    assert "the limit is 500" in told(dense=200, seed=12)
    monkeypatch.setattr(climber, "MOST_LEAVES", 60_000)
    monkeypatch.setattr(climber, "MOST_TRIANGLES", 100)
    assert "the limit is 100" in told(seed=13)
    assert "the limit is 100" in told(seed=14, starts="foot")


@pytest.mark.parametrize(
    ("own", "field"),
    [
        ({"reach": 1e30}, "reach"),
        ({"stems": 10**9}, "stems"),
        ({"dense": float("nan")}, "dense"),
        ({"points": [[0, 0]] * 61}, "points"),
        ({"points": []}, "points"),
        ({"points": [[0, 0, 61]]}, "points.0"),
        ({"points": [[0, 0, 1, 1]]}, "points.0"),
        ({"size": [500, 5]}, "size"),
    ],
)
def test_bad_numbers_name_their_field(own: dict[str, Any], field: str) -> None:
    with pytest.raises(ParameterError) as caught:
        run(**own)
    assert field in caught.value.field


def test_what_is_far_changes_nothing_and_what_is_near_does() -> None:
    def ivy(*huts: Any, by: Evaluator = EVALUATOR) -> dict[str, bytes]:
        own = document(points=POINTS[:1])
        placed = own["layers"][2]["parameters"]["placed"]
        placed += [{**placed[0], "id": f"b{k}", "at": at} for k, at in enumerate(huts)]
        found = by.evaluate(read_document(own)).layer("ivy").output
        assert found.placements is not None
        whole = found.placements.whole()
        solids = {s.name: s.mesh.positions.tobytes() for s in found.solids}
        return {**solids, "leaves": whole.position.tobytes() + whole.ids.tobytes()}

    plain = ivy()
    assert ivy([25, -25]) == plain
    assert ivy([25, -25], [-28, -24]) == plain
    near = ivy([6, 5.5])
    assert near != plain
    assert near == ivy([6, 5.5], by=Evaluator(Library())), "nothing of it is from before"


def soup(count: int, seed: int) -> trimesh.Trimesh:
    """Triangles of all sizes, none joined with another."""
    rng = np.random.default_rng(seed)
    size = 10.0 ** rng.uniform(-2, 0.5, (count, 1, 1))
    corners = rng.uniform(-2, 2, (count, 1, 3)) + size * rng.normal(0, 1, (count, 3, 3))
    return trimesh.Trimesh(
        corners.reshape(-1, 3), np.arange(3 * count).reshape(-1, 3), process=False
    )


@pytest.mark.parametrize("seed", range(3))
def test_the_grid_finds_what_another_library_finds(seed: int) -> None:
    mesh = soup(600, seed)
    grid = grid_of(np.asarray(mesh.triangles))
    rng = np.random.default_rng(seed + 50)
    places = rng.uniform(-2.5, 2.5, (400, 3))
    found, foot = nearest_fronts(grid, places, 0.6)
    corners = np.asarray(mesh.triangles)
    for place, t, at in zip(places, found, foot, strict=True):
        seen = ((place - corners[:, 0]) * np.asarray(mesh.face_normals)).sum(axis=1) > 0
        near = trimesh.triangles.closest_point(corners[seen], np.tile(place, (seen.sum(), 1)))
        away = np.linalg.norm(near - place, axis=1)
        assert (t >= 0) == (away.min() <= 0.6)
        if t >= 0:
            assert np.linalg.norm(at - place) == pytest.approx(away.min(), abs=1e-9)
    ends = places[:, None] + rng.normal(0, 0.4, (400, 2, 3))
    free = free_lines(grid, ends)
    assert 0.05 < free.mean() < 0.95
    assert through(mesh, ends[free]) == 0
    for k in np.nonzero(~free)[0]:
        assert through(mesh, ends[k : k + 1]) == 1


def test_a_skin_is_cut_by_what_pricks_it_too() -> None:
    """Triangle by triangle, by another library's rays: edges through faces, either way."""
    mesh = soup(300, 9)
    grid = grid_of(np.asarray(mesh.triangles))
    rng = np.random.default_rng(2)
    one = trimesh.creation.icosphere(1, 0.2)
    skin = skin_of(np.asarray(one.vertices), np.asarray(one.faces, np.int64))
    position = rng.uniform(-2.5, 2.5, (200, 3))
    rotation = Rotation.random(200, rng=rng)
    scale = rng.uniform(0.3, 1.5, (200, 3))
    clear = clear_skins(grid, skin, position, rotation.as_quat(), scale)
    assert 0.1 < clear.mean() < 0.9
    edges = np.asarray(mesh.triangles)[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2, 3)
    for k in range(200):
        points = rotation[k].apply(skin.points * scale[k]) + position[k]
        own = trimesh.Trimesh(points, one.faces, process=False)
        cut = through(mesh, points[skin.edges]) > 0 or through(own, edges) > 0
        assert clear[k] == (not cut)
