"""Room between crowns, contour lines, and what stands along paths."""

from __future__ import annotations

import math
import time
from dataclasses import replace

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.cache import Cache
from plough.core.ground import TerrainParameters, make_terrain
from plough.core.ground.paths import path_curve
from plough.core.place import ScatterRule, scatter
from plough.core.place.along import AlongRule, pushed_apart, stations
from plough.core.place.pose import Pose
from plough.core.place.room import Room, with_room
from plough.core.place.rules import Pattern
from plough.core.place.standing import Stand

_YARDSTICK = "one pass of numpy.sqrt over 10 M"


def room_rows(into: Table) -> None:
    """Crowns that keep apart, on contour lines, and along a path."""
    field = make_terrain(TerrainParameters(size=1024, resolution=2, relief=30, feature=220, seed=3))
    numbers = np.arange(10_000_000, dtype=np.float64)
    passes = median(lambda: np.sqrt(numbers), 5)
    rule = ScatterRule(seed=5, spacing=2.6, fill=1.0, pose=Pose(size_low=0.6, size_high=1.6))
    offered = scatter(rule, field)
    count = sum(t.placements.count for t in offered)
    room = Room(np.zeros(1, np.float32), np.array([1.8], np.float32), 2.9)
    with_room(offered[:9], room, Cache())  # the kernel is there
    cache = Cache()
    began = time.perf_counter()
    with_room(offered, room, cache)
    cold = time.perf_counter() - began
    row(into, f"room for the crowns of {count:,}, cold", cold, _YARDSTICK, passes)
    warm = median(lambda: with_room(offered, room, cache), 5)
    row(into, "the same, nothing changed", warm, "the same, cold", cold)
    lawn = scatter(replace(rule, spacing=1.9), field)
    wide = scatter(ScatterRule(seed=6, spacing=90.0, fill=0.6), field)
    stands = [Stand(lawn, np.array([0.1])), Stand(wide, np.array([20.0]))]
    clear = median(lambda: scatter(replace(rule, apart=0.2), field, stands), 3)
    crowns = sum(t.placements.count for t in wide)
    row(into, f"clear of {crowns} wide crowns and a lawn, cold", clear, _YARDSTICK, passes)
    lines = replace(rule, pattern=Pattern("contours", 1.0))
    row(
        into, "on contour lines, cold", median(lambda: scatter(lines, field), 3), _YARDSTICK, passes
    )
    along = AlongRule(seed=5, spacing=0.5, sides="both", rows=4, cluster=3, radius=0.4)
    curve = path_curve([(-500 + 50.0 * k, 60.0 * math.sin(k)) for k in range(21)])
    found = stations(along, "path", curve)
    took = median(lambda: stations(along, "path", curve), 5)
    row(into, f"{len(found.x):,} stations along a path", took, _YARDSTICK, passes)
    radius, rank = np.full(3000, 0.3, np.float32), np.linspace(0, 1, 3000)
    x, z = found.x[:3000], found.z[:3000]
    pushed = median(lambda: pushed_apart(x, z, radius, rank), 3)
    row(into, "3,000 of them pushed apart", pushed, _YARDSTICK, passes)
