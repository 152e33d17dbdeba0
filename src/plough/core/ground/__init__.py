"""The ground: height fields made of noise, the surface at any point, polygons and paths on it."""

from plough.core.ground.heightfield import HeightField, TerrainParameters, make_terrain, terrain_mesh

__all__ = ["HeightField", "TerrainParameters", "make_terrain", "terrain_mesh"]
