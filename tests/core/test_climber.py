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

from plough.core.library import Library
from plough.core.place.climb import ClimbRule, Soup, Stems, climbed, nearest_front, soup_of
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


def box() -> Soup:
    return soup_of(np.asarray(trimesh.creation.box((4, 3, 1)).triangles))


def grown(soup: Soup, stems: int, **own: Any) -> Stems:
    rule = ClimbRule(np.uint64(5), 0.08, 5.0, stems, 0.6, 0.5, 0.02, 0.2)._replace(**own)
    ids = np.array([7, 8], np.uint64)
    at, off = np.array([[0.3, -1.4, 0.52], [-1.2, -1.4, 0.52]]), np.array([[0, 0, 1.0]] * 2)
    return climbed(soup, rule, ids, at, off)


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
    soup = box()
    stems = grown(soup, 30, up=1.0, reach=8.0)
    top = stems.points[:, 1] > 1.5
    assert top.any() and (stems.points[:, 2] < -0.5).any()  # up, over, and down behind
    for x, y, z in stems.points[::5]:
        t, fx, fy, fz = nearest_front(soup.grid, x, y, z, 0.5)
        assert t >= 0
        away = np.linalg.norm([x - fx, y - fy, z - fz])
        assert away == pytest.approx(0.02, abs=2e-3)


def test_a_pull_upwards_lifts_and_reach_and_age_are_lengths() -> None:
    soup = box()

    def high(up: float) -> float:
        return float(grown(soup, 20, up=up, reach=2.0).points[:, 1].mean())

    assert high(1.0) > high(0.0) + 0.2
    for reach in (1.0, 2.5):
        stems = grown(soup, 20, reach=reach)
        step = np.linalg.norm(np.diff(stems.points, axis=0), axis=1)
        for a, b in zip(stems.first[:-1], stems.first[1:], strict=True):
            assert step[a : b - 1].sum() < reach + 0.35
        a, b = stems.first[:2]
        assert step[a : b - 1].sum() > 0.85 * reach
    young = run(age=30).layer("ivy").output
    old = run(age=100).layer("ivy").output
    assert young.placements is not None and old.placements is not None
    assert young.placements.count < 0.6 * old.placements.count


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
    assert "the limit is 2,000 stems" in told(starts="foot", share=100, stems=200, reach=0.2)
    assert told() == ""
