"""PNG images of material maps."""

from __future__ import annotations

import io

import numpy as np
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
    """The images of `maps` as PNG: albedo, normal, surface, and translucency and depth where there are any."""
    images = {"albedo": maps.albedo, "normal": maps.normal, "surface": maps.surface}
    for name in ("translucency", "depth"):
        gray: UInt8 | None = getattr(maps, name)
        if gray is not None:
            images[name] = np.repeat(gray[..., None], 3, axis=-1)
    return {name: png(image) for name, image in images.items()}
