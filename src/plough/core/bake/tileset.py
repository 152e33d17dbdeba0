"""3D Tiles 1.1: a tileset whose tiles are an implicit quadtree, and the subtrees that tell which of them there are.

Tiles are glTF with Y up; the tileset itself, as the standard has it, has Z up, so that its y is north.
"""

from __future__ import annotations

import struct
from collections import defaultdict
from collections.abc import Sequence
from typing import Any

import numpy as np
import orjson

from plough.core.arrays import Bool
from plough.core.bake.lattice import Lattice, Square, morton

SUBTREE_LEVELS = 4
_MAGIC = 0x74627573


def tileset_files(
    lattice: Lattice, squares: Sequence[Square], low: float, high: float, error: float
) -> dict[str, bytes]:
    """The tileset over `squares`, each of which has a file.

    Args:
        low: metres, of the lowest that is drawn.
        high: metres, of the highest.
        error: metres, of the largest square; halved with each level.
    """
    half = 0.5 * lattice.side
    middle = [lattice.x0 + half, -(lattice.z0 + half), 0.5 * (low + high)]
    box = [*middle, half, 0.0, 0.0, 0.0, half, 0.0, 0.0, 0.0, max(0.5 * (high - low), 0.5)]
    root = {
        "boundingVolume": {"box": box},
        "geometricError": error,
        "refine": "REPLACE",
        "content": {"uri": "tiles/{level}-{x}-{y}.glb"},
        "implicitTiling": {
            "subdivisionScheme": "QUADTREE",
            "subtreeLevels": SUBTREE_LEVELS,
            "availableLevels": lattice.depth + 1,
            "subtrees": {"uri": "subtrees/{level}-{x}-{y}.subtree"},
        },
    }
    told = {
        "asset": {"version": "1.1", "generator": "Plough"},
        "geometricError": 2.0 * error,
        "root": root,
    }
    files = {"tileset.json": orjson.dumps(told, option=orjson.OPT_INDENT_2)}
    return files | _subtrees(squares)


def _subtrees(squares: Sequence[Square]) -> dict[str, bytes]:
    """The subtrees that hold any of `squares`."""
    by_root: dict[Square, list[tuple[int, int, int]]] = defaultdict(list)
    for level, column, row in squares:
        y = 2**level - 1 - row
        below = level % SUBTREE_LEVELS
        root = (level - below, column >> below, y >> below)
        mask = (1 << below) - 1
        by_root[root].append((below, column & mask, y & mask))
    out = {}
    for (level, x, y), found in sorted(by_root.items()):
        tiles = np.zeros((4**SUBTREE_LEVELS - 1) // 3, bool)
        for below, i, k in found:
            tiles[(4**below - 1) // 3 + _code(i, k)] = True
        children = np.zeros(4**SUBTREE_LEVELS, bool)
        side = 2**SUBTREE_LEVELS
        for i in range(side):
            for k in range(side):
                child = (level + SUBTREE_LEVELS, x * side + i, y * side + k)
                children[_code(i, k)] = child in by_root
        out[f"subtrees/{level}-{x}-{y}.subtree"] = _subtree(tiles, children)
    return out


def _code(x: int, y: int) -> int:
    return int(morton(np.array([x]), np.array([y]))[0])


def _subtree(tiles: Bool, children: Bool) -> bytes:
    """A subtree: which of its tiles there are, all with content, and which subtrees follow."""
    views: list[dict[str, int]] = []
    body = b""

    def available(bits: Bool) -> dict[str, Any]:
        nonlocal body
        count = int(bits.sum())
        if count in (0, len(bits)):
            return {"constant": int(count > 0), "availableCount": count}
        data = np.packbits(bits, bitorder="little").tobytes()
        views.append({"buffer": 0, "byteOffset": len(body), "byteLength": len(data)})
        body += data + b"\0" * (-len(data) % 8)
        return {"bitstream": len(views) - 1, "availableCount": count}

    told: dict[str, Any] = {"tileAvailability": available(tiles)}
    told["contentAvailability"] = [dict(told["tileAvailability"])]
    told["childSubtreeAvailability"] = available(children)
    if body:
        told |= {"buffers": [{"byteLength": len(body)}], "bufferViews": views}
    text = orjson.dumps(told)
    text += b" " * (-len(text) % 8)
    return struct.pack("<IIQQ", _MAGIC, 1, len(text), len(body)) + text + body
