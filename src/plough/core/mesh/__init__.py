"""The mesh value and what acts on meshes: sweeps, normals, tangents, joining, checks.

A `Mesh` is a structure of named arrays, immutable by convention; functions return new ones.
"""

from plough.core.mesh.value import Mesh, Part, join, transformed

__all__ = ["Mesh", "Part", "join", "transformed"]
