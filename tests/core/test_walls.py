"""Stone walls: stones that cut no others, closed and facing outwards, joints within bounds, and only what is near a change changes."""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Iterable
from typing import Any

import manifold3d
import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from shapely import LineString, MultiPoint, Polygon, STRtree, points, total_bounds, union_all
from shapely.ops import substring

from plough.core.errors import ParameterError
from plough.core.ground import HeightField
from plough.core.lay.dressing import Dress
from plough.core.lay.fallen import fallen, lying
from plough.core.lay.on_wall import frame_of, place
from plough.core.lay.run import run_curve, spans_of
from plough.core.lay.skin import Skin
from plough.core.lay.stones import FACE, LEFT, RIGHT, Stones
from plough.core.lay.wall import Piece, laid_wall
from plough.core.layers.wall import MOST_STONES, WallParameters, rule_of
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.facets import Solid
from tests.conftest import SMALL
from tests.depth import examples, some

EVALUATOR = Evaluator()
LINE = [[-12, 6], [-4, 8], [2, 3], [10, 5]]
PATH = {"points": [[-2, -20], [-1, 20]], "width": 2}
WALLS: dict[str, dict[str, Any]] = {
    "courses": {},
    "rubble": {"bond": "rubble", "coping": "flat", "cope": 0.1},
    "corners": {"bends": "sharp"},
    "rubble with corners": {"bends": "sharp", "bond": "rubble"},
    "steps": {"follows": "steps", "bends": "sharp", "height": 1.7},
    "arch": {"crossed": "arch", "height": 3.6, "clear": 2.1, "batter": 2},
    "lintel": {"crossed": "lintel", "height": 2.8, "joints": "mortar", "gap": 6},
    "ruin": {"ruin": 45},
    "flags": {"paved": "flags", "apron": 3.0},
    "setts under an arch": {"paved": "setts", "crossed": "arch", "height": 3.6, "batter": 2},
    "cobbles between corners": {"paved": "cobbles", "bends": "sharp", "bond": "rubble"},
    "ring": {"closed": True, "points": [[-8, -6], [8, -5], [7, 7], [-7, 8]]},
    "ring with corners": {"closed": True, "bends": "sharp", "points": [[-8, -6], [8, -5], [7, 7]]},
}


def scene(path: Any = PATH, **own: Any) -> Any:
    """Hills with a wall on them, crossed by a path."""
    document = copy.deepcopy(SMALL)
    parameters = {"points": LINE, "ties": 1.2, **own}
    document["layers"] = [x for x in document["layers"] if x["kind"] in ("ground", "bake")]
    document["layers"].insert(
        1, {"id": "way", "kind": "path", "name": "Way", "parameters": dict(path)}
    )
    document["layers"].insert(
        2, {"id": "wall", "kind": "wall", "name": "Wall", "parameters": parameters}
    )
    return document


def run(document: Any, evaluator: Evaluator = EVALUATOR) -> Evaluation:
    return evaluator.evaluate(read_document(document))


def solids(found: Evaluation) -> Any:
    return {s.name: s for s in found.layer("wall").output.solids}


def stones_of(found: Evaluation) -> list[trimesh.Trimesh]:
    """Every stone as a mesh of another library."""
    return stones_in(found.layer("wall").output.solids)


def stones_in(made: Iterable[Solid]) -> list[trimesh.Trimesh]:
    out = []
    for solid in made:
        mesh = solid.mesh
        rows = np.concatenate(
            [np.arange(p.first, p.first + p.count) for p in mesh.parts if p.material == "stone"]
        )
        places, corner = np.unique(mesh.positions, axis=0, return_inverse=True)
        faces = corner.reshape(-1)[mesh.indices[rows]]
        ends = np.concatenate([faces[:, :2], faces[:, 1:]])
        links = coo_matrix((np.ones(len(ends)), ends.T), (len(places), len(places)))
        _, stone = connected_components(links, directed=False)
        order = np.argsort(stone[faces[:, 0]], kind="stable")
        first = np.nonzero(np.diff(stone[faces[order, 0]], prepend=-1))[0]
        for own in np.split(faces[order], first[1:]):
            used, own_faces = np.unique(own, return_inverse=True)
            out.append(trimesh.Trimesh(places[used], own_faces.reshape(-1, 3), process=False))
    return out


