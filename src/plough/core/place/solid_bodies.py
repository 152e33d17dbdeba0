"""Bodies that a product is taken for."""

from __future__ import annotations

import numpy as np

from plough.core.kinds import Product
from plough.core.mesh.convex import MOST_CORNERS, hull_of
from plough.core.place.bodies import Body


def solid_bodies(product: Product) -> tuple[Body, ...]:
    """Those of its collider."""
    collider = product.collider
    rods = (Body(np.array([c.start, c.end]), c.radius) for c in collider.capsules)
    return (*rods, *(Body(piece.astype(np.float64)) for piece in collider.pieces))


def hull_body(product: Product) -> Body:
    """Its hull, which carries others and stops nothing."""
    corners = hull_of(product.mesh.positions.astype(np.float64), MOST_CORNERS)[0]
    return Body(corners.astype(np.float64), 0.0, False)
