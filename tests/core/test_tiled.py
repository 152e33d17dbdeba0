"""A scene in many files: nothing twice, nothing lost, no cracks; the quadtree and its subtrees; tables read back."""

from __future__ import annotations

import csv
import io
import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.bake import tiled
from plough.core.bake.bundle import Baker, bake
from plough.core.bake.lattice import Lattice, lattice_of, morton
from plough.core.bake.tiled import merged
from plough.core.bake.tileset import SUBTREE_LEVELS, tileset_files
from plough.core.formats.glb_read import read_json
from plough.core.ground import HeightField
from plough.core.ground.mesh import Network, NetworkTiles, fit_network
from plough.core.library import Library
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Part
from plough.core.scene import Evaluator, read_document
from tests.core.test_bake import sound
from tests.core.test_scene import SMALL, small
from tests.depth import examples, some


def baked(**asked: Any) -> tuple[Baker, dict[str, Any]]:
    """A small scene, baked, and its manifest."""
    library = Library()
    baker = Baker(Evaluator(library).evaluate(small(bake=asked)), library)
    for _ in baker.run():
        pass
    return baker, json.loads(baker.read("manifest.json"))


def rows_of(files: dict[str, bytes]) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(files["placements.csv"].decode())))


def instances_in(data: bytes) -> dict[str, list[Any]]:
    """Where the instances of a tile stand in the scene, by layer: what is drawn, without levels and colliders."""
    document = read_json(data)
    size = int.from_bytes(data[12:16], "little")
    body = data[28 + size :]
    nodes = document["nodes"]
    root = nodes[document["scenes"][0]["nodes"][0]]
    out: dict[str, list[Any]] = {}
    for node in (
        nodes[k] for parent in root.get("children", ()) for k in nodes[parent].get("children", ())
    ):
        if "asset" not in node.get("extras", {}):
            continue
        k = node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["TRANSLATION"]
        accessor = document["accessors"][k]
        view = document["bufferViews"][accessor["bufferView"]]
        assert view["buffer"] == 0
        stored = np.frombuffer(body, "<f4", 3 * accessor["count"], view["byteOffset"])
        places = stored.reshape(-1, 3) + np.array(root["translation"])
        out.setdefault(node["extras"]["layer"], []).append(places)
    return out


@pytest.mark.parametrize(
    ("layout", "packing"),
    some(
        [("tiles", "plain"), ("tiles", "meshopt"), ("tileset", "meshopt"), ("tileset", "plain")], 2
    ),
)
def test_tiles_are_valid_and_the_same_each_time(layout: str, packing: str, tmp_path: Path) -> None:
    asked = {"layout": layout, "tile_side": "32", "packing": packing}
    baker, manifest = baked(**asked)
    files = baker.contents
    assert baked(**asked)[0].contents == files
    assert baker.parts()[-1] == "manifest.json"
    assert "scene.glb" not in baker.files
    sound(files, tmp_path)
    assert {f["path"] for f in manifest["files"]} == set(baker.files) - {"manifest.json"}
    assert all(f["is"] for f in manifest["files"])
    for tile in manifest["tiles"]["list"]:
        for buffer in read_json(files[tile["path"]])["buffers"]:
            if "uri" in buffer:
                name = buffer["uri"].removeprefix("../")
                assert buffer["byteLength"] == len(files[name])


@pytest.mark.parametrize("layout", ["tiles", "tileset"])
def test_all_that_stands_stands_in_one_smallest_tile(layout: str) -> None:
    baker, manifest = baked(layout=layout, tile_side="32")
    rows = rows_of(baker.contents)
    depth = baker.lattice.depth
    assert depth == 2
    smallest = [t for t in manifest["tiles"]["list"] if t["level"] == depth]
    assert len(smallest) == 16
    found: dict[str, list[Any]] = {}
    for tile in smallest:
        x0, z0, x1, z1 = tile["bounds"]
        for layer, places in instances_in(baker.read(tile["path"])).items():
            at = np.concatenate(places)
            assert tile["instances"] >= len(at)
            assert (at[:, 0] >= x0 - 1e-4).all()
            assert (at[:, 0] <= x1 + 1e-4).all()
            assert (at[:, 2] >= z0 - 1e-4).all()
            assert (at[:, 2] <= z1 + 1e-4).all()
            found.setdefault(layer, []).append(at)
    for layer, tiles in found.items():
        told = np.array(
            [[float(r[c]) for c in ("px", "py", "pz")] for r in rows if r["layer"] == layer]
        )
        at = np.concatenate(tiles)
        order = lambda p: p[np.lexsort(np.round(p, 3).T)]  # noqa: E731
        np.testing.assert_allclose(order(at), order(told), atol=2e-4)
    assert set(found) == {r["layer"] for r in rows}
    assert manifest["counts"]["instances"] == len(rows)


