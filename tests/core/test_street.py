"""Streets: houses that stand in nothing, parts with seeds of their own, and only what is near a change changes."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation
from shapely import LineString, Point, Polygon, STRtree

from plough.core.errors import PloughError, TooLargeError
from plough.core.library import Library
from plough.core.place.street import course_of
from plough.core.presets import preset
from plough.core.scene import Evaluation, Evaluator, read_document
from tests.conftest import SMALL
from tests.core.test_walls import stones_in
from tests.depth import examples

LIBRARY = Library()
EVALUATOR = Evaluator(LIBRARY)
POINTS = [[-110, -20], [-70, 4], [-30, -6], [10, 8], [50, -4], [90, 10], [118, -8]]
ACROSS = [[12, -100], [-6, 100]]
HOUSE, HALL = {"kind": "building", "name": "House"}, {"kind": "building", "name": "Hall"}
BLOCK = {"kind": "rock", "parameters": {"triangles": 120}}
ASSETS = [
    {"id": "cot", **HOUSE, "parameters": preset("fen-cottage").parameters, "seeds": [1, 2]},
    {"id": "hall", **HALL, "parameters": preset("yard-house").parameters, "seeds": [1]},
    {"id": "post", "name": "Post", **BLOCK, "seeds": [1]},
    {"id": "stub", "name": "Stub", **BLOCK, "seeds": [2]},
    {"id": "pole", "name": "Pole", **BLOCK, "seeds": [3]},
]
WET = -0.3  #: metres of a level of water that leaves some of the ground dry
PARTS = {
    "landmarks": [{"asset": "hall"}],
    "landmark_share": 40,
    "landmark_apart": 90,
    "plots": "hedge",
    "hedge": [{"asset": "post"}],
    "trees": [{"asset": "stub"}],
    "lamps": [{"asset": "pole"}],
    "paved": "flags",
    "kerb": True,
}


def document(
    points: Any = POINTS, across: Any = ACROSS, wet: float | None = None, **own: Any
) -> Any:
    """Hills with a path, another across it, a wall beside it, and a street along the first."""
    found = copy.deepcopy(SMALL)
    ground = next(x for x in found["layers"] if x["kind"] == "ground")
    ground["parameters"]["size"] = 256
    if wet is not None:
        ground["parameters"] |= {"water": True, "water_level": wet}
    street = {"paths": ["way"], "mix": [{"asset": "cot"}], **own}
    found["assets"] = ASSETS
    found["layers"] = [
        ground,
        {"id": "way", "kind": "path", "name": "Way", "parameters": {"points": points, "width": 5}},
        {
            "id": "path",
            "kind": "path",
            "name": "Path",
            "parameters": {"points": across, "width": 3},
        },
        {
            "id": "wall",
            "kind": "wall",
            "name": "Wall",
            "parameters": {"points": [[-80, 20], [-40, 16]], "sizes": [40, 60]},
        },
        {"id": "street", "kind": "street", "name": "Street", "parameters": street},
        found["layers"][-1],
    ]
    return found


def run(**own: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document(**own)))


def standing(found: Evaluation, *assets: str) -> dict[int, tuple[Any, ...]]:
    """By id what stands of some assets: place, turn, size and asset."""
    made = found.layer("street").output.placements
    assert made is not None
    whole, out = made.whole(), {}
    for k in range(whole.count):
        variant = made.variants[int(whole.variant[k])]
        if not assets or variant.asset in assets:
            own = (whole.position[k], whole.rotation[k], whole.scale[k])
            out[int(whole.ids[k])] = (*(x.tobytes() for x in own), variant.asset, variant.seed)
    return out


def outlines(found: Evaluation, *assets: str) -> list[Polygon]:
    """Those of the street."""
    return built(found, "street", *assets)


def built(found: Evaluation, layer: str, *assets: str) -> list[Polygon]:
    """What all of each covers of the map, by its triangles and another library."""
    made = found.layer(layer).output.placements
    assert made is not None
    whole, out = made.whole(), []
    for k in range(whole.count):
        variant = made.variants[int(whole.variant[k])]
        if variant.asset in assets:
            points = LIBRARY.level(variant, 0).mesh.positions * whole.scale[k]
            turned = Rotation.from_quat(whole.rotation[k]).apply(points) + whole.position[k]
            flat = turned[:, [0, 2]]
            out.append(Polygon(flat[ConvexHull(flat).vertices]))
    return out


def places(found: Evaluation, *assets: str) -> list[Point]:
    return [
        Point(*np.frombuffer(t[0], np.float32)[[0, 2]]) for t in standing(found, *assets).values()
    ]


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize(
    "own", [{}, {"rows": 2, "between": 18}, {"back": 1, "turn": 60, "apart": 0}]
)
def test_no_house_stands_in_another_a_path_a_wall_or_water(seed: int, own: dict[str, Any]) -> None:
    found = run(seed=seed, wet=WET, spacing=11, **PARTS, **own)
    houses = outlines(found, "cot", "hall")
    assert len(houses) > 8
    tree = STRtree(houses)
    for a, b in tree.query(houses).T:
        if a != b:
            assert houses[a].intersection(houses[b]).area < 1e-6
            assert houses[a].distance(houses[b]) > own.get("apart", 2.0) - 1e-3
    surface = found.surface
    for name in ("way", "path", "wall"):
        (curve,) = found.layer(name).output.curves
        strip = LineString(curve.line).buffer(float(curve.half[0]) - 1e-3)
        assert not any(strip.intersects(h) for h in houses)
    for house in houses:
        x, z = np.array(house.segmentize(0.5).exterior.coords).T
        assert surface.sample(x.copy(), z.copy()).position[:, 1].min() > WET


def test_what_else_stands_keeps_out_of_houses_and_other_paths() -> None:
    found = run(**PARTS)
    houses = outlines(found, "cot", "hall")
    for asset in ("post", "stub", "pole"):
        some = places(found, asset)
        assert len(some) > 8
        assert min(h.distance(p) for h in houses for p in some) > 0.5
    (path,) = found.layer("path").output.curves
    hedges = places(found, "post")
    assert min(LineString(path.line).distance(p) for p in hedges) > 1.5


def test_houses_face_the_path_and_their_fronts_stand_in_line() -> None:
    found = run(turn=0, uneven=0, back=4, jitter=0)
    (curve,) = found.layer("way").output.curves
    way = LineString(curve.line)
    for house in outlines(found, "cot"):
        # where it bends, corners are nearer
        assert 2.5 + 4 - 0.5 < house.distance(way) < 2.5 + 4 + 0.02
    turned = run(turn=20)
    made = turned.layer("street").output.placements
    assert made is not None
    whole = made.whole()
    off = []
    for k in range(whole.count):
        x, _, z = whole.position[k].astype(float)
        near = way.interpolate(way.project(Point(x, z)))
        to = np.array([near.x - x, near.y - z])
        front = Rotation.from_quat(whole.rotation[k]).apply([0, 0, 1])[[0, 2]]
        off.append(np.degrees(np.arccos(front @ to / np.linalg.norm(to))))
    assert max(off) < 20 + 8 and np.ptp(off) > 5


def test_a_knot_that_is_dragged_leaves_all_beyond_its_reach_bit_for_bit() -> None:
    moved = [list(p) for p in POINTS]
    moved[5][1] += 3.0
    first, then = run(**PARTS), run(points=moved, **PARTS)
    before, after = standing(first), standing(then)
    # it bends the two spans before it and those behind; house by house others may give way one further
    beyond = {i for i, t in before.items() if np.frombuffer(t[0], np.float32)[0] < -40}
    assert len(beyond) > 60
    assert all(after.get(i) == before[i] for i in beyond)
    assert before != after
    flags = {s.name: s.mesh.positions.tobytes() for s in first.layer("street").output.solids}
    again = {s.name: s.mesh.positions.tobytes() for s in then.layer("street").output.solids}
    same = [n for n in flags if again[n] == flags[n]]
    assert len(flags) == 6 and len(same) == 3


def test_a_span_that_becomes_longer_leaves_what_lies_behind_it_bit_for_bit() -> None:
    moved = [list(p) for p in POINTS]
    moved[0][0] -= 13.7
    first, then = standing(run(**PARTS)), standing(run(points=moved, **PARTS))
    behind = {i for i, t in first.items() if np.frombuffer(t[0], np.float32)[0] > 40}
    assert len(behind) > 60
    assert all(then.get(i) == first[i] for i in behind)


@pytest.mark.parametrize(
    ("change", "assets"),
    [
        ({"tree_seed": 5}, ("stub",)),
        ({"trees_stand": "middle"}, ("stub",)),
        ({"lamp_spacing": 9}, ("pole",)),
        ({"gate": 5}, ("post",)),
        ({"hedge_deep": 20}, ("post",)),
        ({"trees": []}, ("stub",)),
        ({"lamps": []}, ("pole",)),
        ({"plots": "none"}, ("post",)),
        ({"plots": "wall"}, ("post",)),
    ],
)
def test_each_part_is_by_itself(change: dict[str, Any], assets: tuple[str, ...]) -> None:
    first, then = run(**PARTS), run(**PARTS | change)
    kinds = {"cot", "hall", "post", "stub", "pole"}
    rest = tuple(kinds - set(assets))
    assert standing(first, *rest) == standing(then, *rest)
    assert standing(first, *assets) != standing(then, *assets)


def test_a_second_row_leaves_the_first() -> None:
    one, two = standing(run(rows=1)), standing(run(rows=2))
    assert one.items() <= two.items() and len(two) > len(one)


def test_landmarks_keep_apart_from_their_like() -> None:
    at = places(run(**PARTS | {"landmark_share": 100, "mix": [{"asset": "cot"}]}), "hall")
    assert len(at) > 1
    assert min(a.distance(b) for k, a in enumerate(at) for b in at[k + 1 :]) >= 90
    many = places(run(**PARTS | {"landmark_share": 100, "landmark_apart": 0}), "hall")
    assert len(many) > len(at)


def test_a_hedge_is_open_before_each_door_and_runs_about_the_plot() -> None:
    found = run(
        plots="hedge", hedge=[{"asset": "post"}], gate=4, hedge_spacing=0.5, turn=0, jitter=0
    )
    hedges = places(found, "post")
    (curve,) = found.layer("way").output.curves
    way = LineString(curve.line)
    for house in outlines(found, "cot"):
        door = way.interpolate(way.project(house.centroid))
        path_to_it = LineString([door, house.centroid]).buffer(0.6)
        assert not any(path_to_it.contains(p) for p in hedges)
    # none in the way, and some in front of each side of it
    assert min(way.distance(p) for p in hedges) > 2.5 + 0.8 - 0.2


WALLED = {"plots": "wall", "wall_stones": 30, "turn": 0, "jitter": 0, "gate": 3}


def walled(found: Evaluation) -> list[Any]:
    """The pieces of the walls about plots."""
    return [s for s in found.layer("street").output.solids if "foundations" not in s.name]


def plot_walls(found: Evaluation) -> dict[str, Polygon]:
    """By name the ground that each piece of the walls about plots stands on, as another library hulls its stones."""
    out = {}
    for solid in walled(found):
        flat = solid.mesh.positions[:, [0, 2]].astype(float)
        out[solid.name] = Polygon(flat[ConvexHull(flat).vertices])
    return out


@pytest.mark.parametrize("own", [{}, {"hedge_front": 0.2, "back": 6}, {"rows": 2, "between": 12}])
def test_walls_about_plots_stand_in_nothing_and_are_open_before_each_door(
    own: dict[str, Any],
) -> None:
    found = run(**WALLED | own)
    walls = plot_walls(found)
    assert len(walls) > 20
    houses = outlines(found, "cot")
    (way,) = found.layer("way").output.curves
    (path,) = found.layer("path").output.curves
    kept = [
        *houses,
        LineString(way.line).buffer(2.5 - 0.05),
        LineString(path.line).buffer(1.5 - 0.05),
    ]
    tree = STRtree(kept)
    assert not any(len(tree.query(w, predicate="intersects")) for w in walls.values())
    line = LineString(way.line)
    for house in houses:
        door = line.interpolate(line.project(house.centroid))
        to_it = LineString([door, house.centroid]).buffer(0.9)
        if house.distance(line) > 12:
            continue  # of the second row
        assert not any(to_it.intersects(w) for w in walls.values())


def test_walls_about_plots_stand_on_the_ground_as_high_as_told_and_have_colliders() -> None:
    found = run(**WALLED | {"wall_high": 1.4, "wall_stones": 40})
    for solid in walled(found):
        at = solid.mesh.positions
        ground = found.ground.surface.sample(
            np.ascontiguousarray(at[:, 0], float), np.ascontiguousarray(at[:, 2], float)
        )
        above = at[:, 1] - ground.position[:, 1]
        assert 1.2 < above.max() < 1.4 + 0.45 and above.min() < 0.05
    blocks = [s for s in walled(found) if s.collider.pieces]
    assert len(blocks) > 0.8 * len(
        walled(found)
    )  # the last stones of one may have none of their own


def test_of_plots_that_meet_one_wall_is_between_them() -> None:
    found = run(**WALLED | {"points": [[-110, 0], [110, 0]], "across": [[0, 90], [10, 110]]})
    houses = [h.centroid for h in outlines(found, "cot") if h.centroid.y > 0]
    at = sorted(h.x for h in houses)
    walls = list(plot_walls(found).values())
    met = 0
    for a, b in zip(at, at[1:], strict=False):
        if b - a < 15:  # no plot between them is free
            level = LineString([(a, 14), (b, 14)])  # behind their fronts, where only sides run
            met += 1
            assert sum(level.intersects(w) for w in walls) == 1
    assert met >= 5


def test_only_the_walls_near_a_knot_change_with_it() -> None:
    moved = [*POINTS[:-2], [POINTS[-2][0], POINTS[-2][1] + 4], POINTS[-1]]
    before, after = run(**WALLED), run(**WALLED | {"points": moved})

    def of(found: Evaluation) -> dict[str, bytes]:
        return {
            s.name: s.mesh.positions.tobytes()
            for s in walled(found)
            if s.mesh.positions[:, 0].max() < POINTS[2][0] - 8
        }

    assert of(before) == of(after) and len(of(before)) > 8


def test_flags_cover_the_way_and_none_lies_on_another() -> None:
    found = run(paved="flags", kerb=False, mix=[])
    stones: list[Polygon] = []
    for solid in found.layer("street").output.solids:
        for stone in stones_in([solid]):
            flat = stone.vertices[:, [0, 2]]
            stones.append(Polygon(flat[ConvexHull(flat).vertices]))
    assert len(stones) > 500
    worst = max(
        stones[a].intersection(stones[b]).area / min(stones[a].area, stones[b].area)
        for a, b in STRtree(stones).query(stones).T
        if a < b
    )
    assert worst < 0.02
    (curve,) = found.layer("way").output.curves
    way = LineString(curve.line).buffer(2.5, cap_style="flat")
    assert sum(s.area for s in stones) > 0.9 * way.area
    assert all(way.buffer(0.06).contains(s) for s in stones)


@given(
    st.lists(st.tuples(st.floats(-110, 110), st.floats(-110, 110)), min_size=2, max_size=6),
    st.booleans(),
)
@settings(max_examples=examples(60), deadline=None)
def test_the_stretches_of_any_path_are_sound(
    points: list[tuple[float, float]], closed: bool
) -> None:
    from plough.core.ground.paths import path_curve

    try:
        curve = path_curve(points, 4.0, closed=closed and len(points) > 2)
    except PloughError:
        return
    course = course_of(curve)
    assert len(course.stretches) == len(points) - (not curve.closed)
    for stretch in course.stretches:
        assert (np.diff(stretch.at) > 0).all()
        np.testing.assert_allclose(np.hypot(*stretch.right.T), 1.0, atol=1e-9)
        step = np.diff(stretch.line, axis=0)
        across = (step * stretch.right[:-1]).sum(axis=1) / np.hypot(*step.T)
        assert np.abs(across).max() < 0.75  # square to it, as far as it does not bend
    assert (
        course.long == pytest.approx(LineString(curve.line).length, rel=0.05, abs=1e-3)
        or curve.closed
    )


ZIGZAG = [[-2000 + 10 * k, 100 * (k % 2)] for k in range(390)]
STRAIGHT = [[-1950 + 10 * k, 0] for k in range(390)]
HEDGED = {"plots": PARTS["plots"], "hedge": PARTS["hedge"], "hedge_deep": 200}
TOO_MUCH = [
    ({"spacing": 3, "points": ZIGZAG}, "spacing"),
    ({**HEDGED, "hedge_spacing": 0.2, "spacing": 8, "points": STRAIGHT}, "hedge_spacing"),
    ({"plots": "wall", "wall_stones": 8, "points": STRAIGHT}, "wall_stones"),
]


@pytest.mark.parametrize(("own", "field"), TOO_MUCH)
def test_too_much_is_refused_by_name_before_it_is_made(own: dict[str, Any], field: str) -> None:
    big = document(**own)
    big["layers"][0]["parameters"]["size"] = 4096
    big["layers"][0]["parameters"]["resolution"] = 8
    with pytest.raises(TooLargeError, match="the limit is") as error:
        EVALUATOR.evaluate(read_document(big))
    assert error.value.field == field


def test_what_is_lacking_is_told() -> None:
    def told(**own: Any) -> list[str]:
        return [f.text for f in run(**own).layer("street").output.findings]

    assert any("no path" in t for t in told(paths=[]))
    assert any("missing" in t for t in told(paths=["gone"]))
    assert any("nothing is chosen to stand" in t for t in told(mix=[]))
    assert any("hedges" in t for t in told(plots="hedge"))
    assert any("room" in t for t in told(back=-0.0, wet=50.0))
    assert not told(**PARTS)


def test_no_house_stands_in_what_an_earlier_layer_built() -> None:
    """Whether a street or a hand built it, turned and sized as it may be; what is not built is no matter."""
    placed = [
        {"id": "a", "asset": "hall", "seed": 1, "at": [-50, 12], "turn": 33, "size": 1.3},
        {"id": "b", "asset": "cot", "seed": 2, "at": [38, -13], "turn": 280},
        {"id": "c", "asset": "post", "seed": 1, "at": [70, 12]},
    ]
    hand = {
        "id": "hand",
        "kind": "by_hand",
        "name": "Set down",
        "parameters": {"mix": [{"asset": a} for a in ("hall", "cot", "post")], "placed": placed},
    }
    other = {
        "id": "old",
        "kind": "street",
        "name": "Old street",
        "parameters": {"paths": ["path"], "mix": [{"asset": "cot"}], "back": 1},
    }
    layers = [("hand", hand), ("old", other)]
    alone = run(spacing=8)
    for name, layer in layers:
        before = document(spacing=8)
        before["layers"].insert(4, layer)
        found = EVALUATOR.evaluate(read_document(before))
        earlier = built(found, name, "cot", "hall")
        houses = built(found, "street", "cot")
        assert len(earlier) >= 2 and len(houses) > 8
        tree = STRtree(earlier)
        clear = [p for p in built(alone, "street", "cot") if not len(tree.query(p, "intersects"))]
        assert len(clear) < len(built(alone, "street", "cot")), "some would stand in them"
        hit, _ = tree.query(houses, predicate="intersects")
        assert not len(hit)
        # far away from all of them the street is as it was
        kept, was = standing(found, "cot"), standing(alone, "cot")
        assert sum(was.get(k) == v for k, v in kept.items()) > 0.6 * len(was)
    stone = document(spacing=8)
    stone["layers"].insert(4, {**hand, "parameters": {**hand["parameters"], "placed": placed[2:]}})
    assert standing(EVALUATOR.evaluate(read_document(stone))) == standing(alone)
