"""The ground: surfaces to stand on, height fields made of noise, polygons and paths on the map."""

from plough.core.ground.heightfield import (
    HeightField,
    TerrainParameters,
    make_terrain,
)
from plough.core.ground.surface import Hits, Samples, Surface

__all__ = [
    "HeightField",
    "Hits",
    "Samples",
    "Surface",
    "TerrainParameters",
    "make_terrain",
]