def test_what_is_equal_is_one_file_whatever_it_is_called() -> None:
    values = json.loads(json.dumps(SMALL))
    first = values["assets"][0]
    values["assets"].append({**first, "id": "twin", "name": "Twin"})
    layer = next(x for x in values["layers"] if "mix" in x["parameters"])
    layer["parameters"]["mix"].append({**layer["parameters"]["mix"][0], "asset": "twin"})
    values["layers"][-1]["parameters"] |= {"layout": "tiles", "textures": False, "splat": "none"}
    library = Library()
    baker = Baker(Evaluator(library).evaluate(read_document(values)), library)
    for _ in baker.run():
        pass
    assert {first["id"], "twin"} <= {v.asset for v in baker.variants.values()}
    shapes = [p for p in baker.files if p.startswith("shapes/")]
    assert not any("twin" in p for p in shapes)
    assert len({baker.files[p].hash for p in shapes}) == len(shapes)
    drawn = {
        node["extras"]["asset"]
        for path in baker.files
        if path.startswith("tiles/")
        for node in read_json(baker.read(path))["nodes"]
        if "asset" in node.get("extras", {})
    }
    assert {first["id"], "twin"} <= drawn


@pytest.mark.parametrize("fine", [64, 128 / 8.7, 128 / 0.8])
def test_farther_tiles_hold_what_is_large_with_fewer_triangles(
    fine: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tiled, "_FINE", fine)  # the largest tile leaves out some of a layer
    baker, manifest = baked(layout="tileset", tile_side="32")
    by_level: dict[int, list[dict[str, Any]]] = {}
    for tile in manifest["tiles"]["list"]:
        by_level.setdefault(tile["level"], []).append(tile)
    triangles = [sum(t["triangles"] for t in by_level[level]) for level in (0, 1, 2)]
    assert triangles[0] < triangles[1] < triangles[2]
    standing = [sum(t["instances"] for t in by_level[level]) for level in (0, 1, 2)]
    assert 0 < standing[0] <= standing[1] <= standing[2]
    # what a tile leaves out is smaller than what it tells as its error
    error = json.loads(baker.read("tileset.json"))["root"]["geometricError"]
    rows = rows_of(baker.contents)
    kept = instances_in(baker.read(by_level[0][0]["path"]))
    for result in baker.evaluation.layers:
        placed = result.output.placements
        if placed is None:
            continue
        sizes = [max(baker.library.size(v)) for v in placed.variants]
        whole = placed.whole()
        large = [
            s * k
            for s, k in zip(np.array(sizes)[whole.variant], whole.scale.max(axis=1), strict=True)
        ]
        expected = sum(s >= error for s in large)
        assert sum(map(len, kept.get(result.layer.id, []))) == expected
    assert len(rows) == standing[2]


def network_tiles(
    network: Network, surface: Any, side: int, coarser: float = 1.0
) -> dict[tuple[int, int], Mesh]:
    """All squares of a network."""
    cut = NetworkTiles(network, surface, side, coarser)
    meshes = {square: cut.mesh(*square) for square in cut.squares}
    return {square: mesh for square, mesh in meshes.items() if mesh is not None}


def field(seed: int, n: int = 65) -> HeightField:
    rng = np.random.default_rng(seed)
    rough = rng.normal(size=(n, n)).cumsum(0).cumsum(1)
    return HeightField((rough / np.abs(rough).max() * 6).astype(np.float32), n - 1.0)


@pytest.mark.parametrize("seed", range(4))
def test_tiles_of_ground_meet_whatever_levels_meet(seed: int) -> None:
    surface = field(seed)
    network = fit_network(surface, 65, 0.3, np.empty((0, 2)), 0.3)
    side = (network.heights.shape[0] - 1) // 4
    levels = [network_tiles(network, surface, side, c) for c in (1.0, 4.0, 16.0)]
    assert [len(level) for level in levels] == [16, 16, 16]
    counts_ = [sum(m.triangles for m in level.values()) for level in levels]
    assert counts_[0] > counts_[1] >= counts_[2]

    def along(mesh: Mesh, axis: int, at: float) -> set[tuple[float, ...]]:
        p = mesh.positions
        return {tuple(v) for v in p[np.abs(p[:, axis] - at) < 1e-4].tolist()}

    across = side * network.cell
    for (column, row), mesh in levels[0].items():
        # each covers its square, no more and no less
        for level in levels:
            own = level[column, row]
            a, b, c = (own.positions[own.indices[:, k]][:, [0, 2]].astype(float) for k in range(3))
            (ux, uz), (vx, vz) = (b - a).T, (c - a).T
            area = 0.5 * np.abs(ux * vz - uz * vx).sum()
            assert area == pytest.approx(across**2, rel=1e-6)
        for step, axis in (((1, 0), 0), ((0, 1), 2)):
            there = (column + step[0], row + step[1])
            if there not in levels[0]:
                continue
            border = (network.x0, 0, network.z0)[axis] + across * there[0 if axis == 0 else 1]
            here = along(mesh, axis, border)
            assert len(here) >= 2
            for level in levels:
                assert along(level[there], axis, border) == here
                assert along(level[column, row], axis, border) == here


