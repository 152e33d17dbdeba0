"""Meshes from outside: what is read is what was written, and what cannot be read is refused in time."""

from __future__ import annotations

import io
import json
import struct
import time
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from plough.core import kinds
from plough.core.build.report import report
from plough.core.errors import FormatError, ParameterError, PloughError, TooLargeError
from plough.core.formats.glb import GlbBuilder
from plough.core.formats.meshes import read_model
from plough.core.formats.model import PLAIN, Covering, Model, Piece, pack, unpack
from plough.core.formats.reading import read_apart
from plough.core.mesh.checks import problems
from tests.depth import examples
from tests.models import BROKEN, broken, make, png


def written(mesh: trimesh.Trimesh, kind: str) -> bytes:
    data = mesh.export(file_type=kind)
    return data.encode() if isinstance(data, str) else data


def glb(document: dict[str, Any], body: bytes = b"") -> bytes:
    """A GLB of one's own JSON."""
    text = json.dumps({"asset": {"version": "2.0"}, **document}).encode()
    text += b" " * (-len(text) % 4)
    body += b"\0" * (-len(body) % 4)
    whole = 12 + 8 + len(text) + 8 + len(body)
    return b"".join(
        [
            struct.pack("<III", 0x46546C67, 2, whole),
            struct.pack("<II", len(text), 0x4E4F534A) + text,
            struct.pack("<II", len(body), 0x004E4942) + body,
        ]
    )


def soup_of(model: Model) -> np.ndarray[Any, Any]:
    """(m, 3, 3) corners of all triangles, in an order of their own."""
    corners = np.concatenate([p.positions[p.indices] for p in model.pieces])
    return corners[np.lexsort(corners.reshape(len(corners), 9).T.round(3))]


@pytest.mark.parametrize("kind", ["glb", "obj", "stl", "ply"])
def test_every_format_holds_the_same_triangles(kind: str) -> None:
    lump = trimesh.creation.icosphere(2, radius=1.5)
    lump.vertices[:, 1] *= 0.5
    model = read_model(f"lump.{kind}", written(lump, kind))
    assert model.triangles == len(lump.faces)
    like = lump.triangles[np.lexsort(lump.triangles.reshape(-1, 9).T.round(3))]
    assert np.allclose(soup_of(model), like, atol=1e-4)
    assert np.allclose(np.ptp(np.stack(model.bounds()), axis=0), lump.extents, atol=1e-4)


def test_an_obj_wears_what_its_library_says_and_keeps_its_names() -> None:
    obj = "mtllib wood.mtl\no post\nusemtl oak\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n"
    mtl = "newmtl oak\nKd 1 1 1\nmap_Kd planks/oak.png\n"
    beside = {"wood.mtl": mtl.encode(), "oak.png": png(8, (90, 60, 40))}
    model = read_model("post.obj", obj.encode(), beside)
    (piece,), (covering,) = model.pieces, model.coverings
    assert covering.name == "oak"
    assert set(covering.images) == {"albedo"}
    assert piece.uv is not None
    # v runs down in Plough, as in glTF
    top = piece.uv[piece.positions[:, 1].argmax()]
    assert np.allclose(top, [0.0, 0.0])
    bare = read_model("post.obj", obj.encode())
    assert bare.triangles == 1
    assert (bare.coverings[0].name, bare.coverings[0].images) == ("oak", {})
    nothing = read_model("post.obj", obj.replace("usemtl oak\n", "").encode())
    assert nothing.coverings == (PLAIN,)


