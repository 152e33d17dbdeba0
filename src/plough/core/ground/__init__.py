"""The ground: surfaces to stand on, height fields made of noise, polygons and paths on the map."""

from plough.core.ground.heightfield import HeightField
from plough.core.ground.surface import Hits, Samples, Surface
from plough.core.ground.terrain import TerrainParameters, make_terrain
from plough.core.ground.triangles import TriangleSurface

__all__ = [
    "HeightField",
    "Hits",
    "Samples",
    "Surface",
    "TerrainParameters",
    "TriangleSurface",
    "make_terrain",
]
