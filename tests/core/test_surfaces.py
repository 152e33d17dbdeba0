"""Things on the faces of things: on them, apart, stable, and no more than may be."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from plough.core.cache import Cache
from plough.core.demo import demo_file, teasel_fen
from plough.core.errors import ParameterError, TooLargeError
from plough.core.ground import HeightField
from plough.core.ground.paths import path_curve
from plough.core.library import Library
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Part
from plough.core.place import PlacedTile, Placements, joined
from plough.core.place import upon as upons
from plough.core.place.brush import BrushStroke, Brushwork
from plough.core.place.faces import candidates, faces_of
from plough.core.place.placements import cut
from plough.core.place.pose import Pose
from plough.core.place.room import settled
from plough.core.place.upon import Bearers, UponRule, upon
from plough.core.place.variants import Choices
from plough.core.scene import Evaluator, read_document
from plough.core.scene.document import write_document
from tests.core.test_place import clear, within
from tests.depth import THOROUGH, examples

DEEP = HeightField(np.full((129, 129), -60.0, np.float32), 512.0)


def mesh_of(solid: Any, slot: str = "stone") -> Mesh:
    n = len(solid.vertices)
    faces = np.array(solid.faces, np.uint32)
    return Mesh(
        np.array(solid.vertices, np.float32),
        np.array(solid.vertex_normals, np.float32),
        np.zeros((n, 2), np.float32),
        faces,
        (Part(slot, 0, len(faces)),),
    )


BALL = trimesh.creation.icosphere(3, 1.4)
SLAB = trimesh.creation.box((4, 3, 0.06))  # thin: both sides are near each other
SLAB.unmerge_vertices()
BEAM = trimesh.creation.box((420, 0.8, 0.8))
SHAPES = {"ball": BALL, "slab": SLAB}
FACES = {name: faces_of(mesh_of(s), {}) for name, s in {**SHAPES, "beam": BEAM}.items()}


def things(count: int = 12, seed: int = 1, size: Any = None) -> Placements:
    """Of one variant, anyhow over 300 m."""
    rng = np.random.default_rng(seed)
    turn = Rotation.random(count, random_state=seed).as_quat()
    scale = rng.uniform(0.6, 1.5, (count, 3)) if size is None else np.full((count, 3), size)
    return Placements(
        np.arange(100, 100 + count, dtype=np.uint64),
        np.zeros(count, np.uint32),
        rng.uniform(-150, 150, (count, 3)).astype(np.float32) * np.array([1, 0.02, 1], np.float32),
        turn.astype(np.float32),
        scale.astype(np.float32),
    )


def bearers(shape: str = "ball", placed: Placements | None = None) -> list[Bearers]:
    return [Bearers((FACES[shape],), tuple(cut(things() if placed is None else placed)))]


def rule(spacing: float = 0.3, **more: Any) -> UponRule:
    return UponRule(5, spacing, np.full(1, spacing / 2, np.float32), **more)


def run(of: UponRule, on: Any, cache: Cache | None = None, ground: Any = DEEP) -> Placements:
    return joined([t.placements for t in upon(of, on, ground, cache)])


def by_id(p: Placements) -> dict[int, bytes]:
    rows = np.concatenate([p.position, p.rotation, p.scale], axis=1)
    return {int(i): r.tobytes() for i, r in zip(p.ids, rows, strict=True)}


def whole_of(shape: str, placed: Placements) -> Any:
    """All of the things as one mesh of another library."""
    parts = []
    for k in range(placed.count):
        part = SHAPES[shape].copy()
        part.vertices = part.vertices * placed.scale[k]
        turn = np.eye(4)
        turn[:3, :3] = Rotation.from_quat(placed.rotation[k]).as_matrix()
        turn[:3, 3] = placed.position[k]
        part.apply_transform(turn)
        parts.append(part)
    return trimesh.util.concatenate(parts)


def nearest(solid: Any, points: Any) -> tuple[Any, Any]:
    """Distance to another library's mesh, and the face that is nearest."""
    off, face = np.empty(len(points)), np.empty(len(points), int)
    for k, at in enumerate(np.asarray(points, float)):
        about = np.nonzero(np.linalg.norm(solid.triangles_center - at, axis=1) < 4)[0]
        on = trimesh.triangles.closest_point(solid.triangles[about], np.tile(at, (len(about), 1)))
        far = np.linalg.norm(on - at, axis=1)
        off[k], face[k] = far.min(), about[far.argmin()]
    return off, face


