"""What stands in a mirror: products with left and right exchanged."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plough.core.collider import Capsule, Collider
from plough.core.kinds import Product
from plough.core.lamp import Lamp
from plough.core.mesh.value import Mesh

_OVER = np.array([-1.0, 1.0, 1.0], np.float32)


def _over(at: tuple[float, float, float]) -> tuple[float, float, float]:
    return -at[0], at[1], at[2]


def mirrored_mesh(mesh: Mesh) -> Mesh:
    """`mesh` with x turned over; triangles still run counter-clockwise, and normal maps keep their sense."""
    tangents = mesh.tangents
    return replace(
        mesh,
        positions=mesh.positions * _OVER,
        normals=mesh.normals * _OVER,
        indices=np.ascontiguousarray(mesh.indices[:, ::-1]),
        tangents=None if tangents is None else tangents * np.append(_OVER, np.float32(-1)),
    )


def _body(collider: Collider) -> Collider:
    capsules = tuple(Capsule(_over(c.start), _over(c.end), c.radius) for c in collider.capsules)
    pieces = tuple(piece * _OVER for piece in collider.pieces)
    return replace(collider, capsules=capsules, pieces=pieces)


def _lamp(lamp: Lamp) -> Lamp:
    return replace(lamp, position=_over(lamp.position))


def mirrored(product: Product) -> Product:
    """`product` with left and right exchanged: its mesh, its collider, its lamps and its base."""
    base = product.base
    return replace(
        product,
        mesh=mirrored_mesh(product.mesh),
        collider=_body(product.collider),
        lamps=tuple(map(_lamp, product.lamps)),
        base=base and replace(base, outline=(base.outline * [-1.0, 1.0])[::-1]),
    )
