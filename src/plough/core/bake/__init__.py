"""The bake: geometry for games, from an evaluated scene."""

from plough.core.bake.bundle import BakeResult, bake

__all__ = ["BakeResult", "bake"]