def test_what_is_packed_comes_out_as_it_went_in() -> None:
    model, again = broken(), unpack(pack(broken()))
    assert again.coverings == model.coverings
    for a, b in zip(model.pieces, again.pieces, strict=True):
        assert (a.name, a.covering, a.extras) == (b.name, b.covering, b.extras)
        for name in ("positions", "indices", "normals", "uv", "colors"):
            one, other = getattr(a, name), getattr(b, name)
            assert (one is None) == (other is None)
            assert one is None or np.array_equal(one, other)
    assert pack(again) == BROKEN
    with pytest.raises(FormatError):
        unpack(BROKEN[: len(BROKEN) // 2])


def test_a_mesh_that_is_written_out_again_has_its_geometry_names_and_extras() -> None:
    product = make("mesh", {"unit": "m", "pivot": "own"}, 1)
    builder = GlbBuilder(lambda m: {})
    builder.finish([])
    nodes = builder.add_named(product.mesh, product.materials, product.nodes)
    data = builder.finish([builder.add_node("whole", children=nodes)])
    again = read_model("again.glb", data)
    first = broken()
    assert [p.name for p in again.pieces] == ["lump", "leaf"]
    assert [p.extras for p in again.pieces] == [{"age": 3}, {}]
    assert [c.name for c in again.coverings] == ["stone", "leaf"]
    assert again.coverings[0].extras == {"wet": True}
    for before, after in zip(first.pieces, again.pieces, strict=False):
        there = before.positions[before.indices]
        flat = np.linalg.norm(
            np.cross(there[:, 1] - there[:, 0], there[:, 2] - there[:, 0]), axis=1
        )
        assert len(after.indices) == (flat > 1e-9).sum()
        assert np.allclose(
            np.sort(there[flat > 1e-9].reshape(-1, 9), axis=0),
            np.sort(after.positions[after.indices].reshape(-1, 9), axis=0),
            atol=1e-3,
        )


def test_nodes_stand_where_they_are_put_and_what_is_mirrored_faces_outwards() -> None:
    tetra = trimesh.creation.icosphere(1)
    body = tetra.vertices.astype("<f4").tobytes() + tetra.faces.astype("<u4").tobytes()
    n, m = tetra.vertices.nbytes // 2, tetra.faces.size * 4
    document = {
        "scene": 0,
        "scenes": [{"nodes": [0, 2]}],
        "nodes": [
            {"name": "arm", "translation": [5, 0, 0], "children": [1]},
            {"name": "hand", "scale": [1, 1, -2], "rotation": [0, 0.6, 0, 0.8], "mesh": 0},
            {"name": "far", "mesh": 0, "translation": [0, 9, 0]},
        ],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": n // 12, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5125, "count": m // 4, "type": "SCALAR"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteLength": n},
            {"buffer": 0, "byteOffset": n, "byteLength": m},
        ],
        "buffers": [{"byteLength": n + m}],
    }
    model = read_model("pair.glb", glb(document, body))
    assert [p.name for p in model.pieces] == ["hand", "far"]
    scene = trimesh.load_scene(io.BytesIO(glb(document, body)), file_type="glb")
    assert np.allclose(np.stack(model.bounds()), scene.bounds, atol=1e-5)
    for piece in model.pieces:
        assert trimesh.Trimesh(piece.positions, piece.indices).volume > 0


def ball_document(**node: Any) -> tuple[dict[str, Any], bytes]:
    """A ball with normals, in nodes of one's own."""
    ball = trimesh.creation.icosphere(1)
    points = ball.vertices.astype("<f4").tobytes()
    faces = ball.faces.astype("<u4").tobytes()
    document = {
        "nodes": [{"name": "ball", "mesh": 0, **node}],
        "scenes": [{"nodes": [0]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "NORMAL": 0}, "indices": 1}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(points) // 12, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5125, "count": len(faces) // 4, "type": "SCALAR"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteLength": len(points)},
            {"buffer": 0, "byteOffset": len(points), "byteLength": len(faces)},
        ],
        "buffers": [{"byteLength": len(points) + len(faces)}],
    }
    return document, points + faces


def test_normals_follow_what_is_stretched() -> None:
    document, data = ball_document(scale=[1, 1, 4], rotation=[0.6, 0, 0, 0.8])
    (piece,) = read_model("egg.glb", glb(document, data)).pieces
    assert piece.normals is not None
    turn = trimesh.transformations.quaternion_matrix([0.8, 0.6, 0, 0])[:3, :3]
    right = (trimesh.creation.icosphere(1).vertices / [1, 1, 4]) @ turn.T
    right /= np.linalg.norm(right, axis=1, keepdims=True)
    assert np.allclose(piece.normals, right, atol=1e-5)


def test_levels_that_are_told_as_such_are_not_meshes_beside_it_and_extras_are_gathered() -> None:
    document, data = ball_document(extensions={"MSFT_lod": {"ids": [1]}}, extras={"a": 1})
    document["nodes"].append({"name": "far ball", "mesh": 0})
    document["scenes"][0]["nodes"] = [0, 1]
    document["meshes"][0] |= {"extras": {"b": 2, "a": 5}}
    document["meshes"][0]["primitives"][0]["extras"] = {"c": 3}
    (piece,) = read_model("levels.glb", glb(document, data)).pieces
    assert piece.name == "ball"
    assert piece.extras == {"a": 1, "b": 2, "c": 3}


