"""Meshes from outside for tests, each with known faults, and a way to make kinds that need a file."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import trimesh
from PIL import Image

from plough.core import kinds
from plough.core.formats.model import Covering, Model, Piece, pack
from plough.core.hashing import digest
from plough.core.kinds import Product


def png(size: int, color: tuple[int, ...]) -> bytes:
    out = io.BytesIO()
    image = np.tile(np.array(color, np.uint8), (size, size, 1))
    image[: size // 2] //= 2
    Image.fromarray(image).save(out, "PNG")
    return out.getvalue()


def broken() -> Model:
    """A lump with a hole, turned triangles and one without area; a leaf with a cut-out; a collider."""
    lump = trimesh.creation.icosphere(3, radius=50.0)
    x, _, z = lump.vertices.T
    lump.vertices[:, [0, 2]] *= (1 + 0.3 * np.sin(3 * np.arctan2(z, x)))[:, None]
    points = lump.vertices * np.array([1.0, 0.8, 1.2]) + np.array([200.0, 40.0, -30.0])
    faces = np.delete(np.asarray(lump.faces), [7, 90], axis=0)
    faces[::5] = faces[::5, ::-1]
    faces = np.concatenate([faces, [[3, 3, 9]]])
    leaf = np.array([[-60, 80, 0], [60, 80, 0], [60, 180, 0], [-60, 180, 0]], np.float64)
    leaf += np.array([200.0, 0.0, -30.0])
    box_at = np.array([200.0, 40.0, -30.0])
    box = trimesh.creation.box((90, 90, 90))
    return Model(
        "glb",
        (
            Piece("lump", 0, points.astype(np.float32), faces.astype(np.uint32), extras={"age": 3}),
            Piece(
                "leaf",
                1,
                leaf.astype(np.float32),
                np.array([[0, 1, 2], [0, 2, 3]], np.uint32),
                np.tile(np.float32([0, 0, 1]), (4, 1)),
                np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32),
            ),
            Piece(
                "collider lump",
                0,
                (box.vertices + box_at).astype(np.float32),
                np.asarray(box.faces, np.uint32),
            ),
        ),
        (
            Covering(
                "stone",
                (0.5, 0.45, 0.4),
                roughness=0.8,
                images={"albedo": png(16, (140, 130, 120))},
                extras={"wet": True},
            ),
            Covering(
                "leaf", alpha="mask", both_sides=True, images={"albedo": png(8, (60, 120, 30, 255))}
            ),
        ),
    )


BROKEN = pack(broken())
FILES = {digest(BROKEN): BROKEN}
#: what a kind needs beside its defaults to be made
NEEDS: dict[str, dict[str, Any]] = {
    "mesh": {"source": digest(BROKEN), "unit": "cm"},
    "fused": {
        "parts": [
            {"id": k, "asset": "rock", "at": [x, 0, 0], "tall": tall, "lent": lent}
            for k, x, tall in (("p", 0, 16), ("q", 0.3, 12))
            for lent in ({"kind": "rock", "version": 1, "parameters": {"triangles": 120}},)
        ]
    },
    "cloth": {
        "parts": [
            {
                "id": "p",
                "asset": "vessel",
                "lent": {"kind": "vessel", "version": 1, "parameters": {}},
            }
        ]
    },
    "heap": {
        "parts": [
            {"id": "p", "asset": "rock", "seeds": 2, "lent": lent}
            for lent in ({"kind": "rock", "version": 1, "parameters": {"triangles": 120}},)
        ],
        "count": 6,
        "triangles": 2000,
    },
    "group": {
        "parts": [
            {"id": "p", "asset": "tuft", "at": [0.2, 0, 0], "turn": 30, "lent": lent}
            for lent in ({"kind": "tuft", "version": 1, "parameters": {"blades": 8}},)
        ]
    },
}


def load(name: str) -> bytes:
    return FILES[name]


def make(kind: str, parameters: dict[str, Any], seed: int, detail: int = 0) -> Product:
    """As `plough.core.kinds.make`, with a file for kinds that need one."""
    needs = {k: v for k, v in NEEDS.get(kind, {}).items() if not parameters.get(k)}
    return kinds.make(kind, {**parameters, **needs}, seed, detail, load)