def up_of(p: Placements) -> Any:
    return Rotation.from_quat(p.rotation).apply([0, 1, 0])


@pytest.mark.parametrize("shape", SHAPES)
def test_all_stand_on_faces_square_to_them_as_another_library_finds(shape: str) -> None:
    placed = things()
    found = run(rule(pose=Pose(lean=1.0)), bearers(shape, placed))
    assert found.count > 500
    solid = whole_of(shape, placed)
    off, face = nearest(solid, found.position[::3])
    assert off.max() < 2e-4
    square = np.einsum("ij,ij->i", up_of(found)[::3], solid.face_normals[face])
    assert square.min() > (0.9 if shape == "ball" else 0.999)  # a ball is lit as if it were round


@given(
    spacing=st.floats(0.12, 0.9),
    seed=st.integers(0, 99),
    shape=st.sampled_from(sorted(SHAPES)),
    flat=st.booleans(),
)
@settings(max_examples=examples(15), deadline=None)
def test_no_two_that_look_the_same_way_are_nearer_than_they_may_be(
    spacing: float, seed: int, shape: str, flat: bool
) -> None:
    placed = things(8, seed, 1.0 if flat else None)
    found = run(rule(spacing, pose=Pose(lean=1.0)), bearers(shape, placed))
    tree = cKDTree(found.position.astype(float))
    pairs = tree.query_pairs(spacing - 1e-4, output_type="ndarray")
    up = up_of(found)
    assert (np.einsum("ij,ij->i", up[pairs[:, 0]], up[pairs[:, 1]]) < 1e-3).all()


def test_a_full_cover_is_full_and_both_sides_of_a_thin_wall_bear_theirs() -> None:
    placed = things(size=1.0)
    for shape, solid in SHAPES.items():
        found = run(rule(0.2), bearers(shape, placed))
        area = placed.count * solid.area
        assert found.count * 0.2**2 / area > 0.5
    found = run(rule(0.2, pose=Pose(lean=1.0)), bearers("slab", placed))
    turned = Rotation.from_quat(placed.rotation)
    owner = cKDTree(placed.position.astype(float)).query(found.position.astype(float))[1]
    side = np.sign(np.einsum("ij,ij->i", up_of(found), turned[owner].apply([0, 0, 1])).round())
    front, back = (side == 1).sum(), (side == -1).sum()
    assert front > 0.45 * 12 * 12 / 0.2**2 and back > 0.45 * 12 * 12 / 0.2**2


def test_faces_count_by_their_true_area_however_they_are_drawn_out() -> None:
    one = things(1, size=1.0)
    long = replace(one, scale=np.array([[3.0, 1.0, 0.5]], np.float32))
    for placed in (one, long):
        solid = whole_of("ball", placed)
        at = candidates(9, FACES["ball"], placed, 400.0)
        assert len(at.ids) == pytest.approx(400 * solid.area, rel=0.05)
        _, face = nearest(solid, at.position[:: 1 if THOROUGH else 5])
        x = solid.triangles_center[:, 0] - placed.position[0, 0]
        far = np.abs(x) > 0.5 * np.abs(x).max()
        assert far[face].mean() == pytest.approx(solid.area_faces[far].sum() / solid.area, abs=0.04)


def test_a_higher_fill_keeps_all_that_stood_and_a_limit_of_facing_holds() -> None:
    low = by_id(run(rule(fill=0.3, facing=(20.0, 75.0)), bearers()))
    high = by_id(run(rule(fill=0.8, facing=(20.0, 75.0)), bearers()))
    assert low.items() <= high.items()
    assert 0.32 < len(low) / len(high) < 0.43
    found = run(rule(facing=(20.0, 75.0), pose=Pose(lean=1.0)), bearers())
    turned = np.degrees(np.arccos(np.clip(up_of(found)[:, 1], -1, 1)))
    assert turned.min() > 19.9 and turned.max() < 75.1
    over = run(rule(facing=(170.0, 180.0), pose=Pose(lean=1.0)), bearers())
    assert over.count and up_of(over)[:, 1].max() < math.cos(math.radians(169))


