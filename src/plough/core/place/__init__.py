"""Placement: candidates by priority sampling, and the rules that turn them into placements, tile by tile."""

from plough.core.place.placements import PlacedTile, Placements, joined
from plough.core.place.rules import ScatterRule, scatter
from plough.core.place.sampling import Points, sample

__all__ = ["PlacedTile", "Placements", "Points", "ScatterRule", "joined", "sample", "scatter"]