ONE = {
    "nodes": [{"mesh": 0}],
    "scenes": [{"nodes": [0]}],
    "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
    "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
    "bufferViews": [{"buffer": 0, "byteLength": 36}],
    "buffers": [{"byteLength": 36}],
}
CORNERS = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]]).tobytes()


def changed(path: str, value: Any) -> bytes:
    document = json.loads(json.dumps(ONE))
    place: Any = document
    *way, last = path.split(".")
    for name in way:
        place = place[int(name) if name.isdigit() else name]
    place[int(last) if last.isdigit() else last] = value
    return glb(document, CORNERS)


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("accessors.0.count", 10**9),
        ("accessors.0.count", -3),
        ("accessors.0.byteOffset", 10**12),
        ("accessors.0.componentType", 9),
        ("accessors.0.type", "MAT9"),
        ("accessors.0.sparse", {"count": 1}),
        ("bufferViews.0.byteLength", 2**40),
        ("bufferViews.0.byteOffset", -8),
        ("bufferViews.0.byteStride", 1),
        ("buffers.0.uri", "elsewhere.bin"),
        ("nodes.0.mesh", 7),
        ("nodes.0.children", [0]),
        ("nodes.0.scale", "large"),
        ("meshes.0.primitives", None),
        ("meshes.0.primitives.0.attributes", {}),
        ("extensionsRequired", ["EXT_unheard_of"]),
    ],
)
def test_a_lying_glb_is_refused_at_once(path: str, value: Any) -> None:
    assert read_model("fine.glb", glb(ONE, CORNERS)).triangles == 1
    began = time.monotonic()
    with pytest.raises(PloughError):
        read_model("lying.glb", changed(path, value))
    assert time.monotonic() - began < 5, "it worked on it before it looked"


def test_many_nodes_that_show_one_mesh_are_counted_before_they_are_made() -> None:
    """A file of a few hundred kilobytes that would come to three hundred million triangles."""
    many = {
        **ONE,
        "nodes": [{"mesh": 0} for _ in range(15_000)],
        "scenes": [{"nodes": list(range(15_000))}],
    }
    many["accessors"] = [{**ONE["accessors"][0], "count": 60_000}]
    many["bufferViews"] = [{"buffer": 0, "byteLength": 720_000}]
    with pytest.raises(TooLargeError, match="1,000,000"):
        read_model("many.glb", glb(many, bytes(720_000)))
    # as many vertices, of which only three are used
    many["accessors"] = [
        *many["accessors"],
        {**ONE["accessors"][0], "componentType": 5125, "type": "SCALAR"},
    ]
    many["meshes"] = [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}]
    with pytest.raises(TooLargeError, match="1,000,000"):
        read_model("many.glb", glb(many, bytes(720_000)))


@settings(max_examples=examples(400), deadline=None)
@given(st.data())
def test_damaged_files_are_refused_and_nothing_else(data: st.DataObject) -> None:
    kind = data.draw(st.sampled_from(["glb", "stl", "ply"]))
    file = bytearray(glb(ONE, CORNERS) if kind == "glb" else written(trimesh.creation.box(), kind))
    for _ in range(data.draw(st.integers(1, 6))):
        file[data.draw(st.integers(0, len(file) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(file)))
    try:
        model = read_model(f"x.{kind}", bytes(file[:cut]))
    except PloughError:
        return
    assert np.isfinite(model.pieces[0].positions).all()


def test_a_child_that_needs_too_much_memory_or_time_is_ended() -> None:
    ball = written(trimesh.creation.icosphere(6), "ply")
    assert unpack(read_apart("ball.ply", ball)).triangles == 81_920
    with pytest.raises(TooLargeError, match="memory"):
        read_apart("ball.ply", ball, memory=100_000_000)
    slow = written(trimesh.creation.icosphere(7), "obj")
    with pytest.raises(TooLargeError, match="1 s"):
        read_apart("ball.obj", slow, seconds=1)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.glb", b"x" * 40, "glTF"),
        ("a.obj", b"hello", "no triangles"),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 900000000\nend_header\n", "cut off"),
        ("a.stl", bytes(80) + struct.pack("<I", 2**31) + bytes(50), "cut off"),
        ("a.txt", b"", "glb, obj, stl, ply"),
    ],
)
def test_a_refusal_says_why(name: str, data: bytes, words: str) -> None:
    with pytest.raises((FormatError, ParameterError), match=words):
        read_apart(name, data)