@pytest.mark.parametrize("seed", range(3))
def test_what_is_looked_at_no_further_than_it_must_comes_to_the_same_triangles(seed: int) -> None:
    surface, none = field(seed), np.empty((0, 2))
    whole = fit_network(surface, 65, 0.05, none, 0.05, 1e30)
    for coarsest in (1.0, 4.0, 16.0):
        network = fit_network(surface, 65, 0.05, none, 0.05, coarsest)
        assert not np.array_equal(network.need, whole.need), "something was left out"
        for coarser in (c for c in (1.0, 4.0, 16.0) if c <= coarsest):
            tiles = network_tiles(network, surface, 16, coarser)
            for square, mesh in network_tiles(whole, surface, 16, coarser).items():
                assert np.array_equal(tiles[square].indices, mesh.indices)
                assert np.array_equal(tiles[square].positions, mesh.positions)


def test_ground_in_tiles_is_as_true_as_the_whole() -> None:
    baker, manifest = baked(layout="tiles", tile_side="32")
    assert manifest["ground"]["error_under_placements"] <= 0.02 + 1e-6
    assert manifest["ground"]["error"] <= 0.1 + 1e-6
    # what is written is what things were set down on
    network = baker.network
    assert network is not None
    side = (network.heights.shape[0] - 1) >> baker.lattice.depth
    for mesh in network_tiles(network, baker.evaluation.surface, side).values():
        middle = mesh.positions.astype(np.float64)[mesh.indices].mean(axis=1)
        height = network.height(middle[:, 0], middle[:, 2])
        np.testing.assert_allclose(height, middle[:, 1], atol=1e-5)


@settings(max_examples=examples(200), deadline=None)
@given(
    depth=st.integers(0, 9),
    x=st.floats(-70, 70, allow_nan=False),
    z=st.floats(-70, 70, allow_nan=False),
)
def test_a_point_lies_in_one_square_of_each_level(depth: int, x: float, z: float) -> None:
    lattice = Lattice(-64.0, -64.0, 128.0, depth)
    code = lattice.codes(np.array([x]), np.array([z]))
    for level in range(depth + 1):
        (square,) = lattice.squares(code, level)
        first, last = lattice.span(square)
        assert first <= code[0] < last
        mx, mz = lattice.middle(square)
        half = 0.5 * lattice.across(level)
        assert abs(np.clip(x, -64, 64) - mx) <= half + 1e-9
        assert abs(np.clip(z, -64, 64) - mz) <= half + 1e-9


def test_the_smallest_squares_come_nearest_to_what_is_asked() -> None:
    surface = field(0)
    for asked, depth in ((1000.0, 0), (64.0, 0), (32.0, 1), (20.0, 2), (16.0, 2), (1.0, 5)):
        assert lattice_of(surface, asked).depth == depth


def read_subtree(data: bytes) -> tuple[list[bool], list[bool], list[bool]]:
    magic, version, text, body = struct.unpack("<IIQQ", data[:24])
    assert (magic, version) == (0x74627573, 1)
    assert len(data) == 24 + text + body
    assert text % 8 == body % 8 == 0
    told = json.loads(data[24 : 24 + text])

    def bits(entry: dict[str, Any], many: int) -> list[bool]:
        if "constant" in entry:
            return [bool(entry["constant"])] * many
        view = told["bufferViews"][entry["bitstream"]]
        start = 24 + text + view["byteOffset"]
        raw = np.frombuffer(data[start : start + view["byteLength"]], np.uint8)
        found = np.unpackbits(raw, bitorder="little")[:many].astype(bool).tolist()
        assert sum(found) == entry["availableCount"]
        return list(found)

    many = (4**SUBTREE_LEVELS - 1) // 3
    return (
        bits(told["tileAvailability"], many),
        bits(told["contentAvailability"][0], many),
        bits(told["childSubtreeAvailability"], 4**SUBTREE_LEVELS),
    )