def solid_of(stone: trimesh.Trimesh) -> manifold3d.Manifold:
    return manifold3d.Manifold(
        manifold3d.Mesh(np.asarray(stone.vertices, np.float32), np.asarray(stone.faces, np.uint32))
    )


def pairs(stones: list[trimesh.Trimesh]) -> list[tuple[int, int]]:
    """Stones whose boxes meet."""
    low = np.array([s.bounds[0] for s in stones])
    high = np.array([s.bounds[1] for s in stones])
    out = []
    for k in range(len(stones)):
        near = np.nonzero((low[k + 1 :] < high[k]).all(1) & (high[k + 1 :] > low[k]).all(1))[0]
        out += [(k, int(k + 1 + j)) for j in near]
    return out


def overlap(stones: list[trimesh.Trimesh]) -> float:
    """The greatest volume that two stones share, by the lesser of theirs."""
    made = [solid_of(s) for s in stones]
    worst = 0.0
    for a, b in pairs(stones):
        shared = (made[a] ^ made[b]).volume()
        worst = max(worst, shared / min(stones[a].volume, stones[b].volume))
    return worst


@pytest.mark.parametrize("wall", some(list(WALLS), 5))
def test_every_stone_is_closed_faces_outwards_and_cuts_no_other(wall: str) -> None:
    stones = stones_of(run(scene(**WALLS[wall])))
    assert len(stones) > 150
    assert all(s.is_watertight and s.volume > 1e-6 for s in stones)
    assert overlap(stones) < 1e-4


def test_normals_agree_with_the_faces_that_they_light() -> None:
    for solid in solids(run(scene(bends="sharp"))).values():
        m = solid.mesh
        a, b, c = (m.positions[m.indices[:, k]].astype(float) for k in range(3))
        flat = np.cross(b - a, c - a)
        flat /= np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-12)
        mean = m.normals[m.indices].astype(float).mean(axis=1)
        agree = (flat * mean).sum(axis=1)
        assert agree.min() > -0.2  # backs, within the wall, have those of their sides
        assert (agree > 0.3).mean() > 0.8
        assert np.abs(np.linalg.norm(m.normals, axis=1) - 1).max() < 1e-3
        assert m.tangents is not None
        assert np.abs((m.tangents[:, :3] * m.normals).sum(axis=1)).max() < 2e-2


def rolling() -> HeightField:
    x, z = np.meshgrid(np.linspace(-32, 32, 65), np.linspace(-32, 32, 65))
    return HeightField((0.8 * np.sin(x / 9) + 0.05 * z).astype(np.float32), 64.0)


def layout(parameters: WallParameters) -> list[Piece]:
    curve = run_curve(parameters.points, parameters.bends, parameters.closed, parameters.thickness)
    spans = spans_of(curve, parameters.bends, rolling())
    return laid_wall(spans, rule_of(parameters, 7), [[] for _ in spans])[0]


def faces(pieces: list[Piece], side: int) -> list[Polygon]:
    """Outlines of what shows on one face of a straight wall."""
    every: list[Stones] = [p.stones for p in pieces]
    return [
        Polygon(s.corners[k, : s.count[k]])
        for s in every
        for k in range(len(s))
        if s.side[k] in (side, 0)
    ]


@pytest.mark.parametrize("side", [LEFT, RIGHT])
@pytest.mark.parametrize("bond", ["courses", "rubble"])
@pytest.mark.parametrize("uneven", [0.0, 1.0])
def test_a_face_is_covered_whole_and_its_outlines_do_not_overlap(
    bond: str, uneven: float, side: int
) -> None:
    p = WallParameters(
        points=((-9, 0), (9, 0)), bond=bond, uneven=uneven, coping="none", height=1.5
    )
    shapes = faces(layout(p), side)
    assert all(s.is_valid for s in shapes)
    one, other = STRtree(shapes).query(shapes, predicate="intersects")
    shared = [
        shapes[a].intersection(shapes[b]).area for a, b in zip(one, other, strict=True) if a < b
    ]
    assert max(shared) < 1e-6
    # none overlaps, so what they cover is the sum; a stone stays clear of knots that would cut it
    total, whole = sum(s.area for s in shapes), 18 * (p.height + p.footing)
    assert 1 - total / whole < (0.04 if bond == "rubble" else 0.015)
    bounds = total_bounds(shapes)
    assert bounds == pytest.approx((-0.0, -p.footing, 18, p.height), abs=1e-6)


