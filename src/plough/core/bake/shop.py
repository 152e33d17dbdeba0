"""Where pieces of a bake are made: a library, a store of pieces, and what a recipe asks of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

from plough.core.bake.pieces import Piece, Pieces, Stored
from plough.core.cache import Cache
from plough.core.formats.glb import Images, Outside, no_images
from plough.core.formats.images import encode
from plough.core.hashing import digest, key_of
from plough.core.kernels import core_key
from plough.core.lamp import Lamp
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import Library
from plough.core.mesh.lightmap import with_light
from plough.core.mesh.material import MapRecipe, Material, no_larger
from plough.core.mesh.value import Mesh

_FILE_BYTES, _FOUND = 400, 100_000_000  # of what is remembered of one file, and of all pieces


class Recipe(Protocol):
    """All that one piece is made from; goes to another process as it is."""

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The files of the piece, and what it says."""
        ...


@dataclass(frozen=True, slots=True)
class Form:
    """How meshes and images are written."""

    textures: bool
    webp: bool
    beside: bool  #: images lie beside the files that draw them
    packs: bool
    levels: bool
    colliders: str
    texture: int = 0  #: pixels a side at most; 0 for as they are drawn
    light: float = 0.0  #: texels a metre of light maps of what is solid; 0 for none

    @staticmethod
    def of(p: BakeParameters, texture: int = 0) -> Form:
        """What a bake asks for."""
        beside = p.images_lie == "beside"
        packs = p.packing == "meshopt"
        webp = p.images == "webp"
        light = p.light_texels if p.light == "solid" else 0.0
        return Form(p.textures, webp, beside, packs, p.levels, p.colliders, texture, light)

    def lit(self, mesh: Mesh) -> tuple[Mesh, dict[str, Any]]:
        """What is solid, with coordinates for a light map where they are asked for; and what its node says of that."""
        if not self.light:
            return mesh, {}
        made, side = with_light(mesh, self.light)
        return made, {"lightMap": {"side": side}}


@dataclass(frozen=True)
class Made:
    """A variant as it is written."""

    piece: Piece

    @cached_property
    def levels(self) -> list[tuple[str, Outside]]:
        """The file and the meshes of each level, nearest first."""
        return [_outside(told) for told in self.piece.says["levels"]]

    @cached_property
    def bodies(self) -> tuple[str, Outside] | None:
        """The file and the meshes of its colliders."""
        told = self.piece.says["bodies"]
        return None if told is None else _outside(told)

    @cached_property
    def lamps(self) -> tuple[Lamp, ...]:
        """What light it carries."""
        return tuple(
            Lamp(tuple(x["position"]), tuple(x["color"]), x["lumens"], x["radius"])
            for x in self.piece.says["lamps"]
        )

    @property
    def says(self) -> dict[str, Any]:
        """What an engine is told of its colliders."""
        return self.piece.says["collides"]  # type: ignore[no-any-return]

    @property
    def triangles(self) -> list[int]:
        """Of each level."""
        return self.piece.says["triangles"]  # type: ignore[no-any-return]


def told_of(path: str, outside: Outside) -> dict[str, Any]:
    """What `Made` reads of meshes in a file."""
    return {
        "path": path,
        "size": outside.size,
        "told": outside.told,
        "used": sorted(outside.used),
        "unpacked": outside.unpacked,
    }


def _outside(told: dict[str, Any]) -> tuple[str, Outside]:
    used = frozenset(told["used"])
    return told["path"], Outside(told["size"], told["told"], used, told["unpacked"])


class Shop:
    """Makes pieces.

    Args:
        check: called now and then; may raise to stop.
    """

    def __init__(
        self, pieces: Pieces, library: Library, check: Callable[[], None] = lambda: None
    ) -> None:
        self.pieces = pieces
        self.library = library
        self.check = check
        self._found = Cache(_FOUND)  # of these pieces; another shop may have others

    def with_check(self, check: Callable[[], None]) -> Shop:
        """The same shop, for somebody else who may stop it."""
        other = Shop(self.pieces, self.library, check)
        other._found = self._found
        return other

    def made(self, key: str) -> Made:
        """A variant whose piece is kept. Raises `LookupError` where it is not."""

        def find() -> Made:
            found = self.pieces.known([key])
            if key not in found:
                raise LookupError(f"the piece {key} is not there")
            return Made(found[key])

        return self._found.get(("made", key), find, lambda m: len(m.piece.to_bytes()))

    def images(self, form: Form) -> tuple[Images, dict[str, Stored]]:
        """Gives maps as `form` asks; and the files that lie beside, of all that it has given."""
        used: dict[str, Stored] = {}
        if not form.textures:
            return no_images, used

        def images(material: Material) -> dict[str, bytes | str]:
            if material.maps is None:
                return {}
            piece = self.maps(material.maps, form.webp, form.texture)
            paths: dict[str, str] = piece.says["maps"]
            if not form.beside:
                return {n: self.pieces.read(piece.files[path]) for n, path in paths.items()}
            used.update(piece.files)
            return {name: f"../{path}" for name, path in paths.items()}

        return images, used

    def maps(self, recipe: MapRecipe, webp: bool, most: int = 0) -> Piece:
        """The images that a recipe draws, as files; `most` pixels a side, where that is not 0."""
        key = key_of(core_key(), "maps", repr(recipe), webp, most)

        def find() -> Piece:
            found = self.pieces.known([key]).get(key)
            if found is not None:
                return found
            self.check()
            encoded = encode(no_larger(self.library.drawn(recipe), most), webp)
            ending = "webp" if webp else "png"
            paths = {n: f"images/{digest(d)[:20]}.{ending}" for n, d in encoded.items()}
            files = {paths[n]: data for n, data in encoded.items()}
            return self.pieces.keep(key, files, {"maps": paths})

        return self._found.get(("maps", key), find, lambda p: _FILE_BYTES * len(p.files))
