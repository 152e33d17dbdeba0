"""Ground: strokes, beds, rays, height maps, each beside a copy of the heights."""

from __future__ import annotations

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.cache import Cache
from plough.core.formats.heights import HeightMap, read_heights, square_of, write_tiff
from plough.core.ground import HeightField, TerrainParameters, TriangleSurface, make_terrain
from plough.core.ground.beds import Bed, with_bed
from plough.core.ground.classes import CLASSES, Painted
from plough.core.ground.erosion import Rain, rained_on, slid
from plough.core.ground.hydrology import hydrology_of
from plough.core.ground.paths import path_curve
from plough.core.ground.splat import splat_squares
from plough.core.ground.strokes import Stroke, with_stroke
from plough.core.library import Library
from plough.core.mesh.value import Mesh, Part
from plough.core.scene.facets import Ground
from plough.core.scene.senses import covered

_COPY = "a copy of the heights"


def triangles_of(field: HeightField) -> TriangleSurface:
    """The samples of a height field, joined by triangles."""
    n = len(field.heights)
    at = np.linspace(-field.size / 2, field.size / 2, n)
    x, z = np.meshgrid(at, at)
    positions = np.stack([x, field.heights, z], axis=-1).reshape(-1, 3).astype(np.float32)
    number = np.arange(n * n).reshape(n, n)
    a, b, c, d = number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]
    faces = np.stack([a, b, c, a, c, d], axis=-1).reshape(-1, 3).astype(np.uint32)
    normals = field.height_and_normal(*positions[:, [0, 2]].T.astype(np.float64))[1]
    flat = np.zeros((n * n, 2), np.float32)
    part = Part("ground", 0, len(faces))
    return TriangleSurface(Mesh(positions, normals.astype(np.float32), flat, faces, (part,)))


def ground_rows(into: Table) -> None:
    """What shapes and reads the ground."""
    field = make_terrain(TerrainParameters(size=1024, resolution=1, relief=14))
    copy = median(field.heights.copy, 30)
    line = tuple((4.0 * k - 60, 12.0 * np.sin(k / 5)) for k in range(30))
    for brush in ("raise", "smooth", "roughen"):
        stroke = Stroke(id="s", brush=brush, radius=20, points=line)  # type: ignore[arg-type]
        taken = median(lambda s=stroke: with_stroke(field, s).key, 15)
        row(into, f"a stroke: {brush}, 120 m, 1025², with its key", taken, _COPY, copy, "≤ 60 ms")
    river = path_curve([(-500, 0), (-200, 80), (0, -60), (250, 50), (500, -10)], 8.0)
    for flow in ("no", "falls", "balanced"):
        bed = Bed(-2.0, 0.7, flow)  # type: ignore[arg-type]
        taken = median(lambda b=bed: with_bed(field, river, b), 9)
        row(into, f"a bed of {river.length:.0f} m, flows: {flow}", taken, _COPY, copy, "≤ 100 ms")
    surface = triangles_of(make_terrain(TerrainParameters(size=1024, resolution=2, relief=14)))
    x, z = np.random.default_rng(1).uniform(-500, 500, (2, 500_000))
    smooth = median(lambda: field.sample(x, z), 5)
    row(
        into,
        f"500,000 places on {surface.triangles:,} triangles",
        median(lambda: surface.sample(x, z), 5),
        "the same on heights",
        smooth,
    )
    rough = make_terrain(TerrainParameters(size=1024, resolution=1, relief=90, roughness=0.5))
    slides = median(lambda: slid(rough, 10, 0.6), 3)
    row(into, "slopes slide, 10 rounds, 1025²", slides, _COPY, copy)
    rained = median(lambda: rained_on(rough, 50_000, Rain(0.3, 0.3), 1), 3)
    row(into, "50,000 drops of rain, 1025²", rained, _COPY, copy)
    row(into, "water followed, 513²", median(lambda: hydrology_of(rough, 0.0), 3), _COPY, copy)
    class_rows(into, field, copy)
    data = write_tiff(field.heights, 1.0)
    row(
        into,
        "a TIFF of 1025² floats read",
        median(lambda: read_heights("a.tif", data)),
        _COPY,
        copy,
    )
    finer = HeightMap(field.heights, True, None, field.heights.shape)  # type: ignore[arg-type]
    row(
        into,
        "and laid out anew, 1501²",
        median(lambda: square_of(finer, 1501, False), 5),
        _COPY,
        copy,
    )


def class_rows(into: Table, field: HeightField, copy: float) -> None:
    """Ground classes over 1 km²: all squares, and those that a stroke of paint touches."""
    library = Library()
    ground = Ground(field, water=0.0)
    whole = median(
        lambda: splat_squares(covered(ground, CLASSES, (), library).cover, field, Cache()), 3
    )
    row(into, "seven classes over 1 km², 1024²", whole, _COPY, copy)
    dabs = iter(np.linspace(-400, 400, 200))

    def paint() -> None:
        at = float(next(dabs))
        stroke = Painted(id="p", paint="sand", radius=12, points=((at, at),))
        splat_squares(covered(ground, CLASSES, (stroke,), library).cover, field, library.cache)

    paint()
    row(into, "and again, one dab of paint more", median(paint, 9), _COPY, copy, "≤ 60 ms")