def test_what_stands_on_a_thing_goes_along_with_it_and_no_other_moves() -> None:
    placed = things(30)
    before = run(rule(), bearers("ball", placed))
    at = placed.position.copy()
    at[4] += [0.9, 0.2, -0.7]
    after = run(rule(), bearers("ball", replace(placed, position=at)))
    own = np.linalg.norm(before.position - placed.position[4], axis=1) < 2.5
    assert own.sum() > 30
    one, other = by_id(before), by_id(after)
    kept = {int(i) for i in before.ids[~own]}
    assert {i: one[i] for i in kept} == {i: other[i] for i in kept}
    mine = {int(i) for i in before.ids[own]}
    assert set(other) - kept == mine  # the same ones on it
    rows = {int(i): k for k, i in enumerate(after.ids)}
    moved = np.array([after.position[rows[int(i)]] for i in before.ids[own]]) - before.position[own]
    assert np.abs(moved - [0.9, 0.2, -0.7]).max() < 1e-4


def test_triangles_that_go_leave_the_rest_as_it_was() -> None:
    faces = FACES["ball"]
    gone = np.arange(len(faces.names)) % 7 != 0
    kept = replace(
        faces, corners=faces.corners[gone], normals=faces.normals[gone], names=faces.names[gone]
    )
    whole, fewer = (candidates(3, f, things(4), 20.0) for f in (faces, kept))
    assert set(fewer.ids.tolist()) < set(whole.ids.tolist())
    rows = {int(i): k for k, i in enumerate(whole.ids)}
    same = [rows[int(i)] for i in fewer.ids]
    assert (whole.position[same] == fewer.position).all()
    assert len(fewer.ids) > 0.8 * len(whole.ids)
    # whichever corner comes first; but not its other side
    rolled, inverted = SHAPES["ball"].copy(), SHAPES["ball"].copy()
    rolled.faces = np.roll(rolled.faces, 1, axis=1)
    inverted.invert()
    assert (faces_of(mesh_of(rolled), {}).names == faces.names).all()
    assert not np.isin(faces_of(mesh_of(inverted), {}).names, faces.names).any()


@pytest.mark.parametrize("seed", range(3))
def test_an_incremental_run_is_bit_equal_to_a_full_one_and_far_tiles_are_not_made_again(
    seed: int,
) -> None:
    placed = things(60, seed)
    cache = Cache()
    of = rule(pose=Pose(lean=0.6, sink_low=0.01, sink_high=0.05))
    run(of, bearers("ball", placed), cache)
    at = placed.position.copy()
    at[7] += [1.5, 0, 1]
    moved = bearers("ball", replace(placed, position=at))
    made = cache.misses
    warm = run(of, moved, cache)
    remade = cache.misses - made
    assert by_id(warm) == by_id(run(of, moved, Cache()))
    everything = Cache()
    run(of, moved, everything)
    assert 0 < remade < 0.75 * everything.misses
    before = cache.misses
    run(of, moved, cache)
    assert cache.misses == before


def test_what_reaches_far_from_its_foot_is_seen_where_it_reaches() -> None:
    # two beams side by side, their feet five tiles apart
    side = Placements(
        np.array([1, 2], np.uint64),
        np.zeros(2, np.uint32),
        np.array([[-160, 1, 0], [160, 1, 0.9]], np.float32),
        np.tile(np.array([0, 0, 0, 1], np.float32), (2, 1)),
        np.ones((2, 3), np.float32),
    )
    of, cache = rule(0.7), Cache()
    first = by_id(run(of, bearers("beam", side), cache))
    at = side.position.copy()
    at[1, 0] -= 0.4
    moved = bearers("beam", replace(side, position=at))
    after = by_id(run(of, moved, cache))
    assert after == by_id(run(of, moved, Cache()))
    alone = by_id(run(of, bearers("beam", side.taken(np.array([0])))))
    kept = sum(first.get(i) == row for i, row in alone.items())
    assert 0.6 * len(alone) < kept < len(alone), "they give way to each other where they meet"


def test_tiles_that_see_the_same_things_are_told_from_each_other() -> None:
    placed = things(16, 5)
    close = replace(placed, position=placed.position * np.array([0.04, 1, 0.04], np.float32))
    cache = Cache()
    cold, warm = (run(rule(), bearers("ball", close), cache) for _ in range(2))
    assert len(upon(rule(), bearers("ball", close), DEEP)) >= 3
    assert by_id(cold) == by_id(warm)


def test_tiles_that_are_settled_apart_agree_with_the_whole() -> None:
    placed = things(60, 2)
    whole = by_id(run(rule(), bearers("ball", placed)))
    west = placed.taken(placed.position[:, 0] < -60)
    east = placed.taken(placed.position[:, 0] > 60)
    for part in (west, east):
        alone = run(rule(), bearers("ball", part))
        assert by_id(alone).items() <= whole.items()


