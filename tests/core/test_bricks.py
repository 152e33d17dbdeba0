"""Brick runs: blocks that cut no others, bonds, openings and corners, lists that say what stands, and only what is near a change changes."""

from __future__ import annotations

import csv
import io
import json
import math
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from shapely import STRtree, area, intersection, polygons

from plough.core.errors import ParameterError
from plough.core.lay.block_list import COLUMNS, Blocks
from plough.core.layers.bricks import MOST_BLOCKS, BricksParameters, rule_of
from plough.core.scene import Evaluation
from tests.core.test_walls import LINE, overlap, run, scene
from tests.depth import examples

STRAIGHT = {"points": [[-8, 6], [8, 6]], "cap": False, "follows": "level"}
RING = {"closed": True, "points": [[-8, -6], [8, -5], [7, 7], [-7, 8]]}
RUNS: dict[str, dict[str, Any]] = {
    "english": {},
    "flemish with corners": {"bond": "flemish", "bends": "sharp"},
    "garden": {"bond": "garden", "uneven": 4, "worn": 9},
    "headers": {"bond": "header"},
    "thirds, deep": {"bond": "third", "rows": 3},
    "stacked": {"bond": "stack", "gap": 30},
    "pierced": {"bond": "pierced", "bends": "sharp"},
    "lintel": {"crossed": "lintel", "courses": 34, "follows": "level"},
    "turned": {"bond": "running", "turn_even": 35, "turn_odd": -20},
    "ring": RING,
    "ring with corners": {**RING, "bends": "sharp", "bond": "running"},
    "large": {"long": 440, "wide": 190, "high": 190, "bond": "running", "bends": "sharp"},
}
ALONE = {"points": [[40, -40], [50, -40]], "width": 1}  # a path that crosses nothing


def laid(path: Any = ALONE, **own: Any) -> Evaluation:
    document = scene(path, **own)
    layer = next(x for x in document["layers"] if x["id"] == "wall")
    layer["kind"] = "bricks"
    layer["parameters"].pop("ties")
    return run(document)


def blocks(found: Evaluation) -> Blocks:
    out = found.layer("wall").output.blocks
    assert out is not None
    return out


def codes(found: Evaluation) -> set[str]:
    return {f.code for f in found.layer("wall").output.findings}


def outlines(b: Blocks) -> Any:
    """The blocks seen from above."""
    along = np.stack([np.cos(b.turn), np.sin(b.turn)], 1) * 0.5 * b.size[:, :1]
    across = np.stack([-np.sin(b.turn), np.cos(b.turn)], 1) * 0.5 * b.size[:, 2:]
    o = b.middle[:, [0, 2]]
    return polygons(
        np.stack(
            [o - along - across, o + along - across, o + along + across, o - along + across], 1
        )
    )


def shared(b: Blocks) -> float:
    """The greatest area seen from above that two blocks share that are as high as each other."""
    seen = outlines(b)
    i, j = STRtree(seen).query(seen)
    i, j = i[i < j], j[i < j]
    low, high = b.middle[:, 1] - 0.5 * b.size[:, 1], b.middle[:, 1] + 0.5 * b.size[:, 1]
    same = np.minimum(high[i], high[j]) - np.maximum(low[i], low[j]) > 1e-5
    return float(area(intersection(seen[i[same]], seen[j[same]])).max(initial=0.0))


