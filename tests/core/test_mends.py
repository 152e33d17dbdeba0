"""What is done to triangles: facing, holes, fewer of them, convex bodies about them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from plough.core import kinds
from plough.core.build.imported import ImportParameters
from plough.core.formats.model import PLAIN, Model, Piece, pack
from plough.core.mesh.checks import is_watertight, problems, volume
from plough.core.mesh.convex import convex_pieces, hull_of
from plough.core.mesh.simplify import simplified
from plough.core.mesh.topology import closed_volume, facing_wrong, flat_triangles, holes
from plough.core.mesh.value import Mesh, Part
from tests.depth import examples
from tests.models import make


def lump(level: int, seed: int = 0) -> trimesh.Trimesh:
    ball = trimesh.creation.icosphere(level)
    wave = np.random.default_rng(seed).normal(size=(5, 3)) * 3
    ball.vertices = ball.vertices * (1 + 0.06 * np.sin(ball.vertices @ wave.T).sum(axis=1))[:, None]
    return ball


def mesh_of(body: trimesh.Trimesh, uv: Any = None) -> Mesh:
    n, m = len(body.vertices), len(body.faces)
    return Mesh(
        body.vertices.astype(np.float32),
        body.vertex_normals.astype(np.float32),
        np.zeros((n, 2), np.float32) if uv is None else uv.astype(np.float32),
        body.faces.astype(np.uint32),
        (Part("stone", 0, m),),
    )


@settings(max_examples=examples(30), deadline=None)
@given(st.integers(0, 2**31), st.floats(0, 1), st.integers(0, 12))
def test_whatever_is_turned_is_turned_back(seed: int, share: float, gone: int) -> None:
    body = lump(3, seed)
    rng = np.random.default_rng(seed)
    faces = np.asarray(body.faces, np.int64)
    faces = np.delete(faces, rng.choice(len(faces), gone, replace=False), axis=0)
    turned = rng.random(len(faces)) < share
    faces[turned] = faces[turned][:, ::-1]
    assert np.array_equal(facing_wrong(body.vertices, faces, None), turned)


def test_a_hollow_stays_hollow_and_a_sheet_takes_the_side_of_its_normals() -> None:
    out, within = trimesh.creation.icosphere(2, radius=2.0), trimesh.creation.icosphere(2)
    n = len(out.vertices)
    hollow = np.concatenate([out.faces, within.faces[:, ::-1] + n]).astype(np.int64)
    points = np.concatenate([out.vertices, within.vertices])
    assert not facing_wrong(points, hollow, None).any()
    sheet = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    up = np.tile([0.0, 0, 1], (2, 1))
    assert not facing_wrong(sheet, faces, up).any()
    assert facing_wrong(sheet, faces, -up).all()


@pytest.mark.parametrize("side", [12, 90])
def test_a_broad_sheet_of_hills_keeps_its_side(side: int) -> None:
    g = np.linspace(-60, 60, side)
    x, z = (v.ravel() for v in np.meshgrid(g, g))
    points = np.stack([x, 12 * np.sin(x / 17) * np.cos(z / 13) - 4, z], 1)
    at = np.arange(side * side).reshape(side, side)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1).reshape(-1, 4)
    faces = quads[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3).astype(np.int64)
    assert not facing_wrong(points, faces, None).any()
    turned = np.zeros(len(faces), bool)
    turned[::9] = True
    faces[turned] = faces[turned][:, ::-1]
    assert np.array_equal(facing_wrong(points, faces, None), turned)


@settings(max_examples=examples(30), deadline=None)
@given(st.integers(0, 2**31), st.integers(1, 30))
def test_loops_about_holes_hold_every_open_edge_once(seed: int, gone: int) -> None:
    body = lump(3)
    away = np.random.default_rng(seed).choice(len(body.faces), gone, replace=False)
    faces = np.delete(np.asarray(body.faces, np.int64), away, axis=0)
    # no crumb is left in a hole, not even one that hangs by a corner
    left = trimesh.Trimesh(body.vertices, faces, process=False)
    labels = trimesh.graph.connected_component_labels(left.face_adjacency, node_count=len(faces))
    assume(labels.max() == 0)
    loops = holes(faces)
    sides = {(int(t[k]), int(t[(k + 1) % 3])) for t in faces for k in range(3)}
    open_ = {(b, a) for a, b in sides if (b, a) not in sides}
    walked = [
        (int(x), int(y)) for loop in loops for x, y in zip(loop, np.roll(loop, -1), strict=True)
    ]
    assert len(walked) == len(set(walked)) == len(open_)
    assert set(walked) == open_


def test_triangles_on_a_line_are_flat_at_any_size() -> None:
    shape = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [1, 1, 0], [1, 1e-3, 0]], float)
    faces = np.array([[0, 1, 2], [0, 2, 3], [0, 0, 3], [0, 2, 4]])
    for size in (1e-4, 1.0, 1e4):
        assert flat_triangles(shape * size, faces).tolist() == [True, False, True, False]


@pytest.mark.parametrize("target", [2000, 600, 150])
def test_fewer_triangles_stay_watertight_sound_and_near(target: int) -> None:
    whole = mesh_of(lump(5, 4))
    less = simplified(whole, target)
    assert target <= less.triangles <= 1.02 * target + 2
    assert is_watertight(less)
    assert problems(less) == []
    assert volume(less) == pytest.approx(volume(whole), rel=0.02 if target >= 600 else 0.09)
    there = {p.tobytes() for p in whole.positions}
    assert all(p.tobytes() in there for p in less.positions), "a vertex is none that was there"
    others = trimesh.Trimesh(less.positions, less.indices, process=False)
    surface = trimesh.sample.sample_surface(others, 60_000, seed=1)[0]
    away = cKDTree(surface).query(whole.positions)[0]
    assert away.max() < (0.05 if target >= 600 else 0.2)


def test_open_edges_seams_and_materials_stay_where_they_are() -> None:
    n = 60
    g = np.linspace(0, 1, n)
    x, z = np.meshgrid(g, g)
    flat = np.stack([x, 0.03 * np.sin(9 * x) * np.cos(7 * z), z], -1).reshape(-1, 3)
    at = np.arange(n * n).reshape(n, n)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1)
    both = [[0, 1, 2], [0, 2, 3]]
    halves = [q.reshape(-1, 4)[:, both].reshape(-1, 3) for q in (quads[:, :30], quads[:, 30:])]
    # the right half has vertices of its own along the middle: another material, other coordinates
    positions = np.concatenate([flat, flat]).astype(np.float32)
    uv = np.concatenate([flat[:, [0, 2]], flat[:, [0, 2]] + 5]).astype(np.float32)
    faces = np.concatenate([halves[0], halves[1] + n * n]).astype(np.uint32)
    up = np.tile(np.float32([0, 1, 0]), (2 * n * n, 1))
    m = len(halves[0])
    whole = Mesh(positions, up, uv, faces, (Part("left", 0, m), Part("right", m, len(faces) - m)))
    less = simplified(whole, 400)
    assert less.triangles < 450
    assert [p.material for p in less.parts] == ["left", "right"]
    for part, shift in zip(less.parts, (0, 5), strict=True):
        rows = less.indices[part.first : part.first + part.count]
        used = np.unique(rows)
        assert np.allclose(less.uv0[used], less.positions[used][:, [0, 2]] + shift, atol=1e-5)
        corners = less.positions[rows][..., [0, 2]]
        one, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        area = 0.5 * np.abs(one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]).sum()
        share = float(flat[at[0, 30], 0]) if shift == 0 else 1 - float(flat[at[0, 30], 0])
        assert area == pytest.approx(share, abs=1e-4), "its outline has moved"
    assert simplified(whole, 400).indices.tobytes() == less.indices.tobytes()


def test_a_thin_tube_is_not_pinched() -> None:
    rings = 60
    angle = np.tile(np.arange(3) * 2.1, rings) + np.repeat(np.arange(rings) * 0.3, 3)
    along = np.repeat(np.arange(rings) * 0.4, 3)
    points = np.stack([np.cos(angle), along, np.sin(angle)], axis=1)
    at = np.arange(3 * rings).reshape(rings, 3)
    a, b = at[:-1], at[1:]
    quads = np.stack([a, b, np.roll(b, -1, 1), np.roll(a, -1, 1)], -1).reshape(-1, 4)
    caps = [at[0], at[-1][::-1]]
    faces = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]], caps])
    body = trimesh.Trimesh(points, faces, process=False)
    assert body.is_watertight
    for target in (200, 60, 16):
        less = simplified(mesh_of(body), target)
        assert is_watertight(less), target
        corners = np.sort(less.indices, axis=1)
        assert len(np.unique(corners, axis=0)) == len(corners), "two triangles on the same corners"


def test_texture_coordinates_are_not_folded_over() -> None:
    n = 30
    g = np.linspace(0, 1, n)
    x, z = (v.ravel() for v in np.meshgrid(g, g))
    points = np.stack([x, np.zeros(n * n), z], 1)
    at = np.arange(n * n).reshape(n, n)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1).reshape(-1, 4)
    faces = quads[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)
    # the plane says nothing of what may go; the coordinates wind about its middle
    turn = 2.6 * np.exp(-8 * ((x - 0.5) ** 2 + (z - 0.5) ** 2))
    c, s = np.cos(turn), np.sin(turn)
    uv = np.stack([c * (x - 0.5) - s * (z - 0.5), s * (x - 0.5) + c * (z - 0.5)], 1)

    def folds(uv: Any, faces: Any) -> int:
        a, b, c = (uv[faces[:, k]].astype(np.float64) for k in range(3))
        area = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
        return int(min((area > 0).sum(), (area < 0).sum()))

    assert folds(uv, faces) == 0
    less = simplified(mesh_of(trimesh.Trimesh(points, faces, process=False), uv), 250)
    assert less.triangles < 400
    assert folds(less.uv0, less.indices) == 0


def test_only_closed_bodies_have_a_volume() -> None:
    box, ball = trimesh.creation.box((2, 3, 4)), trimesh.creation.icosphere(3)
    bowl = ball.faces[ball.triangles_center[:, 1] < 0]
    points = np.concatenate([box.vertices, ball.vertices + 9.0])
    faces = np.concatenate([box.faces, bowl + len(box.vertices)]).astype(np.int64)
    assert closed_volume(points[faces], faces) == pytest.approx(24.0)


def mended(piece: Piece, **mend: bool) -> Mesh:
    data = pack(Model("glb", (piece,), (PLAIN,)))
    values = {"source": "ab" * 8, "mend": mend, "pivot": "own"}
    return kinds.make("mesh", values, 1, 0, lambda name: data).mesh


def along(mesh: Mesh) -> Any:
    """(m, 3) of each triangle's corners: how far the normal goes with the triangle's own."""
    a, b, c = (mesh.positions[mesh.indices[:, k]] for k in range(3))
    own = np.cross(b - a, c - a)
    own /= np.linalg.norm(own, axis=1, keepdims=True)
    return np.einsum("mj,mkj->mk", own, mesh.normals[mesh.indices])


def test_normals_turn_with_what_is_turned() -> None:
    ball = trimesh.creation.icosphere(2)
    corners = ball.vertices[ball.faces].reshape(-1, 3)
    faces = np.arange(len(corners)).reshape(-1, 3)
    normals = corners.copy()
    faces[::3] = faces[::3, ::-1]  # turned by their tool, with their normals
    normals[faces[::3].reshape(-1)] *= -1
    as_one = (corners.astype(np.float32), faces.astype(np.uint32), normals.astype(np.float32))
    assert along(mended(Piece("ball", 0, *as_one), outwards=True)).min() > 0.9
    normals = np.abs(normals) * np.sign(corners)  # turned, but lit as if they were not
    as_one = (corners.astype(np.float32), faces.astype(np.uint32), normals.astype(np.float32))
    assert along(mended(Piece("ball", 0, *as_one), outwards=True)).min() > 0.9


def test_a_closed_hole_is_lit_as_the_face_that_it_is() -> None:
    ball = trimesh.creation.uv_sphere(count=[32, 32])
    kept = ball.faces[ball.triangles_center[:, 2] < 0.7]
    args = (ball.vertices, kept, ball.vertices)
    types = (np.float32, np.uint32, np.float32)
    piece = Piece("bowl", 0, *(np.asarray(v, t) for v, t in zip(args, types, strict=True)))
    mesh = mended(piece, holes=True)
    assert mesh.triangles > len(kept)
    rim = ball.vertices[kept][..., 2].max()
    lid = (mesh.positions[mesh.indices][..., 2] > rim - 1e-4).all(axis=1)
    assert lid.sum() >= 30
    assert along(mesh)[lid].min() > 0.999


@settings(max_examples=examples(15), deadline=None)
@given(st.integers(0, 2**31), st.integers(1, 8))
def test_convex_bodies_hold_the_mesh_and_more_of_them_hold_less(seed: int, most: int) -> None:
    body = trimesh.util.concatenate([lump(2, seed), trimesh.creation.box((6, 0.4, 0.4))])
    pieces = convex_pieces(body.triangles, most)
    assert 1 <= len(pieces) <= most
    hulls = [trimesh.Trimesh(p).convex_hull for p in pieces]
    samples = trimesh.sample.sample_surface(body, 400, seed=1)[0]
    size = float(body.extents.max())
    within = np.zeros(len(samples), bool)
    for hull in hulls:
        out = (samples - hull.triangles_center[:, None]) * hull.face_normals[:, None]
        within |= out.sum(axis=2).max(axis=0) < 1e-3 * size
    assert within.all()
    if most >= 4:
        assert sum(h.volume for h in hulls) < 0.8 * hull_of(body.vertices)[1]


@pytest.mark.parametrize("kind", ["none", "supplied", "box", "capsule", "hull", "pieces"])
def test_each_collider_is_measured_against_the_mesh(kind: str) -> None:
    mends = {"outwards": True, "holes": True}
    product = make("mesh", {"game": {"collider": kind}, "mend": mends}, 1)
    volumes = [trimesh.Trimesh(p).convex_hull.volume for p in product.collider.pieces]
    own = product.mesh.indices[: product.nodes[0].count]
    solid = abs(trimesh.Trimesh(product.mesh.positions, own).volume)
    if kind == "none":
        assert product.collider.count == 0
    elif kind == "capsule":
        (rod,) = product.collider.capsules
        assert rod.start[1] < rod.end[1] or rod.start[0] < rod.end[0]
    else:
        told = product.counts["volume"] / 100
        assert told == pytest.approx(sum(volumes) / solid, abs=0.08)
    if kind in ("box", "hull"):
        assert product.counts["covered"] == 100
    if kind == "supplied":
        assert volumes == pytest.approx([0.9**3], rel=1e-3)


@pytest.mark.parametrize(
    ("values", "height"),
    [({"unit": "cm"}, 1.8), ({"unit": "mm"}, 0.18), ({"unit": "cm", "size": 2}, 3.6)],
)
def test_unit_size_pivot_and_turn_place_it(values: dict[str, Any], height: float) -> None:
    product = make("mesh", values, 1)
    low, high = product.mesh.bounds()
    assert high[1] - low[1] == pytest.approx(height, rel=1e-4)
    assert low[1] == pytest.approx(0, abs=1e-6)
    assert np.allclose((low + high)[[0, 2]], 0, atol=1e-5)
    middle = make("mesh", {**values, "pivot": "middle"}, 1).mesh.bounds()
    assert np.allclose(middle[0] + middle[1], 0, atol=1e-5)
    turned = make("mesh", {**values, "turn": 90}, 1).mesh.bounds()
    size = high - low
    assert np.allclose((turned[1] - turned[0]), size[[2, 1, 0]], rtol=1e-4)
    lying = make("mesh", {**values, "up": "z"}, 1).mesh.bounds()
    assert np.allclose(np.sort(lying[1] - lying[0]), np.sort(size), rtol=1e-4)


def test_plants_sway_at_the_top_and_what_is_cut_out_flutters() -> None:
    still, moved = make("mesh", {}, 1).mesh, make("mesh", {"sway": 0.8, "stiff": 0.3}, 1)
    assert still.wind is None
    wind, height = moved.mesh.wind, moved.mesh.positions[:, 1]
    assert wind is not None
    assert wind[height < 0.3 * height.max(), 0].max() == 0
    assert wind[height.argmax(), 0] == round(0.8 * 255)
    leaf = next(p for p in moved.mesh.parts if p.material == "leaf")
    rows = np.unique(moved.mesh.indices[leaf.first : leaf.first + leaf.count])
    rest = np.setdiff1d(np.arange(len(wind)), rows)
    assert wind[rows, 2].min() > 0
    assert wind[rest, 2].max() == 0


def test_a_mesh_without_a_file_is_refused_with_its_field() -> None:
    from plough.core import kinds
    from plough.core.errors import FormatError, ParameterError

    with pytest.raises(ParameterError, match="source"):
        kinds.make("mesh", {}, 1)
    with pytest.raises(FormatError, match="not here"):
        kinds.make("mesh", {"source": "ab" * 8}, 1)
    assert ImportParameters().source == ""
