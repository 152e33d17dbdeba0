"""Materials: what a slot looks like, with texture maps that are drawn from a recipe."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8


@dataclass(frozen=True, slots=True)
class Maps:
    """Texture images of one material, of the same size but where a recipe says otherwise."""

    albedo: UInt8  #: (h, w, 4) sRGB colour and alpha
    normal: UInt8  #: (h, w, 3) tangent space, green up
    surface: UInt8  #: (h, w, 3) linear: occlusion, roughness, metallic
    translucency: UInt8 | None = None  #: (h, w) share of light that comes through from behind
    depth: UInt8 | None = None  #: (h, w) nearness to the eye over the depth of what is shown

    @property
    def nbytes(self) -> int:
        """Bytes of all images."""
        images = (self.albedo, self.normal, self.surface, self.translucency, self.depth)
        return sum(image.nbytes for image in images if image is not None)


def as_bytes(image: Float32 | Float64) -> UInt8:
    """Values of an image, 0 to 1, as bytes; what lies beyond is cut."""
    out: UInt8 = (np.asarray(image).clip(0.0, 1.0) * 255.0 + 0.5).astype(np.uint8)
    return out


def halved_to(image: UInt8, most: int) -> UInt8:
    """An image (h, w, …) halved until no side is longer than `most`; as it is where that is 0."""
    while most and max(image.shape[:2]) > most and min(image.shape[:2]) > 1:
        h, w = (n // 2 * 2 for n in image.shape[:2])
        four = image[:h, :w].reshape(h // 2, 2, w // 2, 2, -1).astype(np.uint16)
        mean = ((four.sum(axis=(1, 3)) + 2) // 4).astype(np.uint8)
        image = mean.reshape(h // 2, w // 2, *image.shape[2:])
    return image


def no_larger(maps: Maps, most: int) -> Maps:
    """`maps` halved until no side of their images is longer than `most`; as they are where that is 0."""
    images = (getattr(maps, name) for name in Maps.__slots__)
    return Maps(*(None if i is None else halved_to(i, most) for i in images))  # type: ignore[arg-type]


class MapRecipe(Protocol):
    """Draws maps; equal recipes draw equal bytes, and `repr` tells them apart."""

    def draw(self) -> Maps:
        """The images."""
        ...


@dataclass(frozen=True, slots=True)
class Dome:
    """How a sheet of pictures over the upper half of all directions is laid out; see `plough.core.mesh.dome`."""

    grid: int  #: pictures a side
    pixels: int  #: a side of each picture
    centre: tuple[float, float, float]  #: metres, of what is shown
    half: tuple[
        float, float
    ]  #: metres that a picture shows to each side of the middle, and up and down
    depth: float  #: metres from the middle to the nearest and the farthest that is told


@dataclass(frozen=True, slots=True)
class Material:
    """A material slot. What Plough makes is no metal, so it is lit alike in every viewer."""

    name: str  #: by which the target engine knows it
    maps: MapRecipe | None = None
    color: tuple[float, float, float] = (1.0, 1.0, 1.0)  #: linear, times the albedo map
    roughness: float = 1.0
    cutout: bool = False  #: alpha below a half is not there; both faces are seen
    translucency: float = 0.0  #: share of light that comes through from behind
    one_sided: bool = False  #: a cutout whose back is not drawn
    glow: tuple[float, float, float] | None = None  #: linear, of what shines itself
    dome: Dome | None = (
        None  #: of a card that is turned to the eye; its normals are in the asset's own axes
    )
    metallic: float = 0.0  #: times the surface map's; the view does without
    extras: dict[str, Any] = field(default_factory=dict)  #: what was noted on it in a file
