"""Compressed meshes, over every kind: what comes back is what went in, within the bounds that are told."""

from __future__ import annotations

import base64
import json
import subprocess
from pathlib import Path
from typing import Any

import meshopt
import numpy as np
import pytest
from scipy.spatial import cKDTree

from plough.core.bake.bundle import bake, embedded_images
from plough.core.cache import Cache
from plough.core.formats.glb import GlbBuilder, mesh_glb
from plough.core.formats.glb_read import read_json
from plough.core.formats.packed import FACING, GROUND, PLACE, SIZE, TURN, UV, packed
from plough.core.kinds import all_kinds
from plough.core.library import Library
from plough.core.mesh.value import Mesh
from plough.core.presets import all_presets
from plough.core.scene import Evaluator, read_document
from plough.core.vectors import unit
from tests.conftest import SMALL
from tests.core.test_bake import WEB, sound, validate
from tests.depth import some
from tests.models import NEEDS, make

FIRST = {p.kind: (p.parameters, p.seed) for p in reversed(all_presets())}
TYPES = dict(
    zip(
        (5120, 5121, 5122, 5123, 5125, 5126),
        (np.int8, np.uint8, np.int16, np.uint16, np.uint32, np.float32),
        strict=True,
    )
)
WIDE = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
READER = """
const { MeshoptDecoder } = require('meshoptimizer');
const fs = require('fs');
MeshoptDecoder.ready.then(() => {
  const file = fs.readFileSync(process.argv[1]);
  const long = file.readUInt32LE(12);
  const doc = JSON.parse(file.subarray(20, 20 + long).toString());
  const bin = file.subarray(28 + long);
  const out = doc.bufferViews.map((v) => {
    const e = v.extensions?.EXT_meshopt_compression;
    if (!e) return '';
    const target = new Uint8Array(e.count * e.byteStride);
    const from = e.byteOffset ?? 0;
    MeshoptDecoder.decodeGltfBuffer(target, e.count, e.byteStride, bin.subarray(from, from + e.byteLength), e.mode, e.filter);
    return Buffer.from(target).toString('base64');
  });
  console.log(JSON.stringify(out));
});
"""


class Read:
    """A file, decompressed."""

    def __init__(self, data: bytes) -> None:
        self.doc: dict[str, Any] = read_json(data)
        self.bin = data[28 + int.from_bytes(data[12:16], "little") :]

    def rows(self, view: int) -> bytes:
        """The bytes of a view as they were before they were compressed."""
        told = self.doc["bufferViews"][view]
        packed = told.get("extensions", {}).get("EXT_meshopt_compression")
        own = packed or told
        data = self.bin[own.get("byteOffset", 0) :][: own["byteLength"]]
        if packed is None:
            return data
        args = (packed["count"], packed["byteStride"], packed["mode"], packed.get("filter"))
        return np.ascontiguousarray(meshopt.decode_gltf_buffer(data, *args)).tobytes()

    def values(self, accessor: int) -> np.ndarray:
        """(n, k) numbers of an accessor."""
        told = self.doc["accessors"][accessor]
        kind = TYPES[told["componentType"]]
        view = self.doc["bufferViews"][told["bufferView"]]
        rows = np.frombuffer(self.rows(told["bufferView"]), kind)
        wide = WIDE[told["type"]]
        stride = view.get("byteStride", wide * rows.itemsize) // rows.itemsize
        found = rows[: told["count"] * stride].reshape(-1, stride)[:, :wide].astype(np.float64)
        if told.get("normalized"):
            found = np.maximum(found / np.iinfo(kind).max, -1.0)
        if "min" in told:
            assert np.allclose(found.min(axis=0), told["min"], rtol=1e-7, atol=1e-9)
            assert np.allclose(found.max(axis=0), told["max"], rtol=1e-7, atol=1e-9)
        return found


def corners(read: Read) -> dict[str, dict[str, np.ndarray]]:
    """Of each part by its material's number what the corners of its triangles hold, each triangle turned so that it starts where the plain one does."""
    out = {}
    (mesh,) = read.doc["meshes"]
    for k, primitive in enumerate(mesh["primitives"]):
        rows = read.values(primitive["indices"]).astype(int).reshape(-1)
        out[str(k)] = {n: read.values(a)[rows] for n, a in primitive["attributes"].items()}
    return out