def test_joints_are_no_wider_than_asked_for_but_by_so_much() -> None:
    """What stones leave open of a face seen straight on: their joints, and corners taken off."""
    for gap, most in ((4, 0.14), (24, 0.40)):
        p = WallParameters(
            points=((-9, 0), (9, 0)), gap=gap, coping="none", batter=0, uneven=0, ties=0
        )
        document = scene(
            path={"points": [[60, 60], [62, 62]]},
            **(p.model_dump(mode="json", exclude={"rounded"}) | {"rounded": 0.2}),
        )
        shown = []
        for stone in stones_of(run(document)):
            front = stone.vertices[stone.vertices[:, 2] > 0.06]
            if len(front) > 3:
                ring = MultiPoint(front[:, :2]).convex_hull
                shown.append(ring)
        union = union_all(shown)
        hull = union.buffer(0.06).buffer(-0.06)
        open_ = 1 - union.area / hull.area
        assert 0.02 < open_ < most


def changed(before: Evaluation, after: Evaluation) -> tuple[list[str], list[str]]:
    """Pieces that differ in any byte, and those that are the same."""
    a, b = solids(before), solids(after)

    def told(s: Any) -> bytes:
        m = s.mesh
        arrays = (m.positions, m.normals, m.uv0, m.indices, m.colors, m.masks, m.tangents)
        return b"".join(x.tobytes() for x in arrays)

    names = sorted(a.keys() | b.keys())
    differ = [n for n in names if n not in a or n not in b or told(a[n]) != told(b[n])]
    return differ, [n for n in names if n not in differ]


LONG = [[float(x), 4.0 * (k % 2)] for k, x in enumerate(range(-56, 57, 16))]


@pytest.mark.parametrize("bond", ["courses", "rubble"])
@pytest.mark.parametrize(("bends", "reach"), [("round", 3), ("sharp", 2)])
def test_a_knot_that_is_dragged_changes_what_is_near_and_nothing_else(
    bends: str, reach: int, bond: str
) -> None:
    away = {"points": [[60, 60], [62, 62]]}
    before = run(scene(path=away, points=LONG, bends=bends, bond=bond))
    moved = copy.deepcopy(LONG)
    moved[3][1] += 1.3
    after = run(scene(path=away, points=moved, bends=bends, bond=bond), Evaluator())
    differ, same = changed(before, after)
    spans = {int(n.split()[0]) for n in differ}
    assert spans <= set(range(3 - reach, 3 + reach)) and spans >= {2, 3}
    assert len(same) > 2


@pytest.mark.parametrize("wall", ["corners", "steps", "ruin", "ring", "arch"])
def test_what_was_kept_of_other_walls_changes_nothing(wall: str) -> None:
    seen = Evaluator()
    line = WALLS[wall].get("points", LINE)
    changes: list[dict[str, Any]] = [
        {},
        {"points": [line[0], [line[1][0], line[1][1] + 0.4], *line[2:]]},
        {"height": 1.9},
        {"ruin_seed": 5, "openings": [{"id": "a", "at": [-8, 7]}]},
        {"moss": 0.9},
    ]
    for k, change in enumerate(changes):
        document = scene(**WALLS[wall] | change)
        ground = next(x for x in document["layers"] if x["kind"] == "ground")
        ground["parameters"]["relief"] = 5 + k % 2
        differ, same = changed(run(document, seen), run(document, Evaluator()))
        assert same and not differ


def test_a_path_that_moves_takes_its_opening_along_and_few_stones_change() -> None:
    def at(x: float) -> Any:
        way = {"points": [[x, -20], [x, 20]], "width": 1.6}
        return run(scene(path=way, points=[[-30, 0], [0, 0], [30, 0]], bends="sharp"))

    before, after = at(-14.0), at(-13.7)
    differ, _ = changed(before, after)
    assert {n.split()[0] for n in differ} == {"0"} and len(differ) <= 2

    def middles(found: Evaluation) -> Counter[tuple[float, ...]]:
        return Counter(tuple(s.centroid.round(4)) for s in stones_of(found))

    a, b = middles(before), middles(after)
    assert 10 < (a - b).total() < 0.1 * a.total()
    # nothing of the wall is left where the path goes
    for x, found in ((-14.0, before), (-13.7, after)):
        for s in stones_of(found):
            low, high = s.bounds
            if high[1] - low[1] > 0.0 and low[0] < x + 0.75 and high[0] > x - 0.75:
                ground = found.surface.sample(np.array([x]), np.array([0.0])).position[0, 1]
                assert high[1] < ground + 0.12  # a sill


