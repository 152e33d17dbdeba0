"""Maps baked from one mesh onto another: colours, normals and what is looked through, against what is known of the source."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from shapely import Polygon, STRtree

from plough.core.arrays import UInt8
from plough.core.house.kits import KITS
from plough.core.library import Library
from plough.core.library.variants import variant_of
from plough.core.mesh.baked import Baked, BakeRule, bake_maps
from plough.core.mesh.material import Maps, Material
from plough.core.mesh.picture import draw_picture, frame_of
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh, Part
from plough.core.vectors import unit
from tests.depth import some

RULE = BakeRule(256, 0.2, 0.2)


def shown(albedo: UInt8) -> Maps:
    """Images of a plain surface of that colour."""
    flat = np.full((1, 1, 3), (128, 128, 255), np.uint8)
    return Maps(albedo, flat, np.full((1, 1, 3), (255, 255, 0), np.uint8))


WHITE = {"skin": shown(np.full((1, 1, 4), 255, np.uint8))}
SKIN = {"skin": Material("skin")}


def mesh_of(points: np.ndarray, faces: np.ndarray, flat: bool = False) -> Mesh:
    """Of a body of another library, flat or smooth, with texture coordinates side by side."""
    if flat:
        points, faces = points[faces].reshape(-1, 3), np.arange(3 * len(faces)).reshape(-1, 3)
    body = trimesh.Trimesh(points, faces, process=False)
    normals = np.repeat(body.face_normals, 3, axis=0) if flat else unit(points)
    plain = Mesh(
        points.astype(np.float32),
        normals.astype(np.float32),
        np.zeros((len(points), 2), np.float32),
        faces.astype(np.uint32),
        (Part("skin", 0, len(faces)),),
    )
    uv = second_uv(plain, 0.02)
    return Mesh(plain.positions, plain.normals, uv, plain.indices, plain.parts)


def ball(times: int, flat: bool = False) -> Mesh:
    """One of triangles; flat, each lies by itself in its texture."""
    body = trimesh.creation.icosphere(times)
    return mesh_of(np.asarray(body.vertices), np.asarray(body.faces), flat)


def spots(mesh: Mesh, size: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Row and column of texels well within triangles, and their triangles and shares, by another library."""
    uv, rng = mesh.uv0[mesh.indices].astype(float), np.random.default_rng(1)
    which = rng.integers(0, mesh.triangles, 4000)
    share = rng.dirichlet([2, 2, 2], 4000)
    at = np.einsum("sc,sck->sk", share, uv[which]) * size
    middle = np.floor(at) + 0.5
    found = trimesh.triangles.points_to_barycentric(
        np.concatenate([uv[which] * size, np.zeros((4000, 3, 1))], axis=2),
        np.column_stack([middle, np.zeros(4000)]),
    )
    inside = (found > 0.02).all(axis=1)
    row, column = np.floor(at[inside]).astype(int).T[::-1]
    return row, column, which[inside], found[inside]


def normals(mesh: Mesh, baked: Baked) -> tuple[np.ndarray, np.ndarray]:
    """Places on a mesh, and the normals that its map tells there, as a renderer reads them."""
    size = len(baked.maps.normal)
    row, column, which, share = spots(mesh, size)
    mesh = with_tangents(mesh)
    assert mesh.tangents is not None
    corners = mesh.indices[which]
    at, normal, tangent = (
        np.einsum("sc,sck->sk", share, v[corners].astype(float))
        for v in (mesh.positions, mesh.normals, mesh.tangents)
    )
    normal = unit(normal)
    along = unit(tangent[:, :3] - (tangent[:, :3] * normal).sum(1, keepdims=True) * normal)
    across = np.sign(tangent[:, 3:]) * np.cross(normal, along)
    told = baked.maps.normal[row, column].astype(float) / 127.5 - 1.0
    return at, unit(told[:, :1] * along + told[:, 1:2] * across + told[:, 2:] * normal)


