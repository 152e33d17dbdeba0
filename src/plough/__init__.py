"""Plough: grow, place and bake environments for games."""

__version__ = "0.1.0"