@pytest.mark.parametrize("head", ["lintel", "arch"])
def test_under_a_lintel_or_an_arch_one_walks_through_upright(head: str) -> None:
    way = {"points": [[0.3, -20], [0.3, 20]], "width": 1.2}
    found = run(
        scene(path=way, points=[[-8, 0], [8, 0]], height=3.4, crossed=head, clear=2.1, batter=1)
    )
    ground = float(found.surface.sample(np.array([0.3]), np.array([0.0])).position[0, 1])
    rays = trimesh.util.concatenate(stones_of(found)).ray
    for y, passes in ((0.5, True), (1.5, True), (2.9, False)):
        hit = rays.intersects_any([[0.3, ground + y, 5.0]], [[0, 0, -1]])[0]
        assert hit != passes
    # and there is wall above it to both sides
    for x in (-1.6, 2.2):
        assert rays.intersects_any([[x, ground + 2.3, 5.0]], [[0, 0, -1]])[0]


def test_own_openings_stand_where_they_are_set_whatever_becomes_of_far_points() -> None:
    own = {"id": "gate", "at": [12, 1], "width": 1.4, "head": "open"}
    before = run(scene(path={"points": [[60, 60], [62, 62]]}, points=LONG, openings=[own]))
    moved = copy.deepcopy(LONG)
    moved[0][0] -= 3
    after = run(scene(path={"points": [[60, 60], [62, 62]]}, points=moved, openings=[own]))
    differ, _ = changed(before, after)
    assert {int(n.split()[0]) for n in differ} <= {0, 1, 2}
    for found in (before, after):
        ground = float(found.surface.sample(np.array([12.0]), np.array([1.0])).position[0, 1])
        rays = trimesh.util.concatenate(stones_of(found)).ray
        assert not rays.intersects_any([[12, ground + 0.9, 9.0]], [[0, 0, -1]])[0]


def test_two_openings_without_wall_between_are_told_and_one_is_left_out() -> None:
    own = [{"id": f"g{k}", "at": [3 + 1.2 * k, 4], "width": 1.4} for k in range(2)]
    found = run(scene(path={"points": [[60, 60], [62, 62]]}, openings=own))
    assert [f.code for f in found.layer("wall").output.findings] == ["opening-lost"]


def test_a_bend_tighter_than_the_wall_is_told() -> None:
    tight = [[-9, 0], [0, 0], [0.4, 0.5], [0, 1], [-9, 1.4]]
    found = run(scene(points=tight, thickness=1.2, path={"points": [[60, 60], [62, 62]]}))
    assert "tight-bend" in {f.code for f in found.layer("wall").output.findings}
    assert all(s.is_watertight for s in stones_of(found))


def test_more_ruin_leaves_less_and_what_is_left_stands_as_it_stood() -> None:
    counts, kept = [], []
    for ruin in (5, 20, 45, 80):
        found = run(scene(path={"points": [[60, 60], [62, 62]]}, ruin=ruin, lying=0))
        middles = {tuple(s.centroid.round(3)) for s in stones_of(found)}
        counts.append(len(middles))
        kept.append(middles)
    assert counts == sorted(counts, reverse=True) and counts[3] < 0.6 * counts[0]
    assert all(b <= a for a, b in zip(kept, kept[1:], strict=False))
    # what carried nothing any more fell: under each stone of a face there is one, or the footing
    other = {
        tuple(s.centroid.round(3))
        for s in stones_of(
            run(scene(path={"points": [[60, 60], [62, 62]]}, ruin=45, ruin_seed=8, lying=0))
        )
    }
    assert other != kept[2]


