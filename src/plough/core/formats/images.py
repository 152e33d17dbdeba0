"""PNG and WebP images of material maps, and images of one's own in place of them."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from PIL import Image

from plough.core.arrays import UInt8
from plough.core.errors import ParameterError
from plough.core.mesh.material import MapRecipe, Maps, Material

MAPS = ("albedo", "normal", "surface")
MOST_SIDE, MOST_BYTES = 4096, 8_000_000
_QUALITY = 90  # of WebP, of 100


def png(image: UInt8) -> bytes:
    """`image` (h, w, 3 or 4) as PNG; an alpha channel that is opaque throughout is left out."""
    if image.shape[2] == 4 and image[..., 3].min() == 255:
        image = image[..., :3]
    return png_rgba(image)


def png_rgba(image: UInt8) -> bytes:
    """`image` (h, w, 3 or 4) as PNG, with all its channels."""
    out = io.BytesIO()
    Image.fromarray(image).save(out, "PNG", compress_level=4)
    return out.getvalue()


def webp(image: UInt8) -> bytes:
    """`image` (h, w, 3 or 4) as WebP, near enough for textures; an alpha channel that is opaque throughout is left out."""
    if image.shape[2] == 4 and image[..., 3].min() == 255:
        image = image[..., :3]
    out = io.BytesIO()
    Image.fromarray(image).save(out, "WEBP", quality=_QUALITY, method=4, exact=True)
    return out.getvalue()


def encode(maps: Maps, as_webp: bool = False) -> dict[str, bytes]:
    """The images of `maps` as PNG or WebP: albedo, normal, surface, and translucency and depth where there are any."""
    images = {"albedo": maps.albedo, "normal": maps.normal, "surface": maps.surface}
    for name in ("translucency", "depth"):
        gray: UInt8 | None = getattr(maps, name)
        if gray is not None:
            images[name] = np.repeat(gray[..., None], 3, axis=-1)
    write = webp if as_webp else png
    return {name: write(image) for name, image in images.items()}


def check_size(data: bytes, field_name: str = "image", most: int = MOST_BYTES) -> tuple[int, int]:
    """Width and height of a PNG or JPEG.

    Raises:
        ParameterError: it is of another format, damaged, or too large.
    """
    if len(data) > most:
        raise ParameterError(
            field_name,
            f"has {len(data):,} bytes; the limit is {most:,}",
            limit=f"{most:,} bytes",
        )
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as image:
            width, height = image.size
            if max(width, height) > MOST_SIDE:
                raise ParameterError(
                    field_name,
                    f"is {width} x {height} pixels; the limit is {MOST_SIDE} a side",
                    limit=f"{MOST_SIDE} pixels",
                )
            image.load()
    except ParameterError:
        raise
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise ParameterError(
            field_name,
            f"is no PNG or JPEG that can be read ({type(error).__name__})",
            limit="PNG, JPEG",
        ) from None
    return width, height


def check_image(data: bytes, field_name: str = "image") -> tuple[int, int]:
    """As `check_size`, for an image that repeats: its sides must be powers of two."""
    width, height = check_size(data, field_name)
    for side in (width, height):
        if side & (side - 1) or side < 4:
            raise ParameterError(
                field_name,
                f"is {width} x {height} pixels; sides must be powers of two, so that it repeats",
                limit="4, 8, 16, …",
            )
    return width, height


Load = Callable[[str], bytes]
"""Gives the bytes of an image by its hash."""


@dataclass(frozen=True, slots=True)
class Replaced:
    """A recipe of maps, some of which are images of one's own."""

    base: MapRecipe | None
    images: tuple[tuple[str, str], ...]  #: (map, hash)
    load: Load = field(repr=False, compare=False)

    def draw(self) -> Maps:
        """The images, all as large as the largest."""
        own = {name: read_image(self.load(found), name) for name, found in self.images}
        height = max(image.shape[0] for image in own.values())
        width = max(image.shape[1] for image in own.values())
        maps = self.base.draw() if self.base is not None else _plain()
        height, width = max(height, maps.albedo.shape[0]), max(width, maps.albedo.shape[1])
        whole = {
            n: None if getattr(maps, n) is None else fitted(getattr(maps, n), width, height)
            for n in Maps.__slots__
        }
        out = Maps(**whole)  # type: ignore[arg-type]
        for name, image in own.items():
            fit = fitted(image, width, height)
            if name == "albedo" and fit.shape[2] == 3:
                fit = np.concatenate(
                    [fit, out.albedo[..., 3:]], axis=-1
                )  # an image without alpha keeps the outline
            out = replace(out, **{name: fit if name == "albedo" else fit[..., :3]})
        return out


def read_image(data: bytes, name: str) -> UInt8:
    """(h, w, 3 or 4) the pixels of an image for the map `name`; an albedo keeps its alpha."""
    with Image.open(io.BytesIO(data)) as image:
        alpha = name == "albedo" and (
            image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info
        )
        return np.asarray(image.convert("RGBA" if alpha else "RGB"))


def fitted(image: UInt8, width: int, height: int) -> UInt8:
    """`image` at another size."""
    if image.shape[:2] == (height, width):
        return image
    return np.asarray(Image.fromarray(image).resize((width, height), Image.Resampling.BICUBIC))


def _plain() -> Maps:
    white = np.full((4, 4, 4), 255, np.uint8)
    flat, surface = np.full((4, 4, 3), 255, np.uint8), np.full((4, 4, 3), 255, np.uint8)
    flat[..., :2], surface[..., 2] = 128, 0
    return Maps(white, flat, surface)


def with_images(
    materials: dict[str, Material], images: dict[str, str], load: Load
) -> dict[str, Material]:
    """`materials` with images of one's own: `images` maps ``slot.map`` to a hash."""
    out = dict(materials)
    for slot, material in materials.items():
        own = tuple((name, images[f"{slot}.{name}"]) for name in MAPS if f"{slot}.{name}" in images)
        if own:
            out[slot] = replace(
                material, maps=Replaced(material.maps, own, load), color=(1.0, 1.0, 1.0)
            )
    return out


def jpeg(image: UInt8, quality: int = 86) -> bytes:
    """`image` (h, w, 3) as JPEG."""
    out = io.BytesIO()
    Image.fromarray(image).save(out, "JPEG", quality=quality)
    return out.getvalue()