@settings(max_examples=examples(25), deadline=None)
@given(
    st.integers(0, 9),
    st.sets(st.tuples(st.integers(0, 511), st.integers(0, 511)), min_size=1, max_size=30),
)
def test_subtrees_tell_of_each_square_and_of_no_other(
    depth: int, leaves: set[tuple[int, int]]
) -> None:
    lattice = Lattice(0.0, 0.0, 512.0, depth)
    at = np.array(sorted(leaves)) % 2**depth
    codes = morton(at[:, 0], at[:, 1])
    squares = [q for level in range(depth + 1) for q in lattice.squares(codes, level)]
    files = tileset_files(lattice, squares, 0.0, 10.0, 8.0)
    told = json.loads(files["tileset.json"])["root"]["implicitTiling"]
    assert told["availableLevels"] == depth + 1
    # walked as a reader does
    found = set()
    left = [(0, 0, 0)]
    while left:
        level, x, y = left.pop()
        tiles, content, children = read_subtree(files[f"subtrees/{level}-{x}-{y}.subtree"])
        assert tiles == content
        for below in range(SUBTREE_LEVELS):
            for i in range(2**below):
                for k in range(2**below):
                    code = int(morton(np.array([i]), np.array([k]))[0])
                    if tiles[(4**below - 1) // 3 + code]:
                        north = 2 ** (level + below) - 1 - ((y << below) + k)
                        found.add((level + below, (x << below) + i, north))
        for i in range(2**SUBTREE_LEVELS):
            for k in range(2**SUBTREE_LEVELS):
                if children[int(morton(np.array([i]), np.array([k]))[0])]:
                    left.append((level + 4, (x << 4) + i, (y << 4) + k))
    assert found == set(squares)


def test_what_is_of_one_material_is_one_part() -> None:
    def quad(at: float, slot: str) -> Mesh:
        p = np.array([[at, 0, 0], [at + 1, 0, 0], [at, 0, 1]], np.float32)
        up = np.tile(np.array([0, 1, 0], np.float32), (3, 1))
        uv = np.zeros((3, 2), np.float32)
        return Mesh(p, up, uv, np.array([[0, 2, 1]], np.uint32), (Part(slot, 0, 1),))

    grey, red = Material("stone"), Material("stone", color=(1.0, 0.0, 0.0))
    pieces = [
        (quad(0, "a"), {"a": grey}),
        (quad(1, "a"), {"a": red}),
        (quad(2, "b"), {"b": grey}),
        (quad(3, "bare"), {}),
    ]
    mesh, materials = merged(pieces)
    assert mesh.triangles == 4
    drawn = {materials[p.material].color: p.count for p in mesh.parts if p.material in materials}
    assert drawn == {grey.color: 2, red.color: 1}
    assert [p.count for p in mesh.parts if p.material == "bare"] == [1]


@pytest.mark.parametrize("form", ["jsonl", "parquet"])
@pytest.mark.parametrize("noted", [False, True])
def test_tables_tell_the_same_in_each_format(form: str, noted: bool) -> None:
    notes = {"slot": 'a "quoted", word'} if noted else {}
    document = small(bake={"levels": False, "textures": False})
    layers = [
        x.model_copy(update={"notes": notes}) if x.id == "sedges" else x for x in document.layers
    ]

    def made(table: str) -> dict[str, bytes]:
        last = layers[-1].model_copy(
            update={"parameters": {**layers[-1].parameters, "table": table}}
        )
        library = Library()
        own = document.model_copy(update={"layers": (*layers[:-1], last)})
        return bake(Evaluator(library).evaluate(own), library).files

    told = rows_of(made("csv"))
    data = made(form)[f"placements.{form}"]
    numbers = ("px", "py", "pz", "rx", "ry", "rz", "rw", "sx", "sy", "sz")
    if form == "jsonl":
        found = []
        for line in data.splitlines():
            row = json.loads(line)
            values = dict(
                zip(
                    numbers,
                    row.pop("position") + row.pop("rotation") + row.pop("scale"),
                    strict=True,
                )
            )
            own = row.pop("notes", {})
            found.append(row | values | ({"notes": own} if noted else {}))
    else:
        found = pq.read_table(io.BytesIO(data)).to_pylist()
        for row in found:
            row["id"] = f"{row['id']:016x}"
            if noted:
                row["notes"] = json.loads(row["notes"] or "{}")
    assert len(found) == len(told) > 400
    for a, b in zip(found, told, strict=True):
        assert [a[k] for k in ("id", "layer", "asset", "variant")] == [
            b[k] for k in ("id", "layer", "asset", "variant")
        ]
        assert [np.float32(a[k]) for k in numbers] == [np.float32(float(b[k])) for k in numbers]
        if noted:
            assert (
                a["notes"]
                == json.loads(b["notes"] or "{}")
                == (notes if a["layer"] == "sedges" else {})
            )