def test_what_has_fallen_lies_on_the_ground_and_in_nothing_else() -> None:
    found = run(scene(path={"points": [[60, 60], [62, 62]]}, ruin=50, lying=60, bends="sharp"))
    lies = {n: s for n, s in solids(found).items() if n.startswith("fallen")}
    assert {int(n.split()[1]) for n in lies} == {0, 1, 2}
    stones, fallen = stones_of(found), 0
    at = np.array([s.bounds.mean(axis=0) for s in stones])
    ground = found.surface.sample(at[:, 0].copy(), at[:, 2].copy()).position[:, 1]
    (curve,) = found.layer("wall").output.curves
    away = LineString(curve.line).distance(points(at[:, 0], at[:, 2]))
    for s, low, d in zip(stones, ground, away, strict=True):
        if d > 0.45 and s.bounds[1, 1] - low < 0.5:
            fallen += 1
            assert s.bounds[0, 1] < low + 0.06  # none hangs in the air
    assert fallen > 60
    assert overlap(stones) < 1e-4
    none = solids(run(scene(path={"points": [[60, 60], [62, 62]]}, ruin=50, lying=0)))
    assert not any(n.startswith("fallen") for n in none)


def test_in_steps_courses_are_level_and_by_slope_they_follow_it() -> None:
    way = {"points": [[60, 60], [62, 62]]}
    for follows, level in (("steps", True), ("slope", False)):
        p = WallParameters(points=((-20, 0), (20, 1)), follows=follows, uneven=0, bends="sharp")
        rows = [
            s.corners[k, : s.count[k]]
            for piece in layout(p)
            for s in [piece.stones]
            for k in range(len(s))
            if s.role[k] == FACE
        ]
        assert all(np.ptp(r[:, 1]) < 0.4 for r in rows)
        found = run(scene(path=way, points=[[-20, 0], [20, 1]], follows=follows, uneven=0))
        tops = np.concatenate([s.mesh.positions for s in solids(found).values()])
        at = found.surface.sample(tops[:, 0].astype(float), tops[:, 2].astype(float))
        above = tops[:, 1] - at.position[:, 1]
        assert above.max() < 1.3 + 0.22 + (0.9 if level else 0.25)
        assert above.min() < -0.15  # its footing


def test_nothing_grows_in_a_wall() -> None:
    document = scene()
    rule = {"mix": [{"asset": "sedge"}], "spacing": 0.6, "fill": 100}
    document["layers"].insert(
        -1, {"id": "grass", "kind": "scatter", "name": "Grass", "parameters": rule}
    )
    found = run(document)
    placed = found.layer("grass").output.placements
    assert placed is not None and placed.count > 500
    (curve,) = found.layer("wall").output.curves
    at = placed.whole().position
    away = LineString(curve.line).distance(points(at[:, 0], at[:, 2]))
    assert away.min() > 0.25


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"height": 9}, "height"),
        ({"sizes": [3, 3], "points": [[-900, 0], [900, 0]]}, "sizes"),
        ({"points": [[0, 0], [0, 0.01]]}, "points"),
        ({"points": [[0, 0], [9, 0], [9, 9], [4, -9]]}, "points"),
        ({"closed": True, "points": [[0, 0], [9, 0]]}, "points"),
        ({"openings": [{"id": "a", "at": [0, 0], "width": 0.1}]}, "openings.0.width"),
    ],
)
def test_mistakes_name_the_field_and_the_limit(values: dict[str, Any], field: str) -> None:
    with pytest.raises(ParameterError) as refused:
        run(scene(**values))
    assert field in str(refused.value)


def test_as_many_stones_as_are_allowed_are_about_as_many_as_there_are() -> None:
    p = WallParameters(points=((-60, 0), (60, 0)), sizes=(16, 24))
    made = sum(len(piece.stones) for piece in layout(p))
    assert 0.6 * made < p._stones() < 1.6 * made < MOST_STONES


@st.composite
def courses(draw: Any) -> list[list[float]]:
    """Two to four points in turns that a wall can take."""
    at, way, out = np.zeros(2), draw(st.floats(0, 6.28)), [[0.0, 0.0]]
    for _ in range(draw(st.integers(1, 3))):
        at = at + draw(st.floats(2.5, 5)) * np.array([np.cos(way), np.sin(way)])
        way += draw(st.floats(-2.6, 2.6))
        out.append(at.tolist())
    return out


