"""Meshes from outside: GLB, OBJ with its MTL, STL and PLY, told by their headers before they are read."""

from __future__ import annotations

import io
import re
import struct
from collections.abc import Mapping
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from plough.core.errors import FormatError, ParameterError, TooLargeError
from plough.core.formats.glb_read import read_glb
from plough.core.formats.images import check_size
from plough.core.formats.model import MOST_PIECES, PLAIN, Covering, Model, Piece, used

FORMATS = ("glb", "obj", "stl", "ply")
_MTL_MAPS = {"map_Kd": "albedo", "norm": "normal"}
BESIDE = ("mtl", "png", "jpg", "jpeg")  #: endings of files that an OBJ may refer to
MOST_BYTES = 100_000_000  #: of all files of one request
MOST_TRIANGLES = 1_000_000
MOST_IMAGE = 40_000_000  #: bytes of one image
MOST_PIXELS = 8 * 4096 * 4096  #: over all materials, each as large as its largest image


def ending(name: str) -> str:
    """What follows the last dot of a file's name, in small letters."""
    return PurePosixPath(name.replace("\\", "/")).suffix[1:].lower()


def read_model(name: str, data: bytes, beside: Mapping[str, bytes] | None = None) -> Model:
    """The mesh in a file.

    Args:
        name: of the file; its ending tells the format.
        beside: files that came along, by name: MTL and images of an OBJ.

    Raises:
        FormatError: the file is of another format, damaged, or holds no triangles.
        TooLargeError: it has more triangles, pieces or pixels than it may.
    """
    kind = ending(name)
    if kind not in FORMATS:
        raise ParameterError(
            "files",
            f"{name}: {kind or 'a file without ending'} is not read; meshes come as {', '.join(FORMATS)}",
            limit=", ".join(FORMATS),
        )
    if kind == "glb":
        model = read_glb(data, MOST_TRIANGLES)
    else:
        _check_header(kind, data)
        model = _by_library(kind, data, beside or {})
    if not model.triangles:
        raise FormatError("the file holds no triangles")
    if model.triangles > MOST_TRIANGLES:
        raise TooLargeError(
            "mesh", f"has {model.triangles:,} triangles; the limit is {MOST_TRIANGLES:,}"
        )
    if len(model.pieces) > MOST_PIECES:
        raise TooLargeError(
            "mesh", f"has {len(model.pieces):,} pieces; the limit is {MOST_PIECES:,}"
        )
    for piece in model.pieces:
        if not np.isfinite(piece.positions).all():
            raise FormatError(f"{piece.name}: positions are not finite")
        if int(piece.indices.max()) >= len(piece.positions):
            raise FormatError(f"{piece.name}: a triangle names a vertex that is not there")
    _check_images(model)
    return model


def _check_images(model: Model) -> None:
    """Each image is one, and together they are not too many; one that several materials wear is looked at once."""
    sizes: dict[bytes, tuple[int, int]] = {}
    pixels = 0
    for covering in model.coverings:
        for name, data in covering.images.items():
            if data not in sizes:
                sizes[data] = check_size(data, f"{covering.name}: {name}", MOST_IMAGE)
        worn = [sizes[data] for data in covering.images.values()]
        pixels += max((w for w, _ in worn), default=0) * max((h for _, h in worn), default=0)
        if pixels > MOST_PIXELS:
            raise TooLargeError(
                "mesh",
                f"its materials have more than {MOST_PIXELS // 2**20} million pixels: join them, or make images smaller",
            )


def _check_header(kind: str, data: bytes) -> None:
    """Refuse what says that it holds more than it can, or than it may."""
    count = 0
    if kind == "stl" and data.lstrip()[:5].lower() != b"solid" and len(data) >= 84:
        (count,) = struct.unpack_from("<I", data, 80)
        if 84 + 50 * count > len(data):
            raise FormatError(f"the file is cut off: it tells of {count:,} triangles")
    elif kind == "ply":
        head = data[:4000].split(b"end_header")[0]
        counts = [int(n) for n in re.findall(rb"element\s+\w+\s+(\d+)", head)]
        if sum(counts) > len(data):
            raise FormatError(f"the file is cut off: it tells of {sum(counts):,} elements")
        count = max(counts, default=0) // 3
    elif kind == "obj":
        count = data.count(b"\nf ")
    if count > MOST_TRIANGLES:
        raise TooLargeError("mesh", f"has {count:,} triangles; the limit is {MOST_TRIANGLES:,}")


def _by_library(kind: str, data: bytes, beside: Mapping[str, bytes]) -> Model:
    import trimesh

    more: dict[str, Any] = {}
    images: dict[str, dict[str, bytes]] = {}
    if kind == "obj":
        data, beside = _with_materials(data, beside)
        images = _images_of(beside)
        more = {"group_material": True, "split_objects": True, "resolver": _beside(beside)}
    try:
        scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False, **more)
        found = [(str(n), scene.geometry[n]) for n in scene.geometry]
        meshes = [(n, g) for n, g in found if isinstance(g, trimesh.Trimesh) and len(g.faces)]
    except (MemoryError, KeyboardInterrupt):
        raise
    except Exception as error:
        words = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise FormatError(f"the file cannot be read: {words[:200]}") from None
    # the library gives everything with texture coordinates a material, with an image that it invents
    wears = {"obj": b"usemtl" in data, "ply": b"TextureFile" in data[:4000]}.get(kind, False)
    coverings: list[Covering] = []
    pieces = []
    for name, mesh in meshes:
        covering = _covering(mesh, wears, images)
        if covering not in coverings:
            coverings.append(covering)
        pieces.append(_piece(name, mesh, coverings.index(covering)))
    return used(pieces, coverings, kind)


