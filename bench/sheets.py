"""Maps drawn from a fine mesh onto few triangles, and coordinates for light maps.

A part of ``./plough bench bake``.
"""

from __future__ import annotations

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.library import Library
from plough.core.library.variants import variant_of
from plough.core.mesh.lightmap import with_light
from plough.core.mesh.rays import tree_of
from plough.core.mesh.sheet import make_sheet

_SIZE = 1024


def sheet_rows(into: Table) -> None:
    """A boulder of 12,000 triangles on 1,500, and light maps of what has 40,000."""

    def asked(rays: int) -> float:
        sheet = {"size": str(_SIZE), "triangles": 1500, "rays": rays}
        parameters = {"triangles": 12_000, "cracks": 3, "game": {"sheet": sheet}}
        variant = variant_of("a", "A", "rock", parameters, 3, {})
        library = Library()
        found = library._cut(variant, None)
        assert found is not None
        product, rule, cut = found
        images = library._images(product)
        make = lambda: make_sheet(cut, product.materials, images, rule, 0, "")  # noqa: E731
        return median(make, 3)

    mesh = Library().level(variant_of("a", "A", "rock", {"triangles": 12_000}, 3, {}), 0).mesh
    tree = tree_of(mesh.positions, mesh.indices)
    way = np.random.default_rng(1).normal(size=(_SIZE**2, 3)).astype(np.float32)
    start = np.ascontiguousarray(-3.0 * way)
    rays = median(lambda: tree.run(start, way), 3)
    yardstick = "a ray for each texel, one thread"
    bare, shaded = asked(0), asked(16)
    row(into, "a boulder on a sheet of 1,024, without its shade", bare, yardstick, rays)
    row(into, "  and with it, 16 rays", shaded, yardstick, rays)
    large = Library().level(variant_of("a", "A", "rock", {"triangles": 40_000}, 3, {}), 0).mesh
    copy = median(lambda: np.take(large.positions, large.indices, axis=0), 5)
    light = median(lambda: with_light(large, 20.0), 3)
    row(into, "a light map of 40,000 triangles", light, "their corners, gathered", copy)