@settings(
    max_examples=examples(25),
    deadline=None,
    suppress_health_check=list(HealthCheck),
    phases=[Phase.explicit, Phase.reuse, Phase.generate],  # shrinking would take very long
)
@given(
    course=courses(),
    own=st.fixed_dictionaries(
        {},
        optional={
            "seed": st.integers(0, 2**32 - 1),
            "bends": st.sampled_from(["round", "sharp"]),
            "bond": st.sampled_from(["courses", "rubble"]),
            "follows": st.sampled_from(["slope", "steps"]),
            "coping": st.sampled_from(["none", "flat", "upright"]),
            "crossed": st.sampled_from(["none", "open", "lintel", "arch"]),
            "joints": st.sampled_from(["dry", "mortar"]),
            "height": st.floats(0.3, 4),
            "thickness": st.floats(0.25, 1.1),
            "batter": st.floats(0, 10),
            "footing": st.floats(0.05, 1),
            "step": st.floats(0.8, 8),
            "sizes": st.tuples(st.floats(14, 22), st.floats(22, 50)),
            "lengths": st.tuples(st.floats(50, 120), st.floats(120, 400)),
            "uneven": st.floats(0, 1),
            "ties": st.floats(0, 3),
            "cope": st.floats(0.05, 0.6),
            "gap": st.floats(2, 50),
            "rounded": st.floats(0, 1),
            "rough": st.floats(0, 1),
            "worn": st.floats(2, 60),
            "ruin": st.floats(0, 100),
            "clear": st.floats(0.3, 4),
        },
    ),
)
def test_any_wall_that_is_allowed_is_sound(course: list[list[float]], own: dict[str, Any]) -> None:
    try:
        found = run(scene(points=course, **own))
    except ParameterError:
        assume(False)
    for solid in solids(found).values():
        m = solid.mesh
        arrays = (m.positions, m.normals, m.uv0, m.tangents)
        assert all(a is not None and np.isfinite(a).all() for a in arrays)
        assert m.indices.max() < m.vertices
        away = LineString(course).distance(points(*m.positions[:, [0, 2]].T.astype(float)))
        assert away.max() < (12.0 if solid.name.startswith("fallen") else 4.0)
    stones = stones_of(found) if solids(found) else []
    assert all(s.is_watertight for s in stones)
    told = {f.code for f in found.layer("wall").output.findings}
    if not told & {"tight-bend", "into-itself"}:
        assert overlap(stones) < 0.02


def test_a_hairpin_is_told() -> None:
    """It bends most at a knot, where one span ends and the next begins."""
    hairpin = [[0.0, 0.0], [-2.96, 2.6], [-5.91, -0.32], [-5.86, 3.18]]
    own = {"sizes": [20, 40], "lengths": [99, 202], "thickness": 0.53, "crossed": "none"}
    found = run(scene(points=hairpin, height=2.0, bond="courses", **own))
    assert "tight-bend" in {f.code for f in found.layer("wall").output.findings}
    wide = [[0.0, 0.0], [-6.0, 4.0], [-12.0, 0.0]]
    found = run(scene(points=wide, height=2.0, bond="courses", **own))
    assert not found.layer("wall").output.findings


def test_faces_that_lean_back_leave_a_top_to_stand_on() -> None:
    for batter in (0.0, 5.0, 20.0):
        p = WallParameters(
            points=((-4, 0), (4, 0)), batter=batter, height=4, thickness=0.6, coping="none"
        )
        found = run(scene(path={"points": [[60, 60], [62, 62]]}, **p.model_dump(mode="json")))
        tops = [s for s in stones_of(found) if s.bounds[1, 1] > 3.4]
        wide = np.ptp(np.concatenate([s.vertices for s in tops])[:, 2])
        assert wide > 0.1 and (batter > 0) == (wide < 0.5)


AWAY = {"points": [[60, 60], [62, 62]]}


def test_an_opening_goes_through_all_spans_that_it_reaches() -> None:
    dense = [[-12 + 0.8 * k, 0.05 * (k % 2)] for k in range(31)]
    way = {"points": [[0.3, -20], [0.3, 20]], "width": 4}
    stones = stones_of(run(scene(path=way, points=dense)))
    for s in stones:
        (x0, _, _), (x1, y1, _) = s.bounds
        assert x1 < 0.3 - 1.9 or x0 > 0.3 + 1.9 or y1 < 1.0
    for head in ("arch", "lintel"):
        over = run(scene(path={**way, "width": 1.6}, points=dense, crossed=head, height=3.4))
        stones = stones_of(over)
        assert overlap(stones) < 1e-4
        ground = float(over.surface.sample(np.array([0.3]), np.array([0.0])).position[0, 1])
        rays = trimesh.util.concatenate(stones).ray
        assert not rays.intersects_any([[0.3, ground + 1.2, 5.0]], [[0, 0, -1]])[0]
        assert rays.intersects_any([[0.3, ground + 3.0, 5.0]], [[0, 0, -1]])[0]