def test_what_lies_in_the_ground_bears_nothing_and_conditions_hold() -> None:
    flat = HeightField(np.zeros((129, 129), np.float32), 512.0)
    placed = things(20, 3, 1.0)
    placed = replace(placed, position=placed.position * np.array([1, 0, 1], np.float32))
    found = run(rule(), bearers("ball", placed), ground=flat)
    assert found.position[:, 1].min() >= 0
    assert found.count > 0.4 * run(rule(), bearers("ball", placed)).count
    low = within("height", 0.2, 0.5)
    found = run(rule(conditions=low), bearers("ball", placed))
    assert found.count and (np.abs(found.position[:, 1] - 0.35) < 0.1501).all()


@pytest.mark.parametrize("where", ["conditions", "shares"])
def test_a_path_that_moves_changes_what_stands_by_it_as_a_full_run_says(where: str) -> None:
    on, cache = bearers("ball", things(40, 4)), Cache()
    knots = [(-150.0, 0.0), (0.0, 20.0), (150.0, -10.0)]
    moved = [*knots[:2], (150.0, -60.0)]

    def by(line: list[tuple[float, float]]) -> UponRule:
        beside = clear(path_curve(line), 15.0)
        return rule(conditions=beside) if where == "conditions" else rule(shares=(beside,))

    before = by_id(run(by(knots), on, cache))
    warm = by_id(run(by(moved), on, cache))
    assert warm == by_id(run(by(moved), on, Cache()))
    assert warm != before and warm.keys() & before.keys()


def test_leaves_bear_nothing_and_trunks_do() -> None:
    ball, slab = mesh_of(BALL, "wood"), mesh_of(SLAB, "leaf")
    both = Mesh(
        np.concatenate([ball.positions, slab.positions]),
        np.concatenate([ball.normals, slab.normals]),
        np.concatenate([ball.uv0, slab.uv0]),
        np.concatenate([ball.indices, slab.indices + ball.vertices]).astype(np.uint32),
        (Part("wood", 0, ball.triangles), Part("leaf", ball.triangles, slab.triangles)),
    )
    materials = {"wood": Material("wood"), "leaf": Material("leaf", cutout=True)}
    assert faces_of(both, materials).area == pytest.approx(BALL.area, rel=1e-5)
    assert len(faces_of(slab, materials).names) == 0
    nothing = [Bearers((faces_of(slab, materials),), tuple(cut(things())))]
    assert run(rule(), nothing).count == 0


def test_too_many_are_refused_before_anything_is_sampled(monkeypatch: pytest.MonkeyPatch) -> None:
    def never(*_: Any) -> Any:
        raise AssertionError("it was sampled")

    monkeypatch.setattr(upons, "candidates", never)
    with pytest.raises(TooLargeError, match=r"0\.005 m over .* raise it to 0\.\d\d m"):
        run(rule(0.005), bearers())


def scene_of(**more: Any) -> Any:
    """The demo's stones with moss, all else left out."""
    from json import loads

    values = loads(write_document(teasel_fen()))
    kept = ("ground", "causeway", "landing", "stones", "moss", "bake")
    values["layers"] = [x for x in values["layers"] if x["id"] in kept]
    moss = next(x for x in values["layers"] if x["id"] == "moss")
    moss["parameters"] |= more
    return values


def placements(evaluation: Any, layer: str) -> list[PlacedTile]:
    return list(evaluation.layer(layer).output.placements.tiles)


def test_moss_of_the_demo_lies_on_its_stones() -> None:
    evaluator = Evaluator(Library(load=demo_file))
    evaluation = evaluator.evaluate(read_document(scene_of(sink=[0, 0])))
    assert not [f for r in evaluation.layers for f in r.output.findings]
    moss = joined([t.placements for t in placements(evaluation, "moss")])
    stones = evaluation.layer("stones").output.placements
    whole = joined([t.placements for t in stones.tiles])
    assert moss.count > 1000
    near = cKDTree(whole.position.astype(float))
    checked = 0
    for k in range(0, moss.count, 97):
        at, off = moss.position[k].astype(float), []
        for row in near.query_ball_point(at, 4.0):
            mesh = evaluator.library.level(stones.variants[whole.variant[row]], 0).mesh
            solid = trimesh.Trimesh(mesh.positions * whole.scale[row], mesh.indices, process=False)
            own = Rotation.from_quat(whole.rotation[row]).inv().apply(at - whole.position[row])
            off.append(float(nearest(solid, [own])[0][0]))
        assert min(off) < 1e-3
        checked += 1
    assert checked > 10


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"on": []}, "no layer is chosen"),
        ({"on": ["nowhere"]}, "'nowhere' is missing"),
        ({"on": ["landing"]}, "'landing' is missing"),
        ({"mix": []}, "nothing is chosen"),
    ],
)
def test_what_it_lacks_is_told(change: Any, words: str) -> None:
    evaluation = Evaluator(Library(load=demo_file)).evaluate(read_document(scene_of(**change)))
    assert not placements(evaluation, "moss")
    assert any(words in f.text for f in evaluation.layer("moss").output.findings)