def hill(many: int) -> Mesh:
    """Smooth ground with a knoll and a dent, so many squares a side, its texture coordinates those of the map."""
    t = np.linspace(0, 1, many + 1)
    x, z = (v.ravel() for v in np.meshgrid(2 * t - 1, 2 * t - 1))
    high = 0.3 * np.exp(-6 * ((x - 0.3) ** 2 + z**2)) - 0.2 * np.exp(-9 * ((x + 0.4) ** 2 + z**2))
    k = (np.arange(many)[:, None] * (many + 1) + np.arange(many)).ravel()
    faces = np.concatenate(
        [
            np.column_stack([k, k + many + 1, k + 1]),
            np.column_stack([k + 1, k + many + 1, k + many + 2]),
        ]
    )
    points = np.column_stack([x, high, z])
    smooth = trimesh.Trimesh(points, faces, process=False).vertex_normals
    uv = (0.02 + 0.96 * (np.column_stack([x, z]) * 0.5 + 0.5)).astype(np.float32)
    return Mesh(
        points.astype(np.float32),
        smooth.astype(np.float32),
        uv,
        faces.astype(np.uint32),
        (Part("skin", 0, len(faces)),),
    )


def test_coarse_smooth_ground_tells_the_normals_of_fine_ground() -> None:
    coarse, fine = hill(10), hill(160)
    at, told = normals(coarse, bake_maps(coarse, fine, SKIN, WHITE, RULE))
    x, z = at[:, 0], at[:, 2]
    one = 0.3 * np.exp(-6 * ((x - 0.3) ** 2 + z**2))
    two = 0.2 * np.exp(-9 * ((x + 0.4) ** 2 + z**2))
    dx = -12 * (x - 0.3) * one + 18 * (x + 0.4) * two
    dz = -12 * z * one + 18 * z * two
    true = unit(np.column_stack([-dx, np.ones(len(x)), -dz]))
    off = np.degrees(np.arccos((told * true).sum(axis=1).clip(-1, 1)))
    plain = unit(np.array(trimesh.Trimesh(coarse.positions, coarse.indices).face_normals))
    assert np.quantile(off, 0.95) < 3 and np.median(off) < 1
    assert plain[:, 1].min() < 0.8, "it is steep enough to tell"


def test_a_coarse_ball_tells_the_normals_of_a_fine_one() -> None:
    coarse, fine = ball(1, flat=True), ball(5)
    baked = bake_maps(coarse, fine, SKIN, WHITE, RULE)
    at, told = normals(coarse, baked)
    with_map = np.degrees(np.arccos((told * unit(at)).sum(axis=1).clip(-1, 1)))
    assert np.quantile(with_map, 0.95) < 2.5
    assert baked.missed < 1e-3 and 0.001 < baked.off < 0.06


def test_what_lies_out_of_reach_is_missed() -> None:
    small = ball(4)
    far = Mesh(0.7 * small.positions, small.normals, small.uv0, small.indices, small.parts)
    assert bake_maps(ball(3, flat=True), far, SKIN, WHITE, RULE).missed == 1.0
    near = bake_maps(ball(3, flat=True), far, SKIN, WHITE, BakeRule(64, 0.1, 0.35))
    assert near.missed < 1e-3 and near.off == pytest.approx(0.3, abs=0.02)


def painted(mesh: Mesh) -> Mesh:
    """With a colour by its place."""
    colors = np.concatenate([mesh.positions * 0.4 + 0.5, np.ones((mesh.vertices, 1))], axis=1)
    return Mesh(
        mesh.positions,
        mesh.normals,
        mesh.uv0,
        mesh.indices,
        mesh.parts,
        colors=np.asarray(colors * 255, np.uint8),
    )


def test_colours_are_those_of_the_place() -> None:
    coarse, fine = ball(3, flat=True), painted(ball(5))
    baked = bake_maps(coarse, fine, SKIN, WHITE, RULE)
    row, column, which, share = spots(coarse, 256)
    at = unit(np.einsum("sc,sck->sk", share, coarse.positions[coarse.indices[which]].astype(float)))
    told = (baked.maps.albedo[row, column, :3] / 255.0) ** (1 / 0.4545)
    assert np.abs(told - (at * 0.4 + 0.5)).max() < 0.03
    assert (baked.maps.albedo[..., 3] == 255).all()