def angle(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    cross = np.linalg.norm(np.cross(a, b), axis=1)
    return np.degrees(np.arctan2(cross, (a * b).sum(axis=1)))


def compared(mesh: Mesh, plain: Read, packed: Read) -> None:
    one, other = corners(plain), corners(packed)
    assert one.keys() == other.keys()
    for part in one:
        a, b = one[part], other[part]
        assert a.keys() == b.keys()

        # triangles come in another order: pairs are found by their nearest
        def triangles(found: dict[str, np.ndarray]) -> np.ndarray:
            weighed = (("POSITION", 1.0), ("NORMAL", 0.01), ("TEXCOORD_0", 0.1))
            told = np.concatenate([weight * found[name] for name, weight in weighed], axis=1)
            rows = told.reshape(-1, 3, told.shape[1])
            turns = np.concatenate([np.roll(rows, k, axis=1) for k in range(3)])
            return turns.reshape(len(turns), -1)

        away, near = cKDTree(triangles(a)).query(triangles(b)[: len(b["POSITION"]) // 3])
        assert away.max() < 0.01
        many = len(a["POSITION"]) // 3
        assert len(b["POSITION"]) // 3 == many
        turn, row = near // many, near % many
        rows = (3 * row[:, None] + (np.arange(3) - turn[:, None]) % 3).reshape(-1)
        assert np.abs(b["POSITION"] - a["POSITION"][rows]).max() <= PLACE
        assert np.abs(b["TEXCOORD_0"] - a["TEXCOORD_0"][rows]).max() <= UV
        assert angle(b["NORMAL"], a["NORMAL"][rows]).max() <= FACING
        if "TANGENT" in a:
            there = np.linalg.norm(a["TANGENT"][rows, :3], axis=1) > 0.5
            assert angle(b["TANGENT"][:, :3], a["TANGENT"][rows, :3])[there].max() <= FACING
            assert (np.sign(b["TANGENT"][:, 3]) == a["TANGENT"][rows, 3]).all()
        for name in ("COLOR_0", "_WIND", "_MASKS"):
            if name in a:
                assert np.array_equal(b[name], a[name][rows])
        if "TEXCOORD_1" in a:
            assert np.abs(b["TEXCOORD_1"] - a["TEXCOORD_1"][rows]).max() <= UV


@pytest.mark.parametrize("kind", sorted(all_kinds()))
def test_what_comes_back_is_what_went_in(kind: str, tmp_path: Path) -> None:
    parameters, seed = FIRST.get(kind, ({}, 1))
    images = embedded_images(Cache())
    for detail in (0, 2):
        product = make(kind, parameters if kind not in NEEDS else {}, seed, detail)
        mesh = product.mesh
        plain = mesh_glb(mesh, product.materials, kind, images)
        small = mesh_glb(mesh, product.materials, kind, images, packs=True)
        compared(mesh, Read(plain), Read(small))
        path = tmp_path / f"{detail}.glb"
        path.write_bytes(small)
        issues = validate(path)
        assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:3]
        # another program decompresses the same bytes
        done = subprocess.run(
            ["node", "-e", READER, str(path)], cwd=WEB, capture_output=True, text=True, check=True
        )
        read = Read(small)
        views = read.doc["bufferViews"]
        many = 0
        for k, (view, told) in enumerate(zip(views, json.loads(done.stdout), strict=True)):
            packed = view.get("extensions", {}).get("EXT_meshopt_compression")
            if packed is None:
                continue
            many += 1
            mine, other = read.rows(k), base64.b64decode(told)
            if packed.get("filter", "EXPONENTIAL") == "EXPONENTIAL":
                assert mine == other
            else:  # processors round the last unit of a direction either way
                a, b = (np.frombuffer(x, np.int8).astype(int) for x in (mine, other))
                assert np.abs(a - b).max() <= 1
        assert many >= 4


def test_instances_come_back_in_their_places() -> None:
    rng = np.random.default_rng(3)
    n = 3000
    at = rng.uniform([-400, -5, -400], [400, 40, 400], (n, 3)).astype(np.float32)
    turn = rng.normal(size=(n, 4))
    turn = (turn / np.linalg.norm(turn, axis=1, keepdims=True)).astype(np.float32)
    size = rng.uniform(0.2, 3, (n, 3)).astype(np.float32)
    builder = GlbBuilder(packs=True)
    shared = builder.add_instances(at, turn, size)
    read = Read(builder.finish([builder.add_node("all", instances=shared)]))
    told = {k: read.values(a) for k, a in shared.attributes.items()}
    assert np.abs(told["TRANSLATION"] - at).max() <= GROUND
    assert np.abs(told["SCALE"] / size - 1).max() <= SIZE
    one, other = unit(told["ROTATION"]), unit(turn.astype(float))
    chord = np.minimum(*(np.linalg.norm(one + sign * other, axis=1) for sign in (1, -1)))
    off = np.degrees(4 * np.arcsin(0.5 * chord))
    assert off.max() <= TURN


def test_what_is_tiny_or_nothing_is_packed() -> None:
    for size in (0.0, 1e-12, 1e5):
        rows = np.full((4, 3), size, np.float32)
        for channel in ("place", "size"):
            made = packed(rows, channel)  # type: ignore[arg-type]
            assert np.abs(made.values - size).max() <= max(PLACE, 1e-3 * size)


@pytest.mark.parametrize("images", some(["webp", "png"], 1))
def test_a_compressed_bake_is_valid_smaller_and_the_same_each_time(
    images: str, tmp_path: Path
) -> None:
    def files(**own: Any) -> dict[str, bytes]:
        document = json.loads(json.dumps(SMALL))
        document["layers"][-1]["parameters"] |= own
        library = Library()
        return bake(Evaluator(library).evaluate(read_document(document)), library).files

    plain = files(images=images)
    small = files(images=images, packing="meshopt")
    assert small == files(images=images, packing="meshopt")
    assert len(small["scene.glb"]) < 0.72 * len(plain["scene.glb"])
    assert small["placements.csv"] == plain["placements.csv"]
    sound(small, tmp_path)
    one, other = (Read(x["scene.glb"]).doc for x in (plain, small))
    assert [n["name"] for n in one["nodes"]] == [n["name"] for n in other["nodes"]]
    assert len(one["meshes"]) == len(other["meshes"]) and len(one["materials"]) == len(
        other["materials"]
    )
    assert ("EXT_texture_webp" in other["extensionsRequired"]) == (images == "webp")
