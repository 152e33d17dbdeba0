"""The bake: what is written for the game. It stands last, and its parameters are for the writers."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator

from plough.core.matters import Matters, among, either
from plough.core.parameters import Numeral, Parameters, choice, flag, number, text
from plough.core.scene.facets import Output
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

NAME_FIELDS = ("scene", "asset", "name", "kind", "seed", "level")


def _pattern(text: str) -> str:
    """A pattern of names, whose fields are all known."""
    for field in re.findall(r"\{([^{}]*)\}", text):
        if field not in NAME_FIELDS:
            known = ", ".join(f"{{{n}}}" for n in NAME_FIELDS)
            raise ValueError(f"there is no field {{{field}}}; fields are {known}")
    if re.sub(r"\{[^{}]*\}", "", text).strip("{}") != re.sub(r"\{[^{}]*\}", "", text):
        raise ValueError("a bracket is without its other half")
    return text


class BakeParameters(Parameters):
    """What is written for the game."""

    matters: ClassVar[Matters] = {
        "images": among("textures", True),
        "images_lie": among("textures", True),
        "light_texels": among("light", "solid"),
        "tile_side": either(among("layout", "tiles", "tileset"), among("stage", True)),
    }

    layout: Literal["whole", "tiles", "tileset"] = choice(
        "whole",
        "The scene as",
        {"whole": "One file", "tiles": "A file a tile", "tileset": "3D Tiles 1.1"},
        group="What to write",
        help="Tiles hold the ground and what stands on it about their own middles, and draw from meshes beside them."
        " 3D Tiles nest: each holds what is seen of it from its distance, without colliders.",
    )
    tile_side: Annotated[Literal["32", "64", "128", "256", "512"], Numeral] = choice(
        "64",
        "A tile's side",
        {s: f"About {s} m" for s in ("32", "64", "128", "256", "512")},
        group="What to write",
        help="The side of the ground is halved until it comes nearest; of 3D Tiles it is that of the smallest.",
    )
    instancing: bool = flag(
        True,
        "Instances by extension",
        group="What to write",
        help="EXT_mesh_gpu_instancing; off writes a plain node for each placement.",
    )
    levels: bool = flag(
        True,
        "Levels of detail",
        group="What to write",
        help="MSFT_lod in the scene, and each level as a file of its own.",
    )
    names: Annotated[str, AfterValidator(_pattern)] = text(
        "{asset}-{seed}-{level}",
        "Names of levels",
        most=120,
        group="What to write",
        help="Of meshes and files. Fields: {scene}, {asset}, {name}, {kind}, {seed}, {level}.",
    )
    stage: bool = flag(
        False,
        "OpenUSD stage",
        group="What to write",
        help="usd/scene.usdc: a payload a tile, a point instancer a layer, assets with variant sets of seeds and levels.",
    )
    obj: bool = flag(
        False,
        "Levels as OBJ",
        group="What to write",
        help="In obj/, for programs that read nothing else; images as PNG beside.",
    )
    domes: bool = flag(
        False,
        "Cards that face the eye",
        group="What to write",
        help="For each variant 64 pictures from all sides above, with normals and depth, in a file of its own;"
        " the material's extras tell how they lie. The game needs a shader that picks the nearest.",
    )
    colliders: Literal["asset", "box", "none"] = choice(
        "asset",
        "Colliders",
        {"asset": "As each asset says", "box": "Boxes", "none": "None"},
        group="What to write",
    )
    textures: bool = flag(True, "Textures", group="What to write")
    images: Literal["png", "webp"] = choice(
        "png",
        "Images as",
        {"png": "PNG", "webp": "WebP: about a third of the bytes"},
        group="What to write",
        help="WebP by EXT_texture_webp.",
    )
    images_lie: Literal["beside", "inside"] = choice(
        "beside",
        "Images of levels",
        {"beside": "Beside them, each once", "inside": "Inside each file"},
        group="What to write",
        help="The scene's own file holds its images in either case.",
    )
    light: Literal["asset", "solid"] = choice(
        "asset",
        "Second texture coordinates",
        {"asset": "As each asset says", "solid": "Of all that is solid"},
        group="What to write",
        help="For light maps: without overlap, at one density; nodes and the manifest tell how many texels a side each takes.",
    )
    light_texels: float = number(
        8,
        "Texels a metre",
        (0.1, 200),
        soft=(1, 40),
        step=0.5,
        group="What to write",
        help="A map has 8,192 a side at most, and fewer a metre where that is not enough.",
    )
    packing: Literal["plain", "meshopt"] = choice(
        "plain",
        "Meshes",
        {"plain": "Plain", "meshopt": "Compressed"},
        group="What to write",
        help="EXT_meshopt_compression: places true within 0.2 mm, on the ground within 1 mm, normals within 1.25°.",
    )
    table: Literal["csv", "jsonl", "parquet"] = choice(
        "csv",
        "Placements as",
        {"csv": "CSV", "jsonl": "JSON lines", "parquet": "Parquet"},
        group="What to write",
    )
    unit: Literal["m", "dm", "cm", "mm"] = choice(
        "m",
        "Unit of tables and OBJ",
        {"m": "Metres", "dm": "Decimetres", "cm": "Centimetres", "mm": "Millimetres"},
        group="What to write",
        help="glTF, 3D Tiles and OpenUSD say their own: metres.",
    )
    up: Literal["y", "z"] = choice(
        "y",
        "Up, in tables and OBJ",
        {"y": "Y: X east, Z south", "z": "Z: X east, Y north"},
        group="What to write",
    )
    origin: Literal["middle", "north-west", "south-west"] = choice(
        "middle",
        "Tables count from",
        {
            "middle": "The middle of the ground",
            "north-west": "Its north-west corner",
            "south-west": "Its south-west corner",
        },
        group="What to write",
    )
    splat: Annotated[Literal["none", "512", "1024", "2048", "4096"], Numeral] = choice(
        "1024",
        "Splat maps",
        {"none": "None", "512": "512 a side", "1024": "1024", "2048": "2048", "4096": "4096"},
        group="What to write",
        help="The ground classes as images, four in each.",
    )
    heights: bool = flag(
        True,
        "Height field",
        group="What to write",
        help="ground/heights.png: the ground that is written, as 16 bits, for a collider or a terrain; heights.json tells how it lies.",
    )
    ground_error_near: float = number(
        2,
        "Ground is true within",
        (0.1, 100),
        soft=(0.5, 20),
        unit="cm",
        step=0.5,
        group="What to write",
        help="Where something stands; what is placed is set down on the ground that is written.",
    )
    ground_error: float = number(
        10,
        "and elsewhere within",
        (0.1, 1000),
        soft=(1, 100),
        unit="cm",
        step=1,
        group="What to write",
    )


@layer_kind("bake", "Bake", "What is written for the game.", BakeParameters, place="last")
def evaluate(p: BakeParameters, inputs: Inputs) -> Output:
    """Nothing of its own: writers take what the other layers came to."""
    return Output()