def test_the_report_names_every_fault_and_its_mend() -> None:
    found = report(broken())
    told = {k: v for fault in found.faults for k, v in fault.mend.items()}
    assert told == {"mend.outwards": True, "mend.holes": True}
    text = "; ".join(f.text for f in found.faults)
    for words in (
        "256 triangles face inwards",
        "10 open edges, about 2 holes",
        "1 triangle has no area",
    ):
        assert words in text
    assert found.colliders == 1
    assert found.nodes == ("lump", "leaf")
    mended = make("mesh", {"mend": {"outwards": True, "holes": True}}, 1)
    faces = mended.mesh.indices[: mended.nodes[0].count]
    lump = trimesh.Trimesh(mended.mesh.positions, faces)
    lump.merge_vertices(merge_tex=True, merge_norm=True)
    assert lump.is_watertight
    assert lump.volume > 0


@pytest.mark.parametrize(
    ("side", "kind", "unit"), [(1.2, "obj", "m"), (120, "obj", "cm"), (1200, "stl", "mm")]
)
def test_the_likely_unit_is_one_in_which_it_can_be_placed(
    side: float, kind: str, unit: str
) -> None:
    box = trimesh.creation.box((side, side / 2, side / 3))
    found = report(read_model(f"x.{kind}", written(box, kind)))
    assert found.parameters == {"unit": unit, "up": "z" if kind == "stl" else "y"}
    assert max(found.sizes[unit]) == pytest.approx(1.2, rel=1e-4)


def test_a_material_without_images_is_plain_and_names_may_be_the_same() -> None:
    one = Piece("a", 0, np.eye(3, dtype=np.float32), np.array([[0, 1, 2]], np.uint32))
    both = (one, Piece("b", 1, one.positions + 1, one.indices))
    from plough.core.build.imported import slots_of

    assert slots_of(Model("glb", both, (Covering("oak"), Covering("oak")))) == ["oak", "oak 2"]


def indexed(indices: np.ndarray[Any, Any], kind: int) -> bytes:
    """`ONE` with indices of a component type."""
    document = json.loads(json.dumps(ONE))
    document["meshes"][0]["primitives"][0]["indices"] = 1
    document["accessors"].append(
        {"bufferView": 1, "componentType": kind, "count": indices.size, "type": "SCALAR"}
    )
    document["bufferViews"].append({"buffer": 0, "byteOffset": 36, "byteLength": indices.nbytes})
    document["buffers"][0]["byteLength"] = 36 + indices.nbytes
    return glb(document, CORNERS + indices.tobytes())


@pytest.mark.parametrize(
    ("indices", "kind"),
    [
        (np.array([0, 1, 3], "<u2"), 5123),
        (np.array([0, 1, -1], "<i1"), 5120),
        (np.array([0, 1, -2], "<i2"), 5122),
        (np.array([0, 1, 2**32 - 1], "<u4"), 5125),
        (np.array([0, np.nan, 2], "<f4"), 5126),
    ],
)
def test_indices_beyond_the_vertices_are_refused(indices: np.ndarray[Any, Any], kind: int) -> None:
    with pytest.raises(FormatError):
        read_model("far.glb", indexed(indices, kind))
    assert read_model("near.glb", indexed(np.array([0, 1, 2], "<u2"), 5123)).triangles == 1


@pytest.mark.parametrize("corner", [3, -1, 2**31 - 1])
def test_faces_of_a_ply_that_name_no_vertex_are_refused(corner: int) -> None:
    head = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    head += "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
    body = f"0 0 0\n1 0 0\n0 1 0\n3 0 1 {corner}\n"
    with pytest.raises(FormatError):
        read_model("far.ply", (head + body).encode())


@pytest.mark.parametrize("material", [7, -1, "oak"])
def test_a_material_that_is_not_there_is_refused_in_its_own_words(material: Any) -> None:
    file = changed("meshes.0.primitives.0.material", material)
    with pytest.raises(FormatError, match="materials"):
        read_apart("bare.glb", file)


def test_a_file_without_its_binary_part_is_told_as_damage_and_not_as_memory() -> None:
    with pytest.raises(FormatError, match="cut off"):
        read_apart("short.glb", glb(ONE, CORNERS)[:-44])


