"""Placement: points by priority sampling, and the rules that turn points into placements."""

from plough.core.place.rules import Placements, ScatterRule, scatter
from plough.core.place.sampling import Points, sample

__all__ = ["Placements", "Points", "ScatterRule", "sample", "scatter"]
