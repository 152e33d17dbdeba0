"""Meshes from outside as they came: pieces with their names and what was noted on them, and what they are covered with."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal
from zipfile import BadZipFile

import numpy as np
import orjson

from plough.core.arrays import Float32, UInt8, UInt32
from plough.core.errors import FormatError
from plough.core.hashing import digest

Alpha = Literal["opaque", "mask", "blend"]
MOST_PIECES = 2_000
IMAGES = ("albedo", "normal", "surface", "occlusion", "emission")  #: that a covering may bring
_ARRAYS = ("positions", "indices", "normals", "uv", "uv1", "colors", "wind")


@dataclass(frozen=True, slots=True)
class Covering:
    """A material as it came; values are linear."""

    name: str
    color: tuple[float, float, float] = (1.0, 1.0, 1.0)
    opacity: float = 1.0
    roughness: float = 1.0
    metallic: float = 0.0
    emission: tuple[float, float, float] = (0.0, 0.0, 0.0)
    alpha: Alpha = "opaque"
    both_sides: bool = False
    images: dict[str, bytes] = field(default_factory=dict)  #: PNG or JPEG, by name in `IMAGES`
    extras: dict[str, Any] = field(default_factory=dict)


PLAIN = Covering("plain", (0.42, 0.4, 0.37), roughness=0.9)  #: of what comes without a material


@dataclass(frozen=True, slots=True)
class Piece:
    """Triangles of one node with one covering, in the axes and the unit of the file."""

    name: str
    covering: int  #: its place in the model's coverings
    positions: Float32  #: (n, 3)
    indices: UInt32  #: (m, 3)
    normals: Float32 | None = None  #: (n, 3)
    uv: Float32 | None = None  #: (n, 2), v downwards as in glTF
    uv1: Float32 | None = None  #: (n, 2)
    colors: UInt8 | None = None  #: (n, 4) linear
    wind: UInt8 | None = None  #: (n, 4) as `plough.core.mesh.value.Mesh.wind`
    extras: dict[str, Any] = field(default_factory=dict)

    @property
    def collides(self) -> bool:
        """Whether it is there for collisions, by its name or by what is noted on it."""
        name = self.name.lower()
        return name.startswith(("collider", "collision")) or "collider" in self.extras


@dataclass(frozen=True, slots=True)
class Model:
    """A mesh from outside."""

    format: str  #: the ending of the file's name
    pieces: tuple[Piece, ...]
    coverings: tuple[Covering, ...]

    @property
    def triangles(self) -> int:
        """Number of triangles, colliders left out."""
        return sum(len(p.indices) for p in self.pieces if not p.collides)

    def bounds(self) -> tuple[Float32, Float32]:
        """Least and greatest corner, each (3,), in the file's axes and unit; colliders left out."""
        seen = [p.positions for p in self.pieces if not p.collides and len(p.positions)]
        return (
            np.min([p.min(axis=0) for p in seen], axis=0),
            np.max([p.max(axis=0) for p in seen], axis=0),
        )


def pack(model: Model) -> bytes:
    """`model` as bytes; equal models give equal bytes."""
    arrays: dict[str, Any] = {}
    head: dict[str, Any] = {"format": model.format, "pieces": [], "coverings": []}
    for k, piece in enumerate(model.pieces):
        head["pieces"].append(
            {"name": piece.name, "covering": piece.covering, "extras": piece.extras}
        )
        for name in _ARRAYS:
            array = getattr(piece, name)
            if array is not None:
                arrays[f"{k}.{name}"] = np.ascontiguousarray(array)
    for covering in model.coverings:
        head["coverings"].append(
            {n: getattr(covering, n) for n in Covering.__slots__ if n != "images"}
        )
        told = {}
        for name, data in covering.images.items():
            told[name] = digest(data)
            arrays[f"image.{told[name]}"] = np.frombuffer(data, np.uint8)
        head["coverings"][-1]["images"] = told
    out = io.BytesIO()
    np.savez(out, head=np.frombuffer(orjson.dumps(head), np.uint8), **arrays)
    return out.getvalue()


def unpack(data: bytes) -> Model:
    """The model in `data`. Raises `FormatError` when it holds none."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as held:
            arrays = {name: held[name] for name in held.files}
        head = orjson.loads(arrays["head"].tobytes())
    except (OSError, ValueError, KeyError, EOFError, BadZipFile) as error:
        raise FormatError(f"this is no mesh that was brought in ({error})") from None
    pieces = tuple(
        Piece(
            **told,
            **{n: arrays[f"{k}.{n}"] for n in _ARRAYS if f"{k}.{n}" in arrays},
        )
        for k, told in enumerate(head["pieces"])
    )
    coverings = []
    held = {name: array.tobytes() for name, array in arrays.items() if name.startswith("image.")}
    for told in head["coverings"]:
        values: dict[str, Any] = {
            n: tuple(v) if isinstance(v, list) else v for n, v in told.items()
        }
        values["images"] = {n: held[f"image.{name}"] for n, name in told["images"].items()}
        coverings.append(Covering(**values))
    return Model(head["format"], pieces, tuple(coverings))


def used(pieces: Sequence[Piece], coverings: Sequence[Covering], kind: str) -> Model:
    """A model of the pieces that have triangles, with the coverings that they wear."""
    kept = [p for p in pieces if len(p.indices)]
    numbers = sorted({p.covering for p in kept})
    return Model(
        kind,
        tuple(replace(p, covering=numbers.index(p.covering)) for p in kept),
        tuple(coverings[n] for n in numbers),
    )