def bodies(found: Evaluation) -> list[trimesh.Trimesh]:
    """Blocks that lie beside each other, as meshes of another library: as they stand in the files, 24 vertices each."""
    out: list[trimesh.Trimesh] = []
    for solid in found.layer("wall").output.solids:
        part = solid.mesh.parts[0]
        assert part.material == "brick"
        faces = solid.mesh.indices[part.first : part.first + part.count]
        owner = faces[:, 0] // 24
        assert (faces // 24 == owner[:, None]).all()
        for k in range(int(owner.max()) + 1):
            if len(out) == MOST:
                return out
            places = solid.mesh.positions[24 * k : 24 * k + 24].astype(float)
            out.append(trimesh.Trimesh(places, faces[owner == k] - 24 * k, process=True))
    return out


MOST = 160  # blocks that another library looks at


@pytest.mark.parametrize("name", RUNS)
def test_every_block_is_closed_faces_outwards_cuts_no_other_and_is_in_the_list(name: str) -> None:
    found = laid(LINE_PATH, **RUNS[name])
    made, b = bodies(found), blocks(found)
    drawn = sum(s.mesh.parts[0].count for s in found.layer("wall").output.solids)
    assert drawn % len(b) == 0 and len(b) > 200 and len(made) == min(MOST, len(b))
    assert all(m.is_watertight and m.is_winding_consistent and m.volume > 0 for m in made)
    assert overlap(made) < 1e-6
    assert shared(b) < 1e-7
    # each stands where the list has it, as large as it says, but for what is worn off
    middle = np.array([m.bounds.mean(axis=0) for m in made])
    away, near = cKDTree(b.middle).query(middle)
    assert away.max() < 0.012 and len(set(near.tolist())) == len(made)
    volume = np.array([m.volume for m in made]) / b.size.prod(axis=1)[near]
    assert 0.7 < volume.min() <= volume.max() <= 1 + 1e-5


LINE_PATH = {"points": [[-2, -20], [-1, 20]], "width": 2}


def joints(b: Blocks, course: int) -> Any:
    """Where the joints of a course of a straight run from west to east begin and end, on its southern face."""
    own = (b.course == course) & (b.middle[:, 2] + 0.5 * b.size[:, 2] > b_south(b) - 1e-6)
    start = np.sort(b.middle[own, 0] - 0.5 * b.size[own, 0])
    end = np.sort(b.middle[own, 0] + 0.5 * b.size[own, 0])
    return np.stack([end[:-1], start[1:]], 1), float(start[0]), float(end[-1])


def b_south(b: Blocks) -> float:
    return float((b.middle[:, 2] + 0.5 * b.size[:, 2]).max())


@pytest.mark.parametrize("bond", ["running", "third", "header", "english", "garden", "flemish"])
@pytest.mark.parametrize("gap", [10, 4])
def test_no_joint_lies_over_another_and_all_are_alike(bond: str, gap: int) -> None:
    b = blocks(laid(**STRAIGHT, bond=bond, long=240, wide=(240 - gap) / 2, gap=gap, footing=0.02))
    assert codes(laid(**STRAIGHT, bond=bond)) == set()
    last = int(b.course.max())
    for course in range(last - 5, last):
        below, *_ = joints(b, course)
        above, *_ = joints(b, course + 1)
        away = np.abs(below.mean(axis=1)[:, None] - above.mean(axis=1)).min()
        assert away > 0.2 * 0.24
        wide = above[:, 1] - above[:, 0]
        assert wide.min() >= 0.001 * gap - 1e-6
        assert wide.max() < 0.001 * gap + 0.24 / 40  # what is left over is shared


def test_half_blocks_close_the_ends_of_every_second_course() -> None:
    b = blocks(laid(**STRAIGHT, bond="running"))
    last = int(b.course.max())
    firsts = []
    for course in (last - 1, last):
        own = b.course == course
        order = np.argsort(b.middle[own, 0])
        firsts.append(b.size[own][order[[0, -1]], 0].round(4).tolist())
        _, start, end = joints(b, course)
        assert start == pytest.approx(-8, abs=0.004)
        assert end == pytest.approx(8, abs=0.004)
    assert sorted(firsts) == [[0.115, 0.115], [0.24, 0.24]]


def test_a_closed_run_shares_its_joints_out() -> None:
    square = [[-5, -5], [5, -5], [5, 5], [-5, 5]]
    b = blocks(laid(points=square, closed=True, bond="running", cap=False, follows="level"))
    (top,) = np.nonzero(b.course == b.course.max())
    middle = b.middle[top][:, [0, 2]]
    assert set(b.size[top, 0].round(4)) == {0.24}, "none is cut"
    near = np.sort(np.linalg.norm(middle[:, None] - middle, axis=2), axis=1)[:, 1:3]
    assert near.min() > 0.24 + 0.01 - 0.002
    assert near.max() < 0.27


def test_courses_are_turned_as_they_are_told() -> None:
    b = blocks(laid(**STRAIGHT, bond="running", turn_even=30, turn_odd=-12))
    turns = {round(math.degrees(t)) for t in b.turn}
    assert turns == {30, -12}
    for course in range(1, int(b.course.max())):
        assert len({round(math.degrees(t)) for t in b.turn[b.course == course]}) == 1


@pytest.mark.parametrize("bends", ["round", "sharp"])
def test_a_dragged_knot_changes_only_what_is_near_it(bends: str) -> None:
    line = [[-20, 0], [-12, 2], [-4, 0], [4, 2], [12, 0], [20, 2]]
    moved = [*line[:1], [-12, 3.5], *line[2:]]

    def told(points: Any) -> dict[bytes, Any]:
        found = laid(points=points, bends=bends, follows="steps", path=ALONE)
        return {s.name: s for s in found.layer("wall").output.solids}

    before, after = told(line), told(moved)
    assert before.keys() == after.keys()
    for name, solid in before.items():
        other = after[name]
        far = int(name.split()[0]) >= 4
        same = np.array_equal(solid.mesh.positions, other.mesh.positions)
        if far:
            assert same and np.array_equal(solid.mesh.colors, other.mesh.colors), name
    assert any(
        not np.array_equal(before[n].mesh.positions, after[n].mesh.positions)
        for n in before
        if n.startswith("0 ")
    )


def test_an_opening_follows_its_path_with_plumb_sides() -> None:
    for x in (-2.0, 3.3):
        path = {"points": [[x, -20], [x, 20]], "width": 1.6}
        b = blocks(laid(path, **STRAIGHT, bond="flemish", beside=0.2, crossed="open"))
        high = b.middle[:, 1] > b.middle[:, 1].min() + 0.9
        ends = []
        for course in np.unique(b.course[high]):
            own = b.course == course
            left = own & (b.middle[:, 0] < x)
            ends.append((b.middle[left, 0] + 0.5 * b.size[left, 0]).max())
            right = own & (b.middle[:, 0] > x)
            ends.append((b.middle[right, 0] - 0.5 * b.size[right, 0]).min())
        west, east = np.array(ends[0::2]), np.array(ends[1::2])
        assert np.ptp(west) < 0.012 and np.ptp(east) < 0.012
        assert x - 0.9 - 0.26 < west.min() and west.max() < x - 0.9 + 0.02
        assert x + 0.9 - 0.02 < east.min() and east.max() < x + 0.9 + 0.26


def test_a_lintel_lies_over_a_way_through_and_blocks_over_the_lintel() -> None:
    path = {"points": [[0.7, -20], [0.7, 20]], "width": 1}
    b = blocks(laid(path, **STRAIGHT, crossed="lintel", clear=1.2, courses=30, beside=0))
    (lintel,) = np.nonzero(b.role == 2)
    assert len(lintel) == 1
    k = int(lintel[0])
    assert b.size[k, 0] > 1.2
    under = b.middle[k, 1] - 0.5 * b.size[k, 1]
    inside = np.abs(b.middle[:, 0] - 0.7) < 0.4
    assert not (inside & (b.middle[:, 1] < under) & (b.middle[:, 1] > under - 1.1)).any()
    assert (inside & (b.middle[:, 1] > under + b.size[k, 1])).sum() > 5


def test_tops_are_level_or_follow_the_ground_and_no_foot_hangs() -> None:
    for follows in ("level", "steps"):
        own = {**STRAIGHT, "follows": follows, "points": [[-30, 6], [30, -4]], "courses": 12}
        found = laid(**own)
        b, surface = blocks(found), found.surface
        x, z = (np.ascontiguousarray(b.middle[:, k]) for k in (0, 2))
        ground = surface.sample(x, z).position[:, 1]
        cell = np.floor(np.hypot(x + 30, z - 6) / 0.5)
        foot = b.middle[:, 1] - 0.5 * b.size[:, 1] - ground
        lowest = np.array([foot[cell == c].min() for c in np.unique(cell)])
        assert lowest.max() < 0, "it stands in the ground everywhere"
        top = b.middle[:, 1] + 0.5 * b.size[:, 1]
        tops = np.array([top[cell == c].max() for c in np.unique(cell)])
        assert (np.ptp(tops) < 1e-9) == (follows == "level")
        if follows == "steps":
            above = np.array([(top - ground)[cell == c].max() for c in np.unique(cell)])
            assert np.abs(above - 12 * 0.075).max() < 0.35


def test_runs_of_one_block_meet_course_by_course() -> None:
    one = blocks(laid(**STRAIGHT))
    other = blocks(laid(points=[[-3, -9], [20, 14]], cap=False))
    for b in (one, other):
        off = np.mod(b.middle[:, 1] - 0.5 * b.size[:, 1] + 1e-9, 0.075)
        assert off.max() < 1e-6


def test_a_list_tells_each_block_once_in_the_order_of_laying() -> None:
    b = blocks(laid(LINE_PATH, crossed="lintel", courses=34))
    table = list(csv.reader(io.StringIO(b.as_csv())))
    assert tuple(table[0]) == COLUMNS
    rows = np.array([[float(v) for v in (*r[:2], *r[3:])] for r in table[1:]])
    assert rows[:, 0].tolist() == list(range(1, len(b) + 1))
    assert (np.diff(rows[:, 1]) >= 0).all() and rows[0, 1] == 1
    assert np.abs(rows[:, 2:5] - b.middle).max() < 1e-4
    told = json.loads(b.as_json())
    assert told["axes"] == ["east", "up", "south"] and len(told["blocks"]) == len(b)
    for k in (0, len(b) // 2, len(b) - 1):
        row, plane = told["blocks"][k], told["blocks"][k]["plane"]
        along, across = np.array(plane["along"]), np.array(plane["across"])
        assert along @ across == pytest.approx(0, abs=1e-6)
        assert math.degrees(math.atan2(along[2], along[0])) == pytest.approx(row["turn"], abs=1e-2)
        assert np.cross(across, along)[1] == pytest.approx(1, abs=1e-5), "up, as axes are told"
        assert plane["origin"][1] == pytest.approx(row["middle"][1] - row["size"][1] / 2, abs=2e-4)
    assert b.rows(3, 2) == [b.rows()[3], b.rows()[4]]
    assert b.rows(len(b) - 1, 50) == b.rows()[-1:]
    assert b.rows(len(b) + 5, 50) == []


def test_the_person_is_told_what_cannot_be_laid() -> None:
    tight = {"points": [[-2, 0], [0, 0], [0.4, 0.5], [0, 1], [-2, 1]], "bond": "header"}
    assert "joints-widened" in codes(laid(**tight))
    assert "blocks-cut" in codes(laid(**STRAIGHT, wide=150))
    assert "block-lost" in codes(laid(bends="sharp", bond="running", turn_even=60, turn_odd=60))
    assert codes(laid(**STRAIGHT)) == set()


def test_joints_widen_where_it_bends_and_only_there() -> None:
    def gaps(points: Any) -> Any:
        b = blocks(laid(points=points, bond="running", rows=2, cap=False, follows="level"))
        own = (b.course == b.course.max()) & (b.size[:, 0] > 0.2)
        seen = outlines(b)[own]
        near = [np.sort([s.distance(o) for o in seen if o is not s])[:2] for s in seen]
        return np.array(near), b.middle[own]

    near, _ = gaps([[-6, 0], [0, 0], [6, 0]])
    assert np.abs(np.median(near) - 0.01) < 0.003
    bent, middle = gaps([[-6, -6], [-2, -1.2], [0, 0], [2, -1.2], [6, -6]])
    # on the inner side they come as near as they may, not nearer
    assert bent.min() > 0.006
    tightest = np.linalg.norm(middle[:, [0, 2]], axis=1) < 0.7
    assert np.median(bent[tightest]) < 0.016


@settings(
    max_examples=examples(40),
    deadline=None,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
    derandomize=True,
)
@given(st.data())
def test_any_valid_run_is_laid_in_bounds(data: st.DataObject) -> None:
    place = st.floats(-14, 14)
    lengths = st.sampled_from([60, 240, 440, 900])
    own = {
        "points": data.draw(st.lists(st.tuples(place, place), min_size=2, max_size=6)),
        "closed": data.draw(st.booleans()),
        "bends": data.draw(st.sampled_from(["round", "sharp"])),
        "bond": data.draw(
            st.sampled_from(
                ["running", "third", "stack", "header", "english", "garden", "flemish", "pierced"]
            )
        ),
        "long": data.draw(lengths),
        "wide": data.draw(st.sampled_from([60, 115, 215, 440])),
        "high": data.draw(st.sampled_from([65, 215])),
        "gap": data.draw(st.sampled_from([1, 10, 60, 300])),
        "bed": data.draw(st.sampled_from([0, 10])),
        "rows": data.draw(st.integers(1, 4)),
        "turn_even": data.draw(st.sampled_from([0, 0, 30, -75, 90])),
        "turn_odd": data.draw(st.sampled_from([0, 0, 45])),
        "courses": data.draw(st.integers(1, 14)),
        "follows": data.draw(st.sampled_from(["level", "steps"])),
        "cap": data.draw(st.booleans()),
        "crossed": data.draw(st.sampled_from(["none", "open", "lintel"])),
        "clear": data.draw(st.sampled_from([0.4, 1.0])),
    }
    try:
        found = laid(LINE_PATH, **own)
    except ParameterError:
        assume(False)
        return
    b = blocks(found)
    assert len(b) <= 4 * MOST_BLOCKS
    assert shared(b) < 1e-7
    assert np.isfinite(b.middle).all() and (b.size > 0).all()
    for solid in found.layer("wall").output.solids:
        assert np.isfinite(solid.mesh.positions).all()
        assert np.abs(np.linalg.norm(solid.mesh.normals, axis=1) - 1).max() < 1e-3


def test_too_many_blocks_are_refused_before_any_is_laid() -> None:
    with pytest.raises(ParameterError, match=r"courses.*limit is 30,000"):
        laid(points=[[-60, 0], [60, 0]], long=30, wide=20, high=20)
    with pytest.raises(ParameterError, match="no arch"):
        laid(openings=[{"id": "a", "at": [0, 0], "head": "arch"}])
    with pytest.raises(ParameterError, match="two have the same id"):
        laid(openings=[{"id": "a", "at": [0, 0]}, {"id": "a", "at": [3, 0]}])


def test_thickness_is_what_its_bond_needs() -> None:
    base = {"points": LINE}
    assert rule_of(BricksParameters(**base, bond="running")).thickness == pytest.approx(0.115)
    assert rule_of(BricksParameters(**base, bond="flemish")).thickness == pytest.approx(0.24)
    three = rule_of(BricksParameters(**base, bond="stack", rows=3))
    assert three.thickness == pytest.approx(3 * 0.115 + 2 * 0.01)


def test_a_run_that_does_not_reach_low_ground_is_told() -> None:
    own = {"points": [[-28, 0], [28, 4]], "follows": "level", "courses": 4, "cap": False}

    def steep(relief: float, **more: Any) -> Evaluation:
        document = scene(ALONE, **{**own, **more})
        document["layers"][0]["parameters"] |= {"relief": relief, "feature": 40}
        layer = next(x for x in document["layers"] if x["id"] == "wall")
        layer["kind"] = "bricks"
        layer["parameters"].pop("ties")
        return run(document)

    def gap(found: Evaluation) -> float:
        """Metres from the ground up to the lowest block over it, at most, along the run."""
        b = blocks(found)
        low = b.middle[:, 1] - 0.5 * b.size[:, 1]
        ground = found.surface.sample(
            np.ascontiguousarray(b.middle[:, 0]), np.ascontiguousarray(b.middle[:, 2])
        ).position[:, 1]
        column = np.rint(b.middle[:, 0] / 0.5)
        return max(float((low[column == c] - ground[column == c]).min()) for c in np.unique(column))

    sound, hanging = steep(2.0), steep(40.0)
    assert "hangs" not in codes(sound) and gap(sound) < 0.05
    assert "hangs" in codes(hanging) and gap(hanging) > 0.3
    told = next(f for f in hanging.layer("wall").output.findings if f.code == "hangs")
    assert told.measure is not None and told.measure > 0.3 and told.place is not None
    # and where it may go down, it is still within the limit of blocks
    assert len(blocks(steep(40.0, long=120, wide=50, high=60, courses=10))) <= 1.1 * MOST_BLOCKS