def test_solids_bear_things_as_well_as_placements_do() -> None:
    values = scene_of(on=["causeway"], spacing=1.0, facing=[0, 180], sink=[0, 0], conditions=[])
    evaluation = Evaluator(Library(load=demo_file)).evaluate(read_document(values))
    moss = joined([t.placements for t in placements(evaluation, "moss")])
    solids = evaluation.layer("causeway").output.solids
    solid = trimesh.util.concatenate(
        [trimesh.Trimesh(s.mesh.positions, s.mesh.indices, process=False) for s in solids]
    )
    assert 0.45 < moss.count / solid.area < 0.62  # its edges let some more stand
    some = moss.position[::40].astype(float)
    assert nearest(solid, some)[0].max() < 1e-3


def test_how_they_stand_and_how_many_samples_nothing_anew() -> None:
    cache = Cache()
    run(rule(), bearers(), cache)
    before = cache.misses
    for other in (
        rule(fill=0.4),
        rule(pose=Pose(lean=1.0, size_low=2.0, size_high=3.0)),
        rule(sizes=((0.5, 0.6),)),
    ):
        warm = run(other, bearers(), cache)
        assert cache.misses == before
        assert by_id(warm) == by_id(run(other, bearers()))
    run(rule(facing=(0.0, 90.0)), bearers(), cache)
    assert cache.misses > before


def test_an_evaluation_until_a_layer_gives_it_as_the_whole_does() -> None:
    document = read_document(scene_of())
    whole = Evaluator(Library(load=demo_file)).evaluate(document)
    part = Evaluator(Library(load=demo_file)).evaluate(document, until="stones")
    assert [r.layer.id for r in part.layers][-1] == "stones"
    assert part.layer("stones").key == whole.layer("stones").key
    assert part.ground.key == whole.ground.key


def test_candidates_are_even_over_each_triangle() -> None:
    one = replace(things(1, size=1.0), rotation=np.array([[0, 0, 0, 1]], np.float32))
    at = candidates(4, FACES["slab"], one, 1500.0)
    own = at.position - one.position[0]
    top = own[own[:, 2] > 0.029][:, :2] / [4, 3] + 0.5  # two triangles, each 6 square metres
    shares = np.histogram2d(*top.T, bins=6, range=[[0, 1], [0, 1]])[0] / len(top)
    assert len(top) == pytest.approx(1500 * 12, rel=0.03)
    assert np.abs(shares * 36 - 1).max() < 0.16


def test_far_things_with_little_room_take_no_memory_for_what_lies_between() -> None:
    at = np.array([[-4000.0, 0, -4000], [4000, 0, 4000], [4000.01, 0, 4000]])
    stands = settled(at, np.zeros((3, 3)), np.full(3, 0.01), np.arange(3), 0.02)
    assert stands.tolist() == [True, True, False]


def test_too_many_triangles_are_refused_before_one_is_looked_at(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def never(*_: Any) -> Any:
        raise AssertionError("it was sampled")

    monkeypatch.setattr(upons, "candidates", never)
    monkeypatch.setattr(upons, "MOST_FACES", 12 * 1280 - 1)
    with pytest.raises(TooLargeError, match=r"on: these stand on 15,360 triangles"):
        run(rule(50.0), bearers())


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"spacing": float("nan")}, "spacing"),
        ({"spacing": float("inf")}, "spacing"),
        ({"spacing": 0}, r"spacing.*0\.02"),
        ({"facing": [80, 20]}, "facing"),
        ({"facing": [0, 200]}, r"facing.*180"),
        ({"fill": -1}, "fill"),
        ({"size": [0, 10]}, "size"),
        ({"lean": 140}, r"lean.*100"),
    ],
)
def test_bad_numbers_name_the_field(change: Any, words: str) -> None:
    with pytest.raises(ParameterError, match=words):
        read_document(scene_of(**change))


