"""PNG images of material maps."""

from __future__ import annotations

import io

from PIL import Image

from plough.core.arrays import UInt8
from plough.core.mesh.material import Maps


def png(image: UInt8) -> bytes:
    """`image` (h, w, 3 or 4) as PNG; an alpha channel that is opaque throughout is left out."""
    if image.shape[2] == 4 and image[..., 3].min() == 255:
        image = image[..., :3]
    out = io.BytesIO()
    Image.fromarray(image).save(out, "PNG", compress_level=4)
    return out.getvalue()


def encode(maps: Maps) -> dict[str, bytes]:
    """The three images of `maps` as PNG: albedo, normal, surface."""
    return {"albedo": png(maps.albedo), "normal": png(maps.normal), "surface": png(maps.surface)}