@pytest.mark.parametrize("follows", ["slope", "steps"])
@pytest.mark.parametrize("bends", ["round", "sharp"])
def test_no_gap_shows_under_a_wall_along_or_across_a_steep_slope(follows: str, bends: str) -> None:
    x, z = np.meshgrid(np.linspace(-32, 32, 65), np.linspace(-32, 32, 65))
    hill = HeightField((40 + 0.9 * z + 0.5 * x).astype(np.float32), 64.0)
    p = WallParameters(
        points=((-9, 0), (0, 1), (4, 9)), bends=bends, follows=follows, thickness=1.1, footing=0.1
    )
    rule = rule_of(p, 7)
    spans = spans_of(run_curve(p.points, p.bends, False, p.thickness), p.bends, hill)
    pieces, _ = laid_wall(spans, rule, [[] for _ in spans])
    for span in spans:
        frame = frame_of(span, rule.half, rule.batter, rule.steps > 0)
        own = [q.stones for q in pieces if q.span is span]
        for s in np.linspace(0.8, span.length - 0.8, 9):
            for side in (LEFT, RIGHT):
                under = [
                    float(st.corners[k, : st.count[k], 1].min())
                    for st in own
                    for k in np.nonzero((st.side == side) | (st.side == 0))[0]
                    if np.ptp(st.corners[k, : st.count[k], 0]) > 0
                    and st.corners[k, : st.count[k], 0].min() <= s
                    and st.corners[k, : st.count[k], 0].max() >= s
                ]
                x0, y0, z0 = place(frame, float(s), min(under), side, 0.0)
                ground = float(hill.sample(np.array([x0]), np.array([z0])).position[0, 1])
                assert y0 < ground


def test_high_above_the_sea_what_falls_lies_at_the_foot_as_well() -> None:
    x, _ = np.meshgrid(np.linspace(-32, 32, 65), np.linspace(-32, 32, 65))
    p = WallParameters(points=((-9, 0), (9, 0)), follows="steps", ruin=60)
    for height in (0.0, 90.0):
        hill = HeightField((height + 0.05 * x).astype(np.float32), 64.0)
        spans = spans_of(run_curve(p.points, p.bends, False, p.thickness), p.bends, hill)
        _, lost = laid_wall(spans, rule_of(p, 7), [[]])
        dress = Dress(np.uint64(1), 0.01, 0.5, 0.5, 0.01, 0.01)
        skin = Skin(np.uint64(1), 1.0, 0.5, 0.5, 0.5, 0.0, (0.0, 0.0, 0.0), 0.0)
        lies = [lying(x, dress, 3, 0.5) for x in lost]
        (mesh,) = fallen(lies, 0.5 * p.thickness, hill, dress, skin, 3)
        assert mesh is not None and mesh.triangles > 1000
        assert np.abs(mesh.positions[:, 2]).max() < 4
        assert mesh.positions[:, 1].min() > height - 2


@pytest.mark.parametrize("bends", ["round", "sharp"])
@pytest.mark.parametrize("back", [0.3, 1.0, 3.0, 9.0])
def test_a_wall_that_turns_back_on_itself_stays_where_it_is_drawn(bends: str, back: float) -> None:
    line = [[-10, 0], [8, 0], [-9, back]]
    found = run(scene(path=AWAY, points=line, bends=bends))
    codes = {f.code for f in found.layer("wall").output.findings}
    assert codes & {"tight-bend", "into-itself"} or back > 5
    for solid in solids(found).values():
        away = LineString(line).distance(points(*solid.mesh.positions[:, [0, 2]].T.astype(float)))
        assert away.max() < 4.5
    assert all(s.is_watertight for s in stones_of(found))


