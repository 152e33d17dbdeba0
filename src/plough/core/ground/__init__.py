"""The ground: surfaces to stand on, height fields made of noise, polygons and paths on the map."""

from plough.core.ground.heightfield import HeightField
from plough.core.ground.surface import Hits, Samples, Surface
from plough.core.ground.terrain import TerrainParameters, make_terrain

__all__ = [
    "HeightField",
    "Hits",
    "Samples",
    "Surface",
    "TerrainParameters",
    "make_terrain",
]
