"""What the stand-in offers: two dozen meshes, leaves, textures and height maps, all made here."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from plough.core.bake.bundle import embedded_images
from plough.core.cache import Cache
from plough.core.formats.glb import GlbBuilder
from plough.core.formats.images import encode, jpeg
from plough.core.formats.model import pack
from plough.core.ground.cover import Cover
from plough.core.grow.bark import Bark
from plough.core.grow.lamina import LeafParameters
from plough.core.grow.leaf import leaf_material
from plough.core.hashing import digest
from plough.core.library import Library
from plough.core.library.variants import Variant, variant_of
from plough.core.mesh.material import Maps
from plough.core.parameters import build
from plough.core.presets import preset
from plough.outside.drawn import PICTURE, Boards, Worn, height_map, picture_of
from plough.outside.interface import Item, ItemFile, ItemKind, Part
from plough.outside.shapes import STONE, WOOD, model_of

BY, FREE, NAMED = "Teasel Fen workshop", "CC0-1.0", "CC-BY-4.0"
_TYPES = {"glb": "model/gltf-binary", "png": "image/png"}
_SIDE = 512  #: pixels of a texture


@dataclass(frozen=True)
class Kept:
    """An item with the bytes of its files and its picture."""

    item: Item
    files: dict[str, bytes]
    draw: Callable[[], bytes]

    @cached_property
    def picture(self) -> bytes:
        """JPEG, drawn when it is first asked for."""
        return self.draw()


def _kept(
    name: str,
    kind: ItemKind,
    title: str,
    text: str,
    licence: str,
    files: dict[str, tuple[Part, bytes]],
    picture: Callable[[], bytes],
) -> Kept:
    told = tuple(
        ItemFile(
            name=file,
            part=part,
            type=_TYPES[file.rpartition(".")[2]],
            bytes=len(data),
            sha256=hashlib.sha256(data).hexdigest(),
        )
        for file, (part, data) in files.items()
    )
    version = hashlib.sha256("".join(f.sha256 for f in told).encode()).hexdigest()[:8]
    item = Item(
        id=name,
        version=version,
        kind=kind,
        title=title,
        text=text,
        by=BY,
        licence=licence,
        files=told,
    )
    return Kept(item, {n: data for n, (_, data) in files.items()}, picture)


class Catalogue:
    """All items by their id, made when they are first asked for."""

    @cached_property
    def items(self) -> dict[str, Kept]:
        """In the order in which they are shown."""
        made = [*self._meshes(), *_leaves(), *_textures(), *_height_maps()]
        return {k.item.id: k for k in made}

    def _meshes(self) -> list[Kept]:
        covering = {
            WOOD: _maps(Boards(3, 512, 0).draw()),
            STONE: _maps(Worn(4, 512, 0.3).draw()),
        }
        cache = Cache()
        return [_mesh(name, title, text, covering, cache) for name, title, text in _MESHES]


_MESHES = (
    ("drift-stone", "Drift stone", "A boulder left by the ice, rounded, broken on five sides."),
    ("split-drift-stone", "Split drift stone", "Taller than wide; frost has taken its faces."),
    ("flat-drift-stone", "Flat drift stone", "A low slab to sit on."),
    ("mooring-post", "Mooring post", "Turned oak with four turns of rope."),
    ("stone-trough", "Stone trough", "For cattle at the drove; watertight."),
    ("fish-crate", "Fish crate", "Boards on four corners."),
    ("cask", "Cask", "Staves under four iron hoops."),
    ("landing-stage", "Landing stage", "Fourteen planks on six posts, 2.8 m long."),
    ("field-gate", "Field gate", "Five rails and a brace between two posts, 3.2 m wide."),
    ("loft-ladder", "Loft ladder", "Eight rungs, 2.6 m."),
    ("milestone", "Milestone", "A dressed block in a rough foot."),
    ("fen-punt", "Fen punt", "Flat-bottomed, 4.2 m long, two seats."),
)


def _maps(maps: Maps) -> dict[str, bytes]:
    images = encode(maps)
    return {name: images[name] for name in ("albedo", "normal", "surface")}


def _mesh(
    name: str, title: str, text: str, covering: dict[int, dict[str, bytes]], cache: Cache
) -> Kept:
    packed = pack(model_of(name, covering))
    library = Library(cache, load=lambda _: packed)
    parameters = {"source": digest(packed), "pivot": "own", "mend": {"crease": 42}}
    variant = variant_of(name, title, "mesh", parameters, 1, {})
    product = library.level(variant, 0)
    builder = GlbBuilder(embedded_images(cache))
    data = builder.finish(builder.add_named(product.mesh, product.materials, product.nodes))
    return _kept(
        name,
        "mesh",
        title,
        text,
        FREE,
        {f"{name}.glb": ("mesh", data)},
        lambda: jpeg(library.picture(variant, PICTURE), 88),
    )


_LEAVES: tuple[tuple[str, str, str, dict[str, Any]], ...] = (
    (
        "alder-leaf",
        "Alder leaf",
        "Round, blunt at the tip, seven pairs of veins.",
        {
            "outline": [[0, 0.3], [0.35, 0.92], [0.68, 1], [0.92, 0.62], [1, 0.25]],
            "width": 0.86,
            "vein_count": 7,
            "teeth": 0.18,
            "teeth_count": 18,
        },
    ),
    (
        "sallow-leaf",
        "Sallow leaf",
        "Long, grey-green, hardly toothed.",
        {
            "outline": [[0, 0.12], [0.4, 0.9], [0.7, 1], [1, 0]],
            "width": 0.34,
            "vein_count": 9,
            "length": 9,
            "teeth": 0.05,
        },
    ),
    ("pear-leaf", "Pear leaf", "Finely toothed, on a long stalk.", {}),
    ("lobed-leaf", "Lobed leaf", "Four pairs of rounded lobes.", {}),
)
_OF_PRESET = {"pear-leaf": "pear-leaf", "lobed-leaf": "oak-like-leaf"}


def _leaves() -> list[Kept]:
    out = []
    for name, title, text, own in _LEAVES:
        of = _OF_PRESET.get(name)
        values = {**(preset(of).parameters if of else {}), **own}
        maps = leaf_material(build(LeafParameters, {**values, "texture_size": "512"})).maps
        assert maps is not None
        variant = variant_of(name, title, "leaf", values, 1, {})
        out.append(_of_maps(name, "leaf", title, text, FREE, maps.draw(), variant))
    return out


def _of_maps(
    name: str,
    kind: ItemKind,
    title: str,
    text: str,
    licence: str,
    maps: Maps,
    grown: Variant | None = None,
) -> Kept:
    images = _maps(maps)
    parts: tuple[Part, ...] = ("albedo", "normal", "surface")
    files = {f"{name}-{part}.png": (part, images[part]) for part in parts}

    def picture() -> bytes:
        if grown is None:
            return picture_of(maps)
        return jpeg(Library(Cache()).picture(grown, PICTURE), 88)

    return _kept(name, kind, title, text, licence, files, picture)


_TEXTURES: tuple[tuple[str, str, str, Callable[[], Maps]], ...] = (
    (
        "weathered-boards",
        "Weathered boards",
        "Eight boards, grey with age.",
        Boards(7, _SIDE, 8).draw,
    ),
    (
        "tarred-boards",
        "Tarred boards",
        "Six boards under old tar.",
        Boards(12, _SIDE, 6, (0.2, 0.18, 0.165)).draw,
    ),
    ("lichened-stone", "Lichened stone", "Grey stone, half grown over.", Worn(9, _SIDE, 0.55).draw),
    ("fen-mud", "Fen mud", "Wet in its hollows.", Cover("mud", _SIDE, 21).draw),
    (
        "drove-gravel",
        "Drove gravel",
        "Two sizes of pebble in grit.",
        Cover("gravel", _SIDE, 22).draw,
    ),
    (
        "alder-bark",
        "Alder bark",
        "Dark plates, a little lichen.",
        Bark("plated", 31, _SIDE, (0.42, 0.38, 0.33), (0.14, 0.12, 0.1), 0.8, 9, 0.25).draw,
    ),
)


def _textures() -> list[Kept]:
    return [
        _of_maps(n, "texture", title, text, NAMED, draw()) for n, title, text, draw in _TEXTURES
    ]


_HEIGHTS: tuple[tuple[str, str, str, dict[str, Any]], ...] = (
    (
        "fen-heights",
        "Fen",
        "Flat peat with low rises; 512 m, 6 m from low to high.",
        {"relief": 6, "feature": 170, "roughness": 0.35},
    ),
    (
        "downs-heights",
        "Downs",
        "Broad chalk backs; 512 m, 45 m from low to high.",
        {"relief": 45, "feature": 260, "roughness": 0.3, "seed": 4},
    ),
    (
        "crag-heights",
        "Crags",
        "Sharp crests; 512 m, 120 m from low to high.",
        {"relief": 120, "feature": 240, "roughness": 0.5, "ridges": 0.9, "seed": 8},
    ),
    (
        "mere-heights",
        "Mere",
        "A basin in gentle ground; 512 m, 14 m from low to high.",
        {
            "relief": 8,
            "feature": 150,
            "basin": True,
            "basin_radius": 120,
            "basin_depth": 6,
            "seed": 2,
        },
    ),
)


def _height_maps() -> list[Kept]:
    out = []
    for name, title, text, parameters in _HEIGHTS:
        data, picture = height_map(parameters)
        out.append(
            _kept(name, "heights", title, text, FREE, {f"{name}.png": ("heights", data)}, picture)
        )
    return out