def test_what_is_cut_out_is_looked_through_and_what_is_not_is_not() -> None:
    """Before a plain square hangs another, whose image is holes on its left half."""
    plate = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], np.float32)
    faces = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
    up = np.tile(np.array([0, 0, 1], np.float32), (4, 1))
    uv = (plate[:, :2] * [0.5, -0.5] + 0.5).astype(np.float32)
    target = Mesh(plate, up, uv, faces, (Part("back", 0, 2),))
    source = Mesh(
        np.concatenate([plate, plate + np.float32([0, 0, 0.1])]),
        np.tile(up, (2, 1)),
        np.tile(uv, (2, 1)),
        np.concatenate([faces, faces + 4]),
        (Part("back", 0, 2), Part("leaf", 2, 2)),
    )
    holes = np.zeros((64, 64, 4), np.uint8)
    holes[:, 32:] = (255, 0, 0, 255)
    images = {
        "back": shown(np.full((1, 1, 4), (0, 0, 255, 255), np.uint8)),
        "leaf": shown(holes),
    }
    for cutout, left in ((True, (0, 0, 255)), (False, (0, 0, 0))):
        materials = {"back": Material("back"), "leaf": Material("leaf", cutout=cutout)}
        image = bake_maps(target, source, materials, images, BakeRule(64, 0.2, 0.2)).maps.albedo
        assert (image[:, 4:28, :3] == left).all() and (image[:, 36:60, :3] == (255, 0, 0)).all()


LIBRARY = Library()


BODIES = ["long", "ell", "tee", "court", "round"]
PAIRS = [(kit, body) for kit in KITS for body in BODIES]


@pytest.mark.parametrize(("kit", "body"), some(PAIRS, len(BODIES) + 1))
def test_a_house_from_afar_is_a_few_faces_that_look_like_it(kit: str, body: str) -> None:
    roof = "flat" if kit == "board" else "gable"
    values = {
        "kit": kit,
        "body": body,
        "long": 14,
        "wide": 7,
        "storeys": 3,
        "jetty": 0.3,
        "roof": roof,
    }
    variant = variant_of("h", "h", "building", values, 1, {})
    near = LIBRARY.level(variant, 0)
    far = LIBRARY.level(variant, LIBRARY.levels_of(variant) - 1)
    assert far.mesh.triangles < 200 and far.mesh.triangles < 0.2 * near.mesh.triangles
    assert LIBRARY.facts(variant, 3).triangles == far.mesh.triangles
    low, high = near.mesh.bounds()
    own_low, own_high = far.mesh.bounds()
    assert (own_low >= low - 0.02).all() and (own_high <= high + 0.02).all()
    assert (own_high - own_low > 0.8 * (high - low)).all()
    # no two triangles share a texel
    uv = far.mesh.uv0[far.mesh.indices].astype(float)
    flats = [Polygon(t) for t in uv]
    tree = STRtree(flats)
    a, b = tree.query(flats, predicate="overlaps")
    assert (
        max((flats[i].intersection(flats[j]).area for i, j in zip(a, b, strict=True)), default=0)
        < 1e-7
    )
    # it looks more like the house than the same faces in its mean colour do
    pictures = [LIBRARY.picture(variant, (160, 120), d).astype(float) for d in (0, 3)]
    ((slot, worn),) = far.materials.items()
    image = LIBRARY.small_albedo(worn)
    mean = np.broadcast_to(image.mean(axis=(0, 1)).astype(np.uint8), image.shape).copy()
    seen = frame_of([far.mesh], 160 / 120)
    plain = draw_picture(far.mesh, far.materials, {slot: mean}, seen, (160, 120))
    differing, bare = (np.abs(pictures[0] - other).mean() for other in (pictures[1], plain))
    assert differing < 0.8 * bare