@pytest.mark.parametrize("wrong", [np.nan, np.inf, 0.0])
def test_normals_and_coordinates_that_are_none_are_made_anew(wrong: float) -> None:
    values = np.tile(np.float32([wrong, 0, 0]), (3, 1))
    piece = Piece(
        "leaf",
        0,
        np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]]),
        np.array([[0, 1, 2]], np.uint32),
        values,
        values[:, :2],
    )
    data = pack(Model("glb", (piece,), (PLAIN,)))
    product = kinds.make("mesh", {"source": "ab" * 8}, 1, 0, lambda name: data)
    assert np.allclose(product.mesh.normals, [0, 0, 1])
    assert np.isfinite(product.mesh.uv0).all()
    assert problems(product.mesh) == []


def shared(count: int, side: int) -> bytes:
    """A GLB in which one image covers `count` materials."""
    image = io.BytesIO()
    noise = np.random.default_rng(1).integers(0, 255, (side, side, 3), np.uint8)
    Image.fromarray(noise).save(image, "PNG")
    data = image.getvalue()
    document = json.loads(json.dumps(ONE))
    document["meshes"][0]["primitives"] = [
        {"attributes": {"POSITION": 0}, "material": k} for k in range(count)
    ]
    document["materials"] = [
        {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}} for _ in range(count)
    ]
    document["textures"] = [{"source": 0}]
    document["images"] = [{"bufferView": 1, "mimeType": "image/png"}]
    document["bufferViews"].append({"buffer": 0, "byteOffset": 36, "byteLength": len(data)})
    document["buffers"][0]["byteLength"] = 36 + len(data)
    return glb(document, CORNERS + data)


def test_an_image_of_many_materials_is_kept_once_and_what_they_come_to_is_limited() -> None:
    file = shared(60, 256)
    packed = read_apart("atlas.glb", file)
    assert len(packed) < 1.2 * len(file) + 100_000
    again = unpack(packed)
    assert len(again.coverings) == 60
    assert all(c.images["albedo"] == again.coverings[0].images["albedo"] for c in again.coverings)
    with pytest.raises(TooLargeError, match="pixels"):
        read_model("vast.glb", shared(40, 2048))


def test_images_of_an_obj_are_kept_as_they_came() -> None:
    photo = io.BytesIO()
    noise = np.random.default_rng(1).integers(0, 255, (64, 64, 3), np.uint8)
    Image.fromarray(noise).save(photo, "JPEG")
    obj = b"mtllib a.mtl\nusemtl oak\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n"
    mtl = b"newmtl other\nKd 1 0 0\nnewmtl oak\nKd 1 1 1\nmap_Kd -s 1 1 1 textures\\Oak.JPG\nnorm bump.png\n"
    bump = png(8, (128, 128, 255))
    model = read_model("a.obj", obj, {"a.mtl": mtl, "oak.jpg": photo.getvalue(), "bump.png": bump})
    (covering,) = model.coverings
    assert covering.images == {"albedo": photo.getvalue(), "normal": bump}


def test_the_report_of_something_vast_or_tiny_tells_its_size() -> None:
    for side in (3e7, 2e-7):
        ball = trimesh.creation.icosphere(1, radius=side / 2)
        piece = Piece("x", 0, ball.vertices.astype(np.float32), ball.faces.astype(np.uint32))
        text = "; ".join(f.text for f in report(Model("glb", (piece,), (PLAIN,))).faults)
        assert f"it is {side:,.3g} m large" in text
        assert "inwards" not in text
        assert "no area" not in text


def test_a_collider_that_fits_is_advised_and_one_that_does_not_is_told() -> None:
    bad = [f for f in report(broken()).faults if "collider" in f.text]
    assert len(bad) == 1
    assert not bad[0].mend
    lump = trimesh.creation.icosphere(2)
    pieces = tuple(
        Piece(name, 0, lump.vertices.astype(np.float32), lump.faces.astype(np.uint32))
        for name in ("stone", "collider stone")
    )
    (good,) = [f for f in report(Model("glb", pieces, (PLAIN,))).faults if "collider" in f.text]
    assert good.mend == {"game.collider": "supplied"}
    assert good.advised
    assert "100 % of the volume" in good.text


def test_an_origin_so_far_away_that_the_shape_is_lost_is_refused() -> None:
    """Positions have seven digits: far from its origin a small mesh would fall together."""
    parameters = {"unit": "mm", "size": 0.001, "pivot": "own", "origin_right": 129.0}
    with pytest.raises(TooLargeError, match="10,000 times its size"):
        make("mesh", parameters, 1, 0)
    near = make("mesh", {**parameters, "origin_right": 0.001}, 1, 0)
    assert problems(near.mesh, least_area=0.0) == []