def test_things_that_are_tilted_flat_or_overhead_bear_as_others_do() -> None:
    for turn in ([0, 0, 0], [90, 0, 0], [180, 0, 0], [37, 11, 200]):
        quat = Rotation.from_euler("xyz", turn, degrees=True).as_quat().astype(np.float32)
        one = replace(things(1, size=1.0), rotation=quat[None])
        found = run(rule(0.25, pose=Pose(lean=1.0)), bearers("slab", one))
        own = Rotation.from_quat(quat).inv().apply(found.position - one.position[0])
        assert (np.abs(own) <= [2.0002, 1.5002, 0.0302]).all()
        up = Rotation.from_quat(quat).inv().apply(up_of(found))
        on_top = (np.abs(own[:, :2]) < [1.999, 1.499]).all(axis=1)  # not on a rim
        assert np.abs(np.abs(up[on_top, 2]) - 1).max() < 1e-3
        assert found.count == pytest.approx(24 / 0.25**2 * 0.54, rel=0.12)


@st.composite
def painted(draw: st.DrawFn) -> tuple[Any, bool]:
    """Strokes of a brush over a mix of two, and whether nothing stands but where it is painted."""
    point = st.tuples(st.integers(-150, 150), st.integers(-150, 150))
    stroke = st.builds(
        lambda does, radius, strength, falloff, points, assets: BrushStroke(
            id="s",
            does=does,
            radius=radius,
            strength=strength,
            falloff=falloff,
            points=tuple(points),
            assets=tuple(assets),
        ),
        st.sampled_from(["paint", "paint", "erase"]),
        st.floats(20, 90),
        st.floats(0.3, 1),
        st.floats(0, 1),
        st.lists(point, min_size=1, max_size=4),
        st.sampled_from([[], ["a"], ["b"]]),
    )
    return draw(st.lists(stroke, max_size=4)), draw(st.booleans())


TWO = Choices.of([("a", 1.0, (1,)), ("b", 1.0, (2,))])


def brushed(strokes: Any, alone: bool) -> Placements:
    of = UponRule(5, 0.3, np.full(2, 0.15, np.float32), choices=TWO)
    return run(replace(of, brush=Brushwork.of(strokes, ["a", "b"], alone)), bearers())


def with_asset(p: Placements) -> dict[int, bytes]:
    return {i: own + bytes([v]) for (i, own), v in zip(by_id(p).items(), p.variant, strict=True)}


@settings(max_examples=examples(25), deadline=None)
@given(painted(), painted())
def test_a_brush_over_faces_acts_in_its_strokes_and_nowhere_else(first: Any, more: Any) -> None:
    (strokes, alone), (added, _) = first, more
    before, after = brushed(strokes, alone), brushed([*strokes, *added], alone)
    untouched, now = with_asset(before), with_asset(after)
    shapes = [shapely.LineString([*s.points, s.points[-1]]).buffer(s.radius + 0.01) for s in added]
    reach = shapely.union_all(shapes)
    for p, own, other in ((before, untouched, now), (after, now, untouched)):
        out = ~shapely.contains_xy(reach, p.position[:, 0], p.position[:, 2])
        for i in p.ids[out].tolist():
            assert other.get(i) == own[i], "beyond the strokes all is as it was"
    assert not cKDTree(after.position).query_pairs(0.299), "never too near, whatever is painted"


def test_on_faces_a_brush_paints_erases_and_names_its_assets() -> None:
    everywhere = BrushStroke(id="all", radius=400, falloff=0, points=((0, 0),))
    only = everywhere.model_copy(update={"id": "a", "assets": ("a",)})
    less = everywhere.model_copy(update={"id": "e", "does": "erase", "strength": 0.4})
    whole = brushed([], False)
    assert with_asset(brushed([everywhere], True)) == with_asset(whole)
    assert brushed([], True).count == 0
    assert set(brushed([only], True).variant.tolist()) == {0}
    gone = only.model_copy(update={"does": "erase"})
    left = brushed([gone], False)
    assert with_asset(left) == {i: v for i, v in with_asset(whole).items() if v[-1] == 1}
    thinned = brushed([less], False)
    assert set(with_asset(thinned).items()) < set(with_asset(whole).items())
    assert thinned.count == pytest.approx(0.6 * whole.count, rel=0.06)