def _with_materials(data: bytes, beside: Mapping[str, bytes]) -> tuple[bytes, Mapping[str, bytes]]:
    """An OBJ and its files, with a plain material of each name that no MTL among them tells of: the library would invent one, and its image."""
    told = {
        n.strip()
        for name, content in beside.items()
        if ending(name) == "mtl"
        for n in re.findall(rb"^\s*newmtl\s+(.+)$", content, re.M)
    }
    used_names = {n.strip() for n in re.findall(rb"^\s*usemtl\s+(.+)$", data, re.M)}
    lacking = sorted(used_names - told)
    if not lacking:
        return data, beside
    tone = " ".join(f"{c ** (1 / 2.2):.4f}" for c in PLAIN.color).encode()
    library = b"".join(b"newmtl %s\nKd %s\n" % (n, tone) for n in lacking)
    return b"mtllib plough-plain.mtl\n" + data, {**beside, "plough-plain.mtl": library}


def _last(name: str) -> str:
    """The last part of a file's name, in small letters."""
    return PurePosixPath(str(name).strip().replace("\\", "/")).name.lower()


def _images_of(files: Mapping[str, bytes]) -> dict[str, dict[str, bytes]]:
    """What the MTL files among `files` say of images: by material and map, as they came; the library would write them anew."""
    given = {_last(n): d for n, d in files.items()}
    out: dict[str, dict[str, bytes]] = {}
    for name in (n for n in files if ending(n) == "mtl"):
        found: dict[str, bytes] = {}
        for line in files[name].decode("utf-8", "replace").splitlines():
            word, _, rest = line.strip().partition(" ")
            if word == "newmtl":
                found = out.setdefault(rest.strip(), {})
            elif word in _MTL_MAPS and rest.strip():
                # options stand before the file's name
                image = given.get(_last(rest)) or given.get(_last(rest.split()[-1]))
                if image is not None:
                    found[_MTL_MAPS[word]] = image
    return out


def _beside(files: Mapping[str, bytes]) -> Any:
    """Gives the library the files that came along, by the last part of their names."""
    from trimesh.resolvers import Resolver

    given = {_last(n): d for n, d in files.items()}

    class Beside(Resolver):
        def __init__(self) -> None:
            pass

        def get(self, name: str) -> bytes:
            wanted = _last(name)
            if wanted not in given:
                raise FileNotFoundError(name)
            return given[wanted]

        def keys(self) -> list[str]:
            return list(given)

        def namespaced(self, namespace: str) -> Any:
            return self

        def write(self, name: str, data: bytes) -> None:
            raise PermissionError(name)

    return Beside()


def _piece(name: str, mesh: Any, covering: int) -> Piece:
    uv = getattr(mesh.visual, "uv", None)
    colors = None
    if mesh.visual.kind == "vertex":
        srgb = np.asarray(mesh.visual.vertex_colors, np.float64) / 255.0
        srgb[:, :3] **= 2.2
        colors = np.rint(srgb * 255).astype(np.uint8)
    given = mesh._cache.cache.get("vertex_normals")
    return Piece(
        name,
        covering,
        np.asarray(mesh.vertices, np.float32),
        np.asarray(mesh.faces, np.uint32),
        None if given is None else np.asarray(given, np.float32),
        None if uv is None else np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1).astype(np.float32),
        colors=colors,
    )


def _covering(mesh: Any, wears: bool, given: Mapping[str, Mapping[str, bytes]]) -> Covering:
    """What a mesh of the library wears, if its file says so; `given` are images by material and map."""
    material = getattr(mesh.visual, "material", None)
    if material is None or not wears:
        return replace(PLAIN, color=(1.0, 1.0, 1.0)) if mesh.visual.kind == "vertex" else PLAIN
    told: dict[str, Any] = getattr(material, "kwargs", None) or {}
    name = str(getattr(material, "name", None) or "material")
    r, g, b = (
        float(v) / 255.0 for v in np.asarray(getattr(material, "diffuse", (255, 255, 255)))[:3]
    )
    image = getattr(material, "image", None)
    images = dict(given.get(name, {}))
    if image is not None and "albedo" not in images:
        out = io.BytesIO()
        image.save(out, "PNG")
        images["albedo"] = out.getvalue()
    if "albedo" in images:
        r = g = b = 1.0
    rough = told.get("pr", told.get("Pr"))
    roughness = float(np.ravel(rough)[0]) if rough is not None else 0.9
    cut = image is not None and image.mode in ("RGBA", "LA", "PA")
    return Covering(
        name,
        (r**2.2, g**2.2, b**2.2),
        roughness=roughness,
        alpha="mask" if cut else "opaque",
        both_sides=cut,
        images=images,
    )