def test_a_path_that_goes_along_a_wall_opens_nothing() -> None:
    whole = run(scene(path=AWAY, points=[[-12, 0], [12, 0]]))
    for way in ([[-20, 0], [20, 0]], [[-20, -1], [20, 1]]):
        along = run(scene(path={"points": way}, points=[[-12, 0], [12, 0]]))
        assert not changed(whole, along)[0]
        assert not along.layer("wall").output.findings


def test_very_many_crossings_are_told_and_not_waited_for() -> None:
    comb: list[list[float]] = []
    for k in range(100):
        comb += [[k - 50.0, -20.0 if k % 2 else 20.0]] * 1
    wall: list[list[float]] = []
    for k in range(6):
        wall += [[-52.0, k * 4.0 - 10], [52.0, k * 4.0 - 10]][:: 1 if k % 2 else -1]
    found = run(
        scene(path={"points": comb, "width": 0.2}, points=wall, bends="sharp", sizes=[40, 80])
    )
    codes = [f.code for f in found.layer("wall").output.findings]
    assert codes.count("crossed-often") == 1 and codes.count("opening-lost") <= 1


def test_flat_coping_counts_among_the_stones() -> None:
    long = {"points": [[-2000, 0], [2000, 0]], "sizes": [80, 80], "lengths": [500, 500]}
    flat = {"coping": "flat", "cope": 0.03, "height": 0.3}
    with pytest.raises(ParameterError, match="30,000"):
        run(scene(path=AWAY, **long, **flat))


def paving(found: Evaluation) -> list[Polygon]:
    """What each stone of paving covers of the map."""
    only = [s for s in found.layer("wall").output.solids if s.name.startswith("paved")]
    return [
        union_all([Polygon(t[:, [0, 2]]) for t in stone.triangles]).convex_hull
        for stone in stones_in(only)
    ]


@pytest.mark.parametrize("pattern", ["flags", "setts", "cobbles"])
def test_paving_covers_the_path_from_apron_to_apron_and_not_the_wall(pattern: str) -> None:
    path = {"points": [[-6, -20], [3, 20]], "width": 2}
    found = run(scene(path, paved=pattern, apron=1.5))
    stones, way = paving(found), LineString(path["points"])
    (curve,) = found.layer("wall").output.curves
    line = LineString(curve.line)
    at = way.project(way.intersection(line))
    ahead, along = (
        np.subtract(x.interpolate(s + 0.1).coords[0], x.interpolate(s - 0.1).coords[0]) / 0.2
        for x, s in ((way, at), (line, line.project(way.intersection(line))))
    )
    reach = (0.275 + 1.5) / abs(ahead[0] * along[1] - ahead[1] * along[0])
    asked = substring(way, at - reach, at + reach).buffer(1.0, cap_style="flat")
    for stone in stones:
        assert asked.buffer(0.02).contains(stone)
    about = asked.difference(line.buffer(0.275 + 0.6))  # where no stone of the wall takes its room
    covered = union_all([s.buffer(0.012) for s in stones]).intersection(about)
    assert covered.area > 0.93 * about.area


def test_paving_goes_with_its_path_and_stays_where_others_move() -> None:
    other = {"id": "other", "kind": "path", "name": "Other"}

    def at(x: float, far: float) -> dict[str, Any]:
        document = scene({"points": [[x, -20], [x + 1, 20]], "width": 2}, paved="flags")
        points = [[far, -20], [far + 1, 20]]
        document["layers"].insert(2, {**other, "parameters": {"points": points, "width": 1.5}})
        found = run(document).layer("wall").output.solids
        return {s.name: s.mesh.positions.tobytes() for s in found if s.name.startswith("paved")}

    first, moved, beside = at(-2, 7), at(-2, 7.5), at(-2.6, 7)
    (own,) = [n for n in first if " way " in n]
    (far,) = [n for n in first if " other " in n]
    assert moved[own] == first[own] and moved[far] != first[far]
    assert beside[far] == first[far] and beside[own] != first[own]


def test_too_many_stones_of_paving_are_told_and_not_laid(monkeypatch: pytest.MonkeyPatch) -> None:
    most = 300
    monkeypatch.setattr("plough.core.scene.paved.MOST_STONES", most)
    found = run(scene({"points": [[-2, -20], [-1, 20]], "width": 7}, paved="setts", apron=3))
    assert "paving-coarser" in {f.code for f in found.layer("wall").output.findings}
    assert 0.5 * most < len(paving(found)) < 1.2 * most
