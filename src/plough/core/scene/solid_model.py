"""What is laid along a line as a mesh of its own, which can be set down anywhere, fused and written."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plough.core.errors import ParameterError, TooLargeError
from plough.core.formats.images import png
from plough.core.formats.meshes import MOST_TRIANGLES
from plough.core.formats.model import Covering, Model, Piece
from plough.core.ground.surface import Surface
from plough.core.mesh.material import Material
from plough.core.mesh.value import run_of
from plough.core.scene.facets import Solid


def model_of(solids: Sequence[Solid], surface: Surface) -> Model:
    """Solids as a mesh in metres, about the middle of them, on the ground there.

    Raises:
        ParameterError: there are none.
        TooLargeError: they have more triangles than a mesh may have.
    """
    if not solids:
        raise ParameterError("layer", "nothing of it stands yet; draw its line first")
    total = sum(s.mesh.triangles for s in solids)
    if total > MOST_TRIANGLES:
        text = f"it has {total:,} triangles; a mesh may have {MOST_TRIANGLES:,}: make it shorter"
        raise TooLargeError("layer", text, limit=f"{MOST_TRIANGLES:,} triangles", value=total)
    corners = np.concatenate([b[None] for s in solids for b in s.mesh.bounds()])
    middle = 0.5 * (corners.min(axis=0) + corners.max(axis=0)).astype(np.float64)
    ground = surface.sample(middle[:1].copy(), middle[2:].copy())
    middle[1] = ground.position[0, 1] if ground.hit[0] else float(corners[:, 1].min())
    materials: dict[str, Material] = {}
    for solid in solids:
        for slot, material in solid.materials.items():
            materials.setdefault(slot, material)
    slots = list(materials)
    pieces = []
    for solid in solids:
        for part in solid.mesh.parts:
            own = run_of(solid.mesh, part.first, part.count)
            pieces.append(
                Piece(
                    f"{solid.name} {part.material}",
                    slots.index(part.material),
                    (own.positions - middle).astype(np.float32),
                    own.indices,
                    own.normals,
                    own.uv0,
                    colors=own.colors,
                )
            )
    return Model("plough", tuple(pieces), tuple(_covering(n, m) for n, m in materials.items()))


def _covering(slot: str, material: Material) -> Covering:
    images = {}
    if material.maps is not None:
        maps = material.maps.draw()
        images = {
            "albedo": png(maps.albedo),
            "normal": png(maps.normal),
            "surface": png(maps.surface),
        }
    return Covering(
        slot,
        material.color,
        roughness=material.roughness,
        metallic=material.metallic,
        alpha="mask" if material.cutout else "opaque",
        images=images,
    )
