"""Small lit pictures of meshes, drawn without a graphics card: for shelves, trays, presets and revisions."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, UInt8
from plough.core.kernels import kernel
from plough.core.mesh.material import Material, as_bytes
from plough.core.mesh.raster import (
    Samples,
    Triangles,
    draw_depth,
    draw_triangles,
    empty_samples,
)
from plough.core.mesh.tone import print_light
from plough.core.mesh.value import Mesh

_OVER = 2  #: samples a pixel, on each axis; `_with_paper` averages as many
_SUN = np.array([-0.27, 0.78, 0.57]) / np.linalg.norm([-0.27, 0.78, 0.57])
# irradiance from the sun on what faces it, and radiance of the sky by height, as the view's sky has them at that hour
_SUN_LIGHT = np.array([17.9, 15.8, 12.9])
_SKY = ((1, 1.0, 1.047, (0.55, 0.68, 0.97)), (3, 0.4, 1.745, (0.62, 0.88, 1.36)))
"""Rings: how many directions, their upward part, the solid angle of each, and radiance."""
_GROUND_LIGHT = np.array([1.55, 1.66, 0.74])  #: irradiance from the ground, on what faces down
_EXPOSURE = 0.535 / math.pi
_OPEN = 0.2  #: of the light of the sky, what comes past every obstacle
_CLEAR = 1.18  #: maps of leaves are drawn as they are seen, which is darker than they are
_THROUGH = np.array([1.05, 1.10, 0.42]) * 0.75  #: what a leaf lets through
_PAPER = np.array([228, 231, 222]) / 255.0
_PITCH, _DOWN = 0.12, 0.85  #: radians by which a picture looks down, and on what lies flat
_FLAT = 0.25  #: of its reach; what is lower lies flat
_SKY_MAP = 176  #: samples a side of the maps that tell where a part of the sky is seen
_CATCHES = 2  #: marks samples of the floor, which only catches the shadow


@dataclass(frozen=True, slots=True)
class Frame:
    """What a picture shows: `half` metres to each side of a middle, and as much up and down as its shape allows."""

    across: float  #: metres from the origin to the middle, to the right
    middle: float  #: metres up to the middle
    half: float
    pitch: float = _PITCH  #: radians by which it looks down
    floor: float = 0.0  #: metres, of the plain floor under all


AZIMUTH = 0.35  #: radians about the vertical from which pictures are taken


def frame_of(meshes: list[Mesh], aspect: float, azimuth: float = AZIMUTH) -> Frame:
    """The one frame that holds each of `meshes` with its shadow; `aspect` is the picture's width by its height.

    What lies flat is looked down upon.
    """
    tall = max(float(m.positions[:, 1].max()) for m in meshes)
    wide = max(float(np.abs(m.positions[:, [0, 2]]).max()) for m in meshes)
    pitch = _PITCH if tall > _FLAT * wide else _DOWN
    right, up, _ = axes(azimuth, pitch)
    seen = [part for m in meshes for part in (m.positions, _shadow(m.positions))]
    sides, heights = [p @ right for p in seen], [p @ up for p in seen]
    low, high = min(float(s.min()) for s in sides), max(float(s.max()) for s in sides)
    bottom, top = min(0.0, *(float(h.min()) for h in heights)), max(float(h.max()) for h in heights)
    half = max(0.54 * (top - bottom) * aspect, 0.54 * (high - low), 0.02)
    # what stands at the origin stays in the middle while there is room
    room = max(0.0, half - 0.54 * (high - low))
    shift = 0.5 * (low + high)
    return Frame(
        shift - min(max(shift, -room), room), 0.5 * (bottom + top) / float(up[1]), half, pitch
    )


def _shadow(positions: Float32) -> Float64:
    """(n, 3) where each of `positions` throws its shadow on the floor."""
    return np.asarray(positions - np.maximum(positions[:, 1:2], 0) / _SUN[1] * _SUN)


def axes(azimuth: float, pitch: float) -> Float64:
    """(3, 3) rows right, up, towards the eye."""
    ca, sa, cp, sp = math.cos(azimuth), math.sin(azimuth), math.cos(pitch), math.sin(pitch)
    return np.array([[ca, 0, -sa], [-sa * sp, cp, -ca * sp], [sa * cp, sp, ca * cp]])


class Lamps(NamedTuple):
    """Lights far away, each with a map of what is nearest to it."""

    maps: Float32  #: (k, n, n) heights towards the light
    axes: Float64  #: (k, 3, 3) rows right, up, towards the light
    light: Float64  #: (k, 3) irradiance on what faces it
    reach: float  #: metres that a map shows to each side of the middle
    bias: float  #: metres by which a thing must be behind another to lie in its shadow


@kernel
def _reaches(lamps: Lamps, k: int, x: float, y: float, z: float, spread: int) -> float:
    """Of the `k`th light, the share that comes to a place; over a square of samples, `spread` to each side."""
    n = lamps.maps.shape[1]
    heights = lamps.maps[k]
    scale = 0.5 * n / lamps.reach
    axes = lamps.axes[k]
    c = int((axes[0, 0] * x + axes[0, 1] * y + axes[0, 2] * z + lamps.reach) * scale)
    r = int((lamps.reach - axes[1, 0] * x - axes[1, 1] * y - axes[1, 2] * z) * scale)
    near = axes[2, 0] * x + axes[2, 1] * y + axes[2, 2] * z + lamps.bias
    if r < spread or c < spread or r >= n - spread or c >= n - spread:
        return 1.0
    seen = 0
    for j in range(r - spread, r + spread + 1):
        for i in range(c - spread, c + spread + 1):
            seen += heights[j, i] <= near
    return seen / (2 * spread + 1) ** 2


@kernel
def _light(
    samples: Samples, soft: UInt8, to_world: Float64, scale: Float64, sun: Lamps, sky: Lamps
) -> None:
    """Light each sample, in place; `scale` maps samples to view metres (x0, dx, y0, dy)."""
    depth, color, normal = samples
    h, w = depth.shape
    light = np.empty(3)
    for r in range(h):
        for c in range(w):
            if depth[r, c] < -1e29:
                continue
            vx, vy, vz = scale[0] + c * scale[1], scale[2] + r * scale[3], depth[r, c]
            x = to_world[0, 0] * vx + to_world[1, 0] * vy + to_world[2, 0] * vz
            y = to_world[0, 1] * vx + to_world[1, 1] * vy + to_world[2, 1] * vz
            z = to_world[0, 2] * vx + to_world[1, 2] * vy + to_world[2, 2] * vz
            wx, wy, wz = 0.0, 1.0, 0.0
            catches, leaf = soft[r, c] == _CATCHES, soft[r, c] == 1
            if not catches:
                nx, ny, nz = normal[r, c, 0], normal[r, c, 1], normal[r, c, 2]
                wx = to_world[0, 0] * nx + to_world[1, 0] * ny + to_world[2, 0] * nz
                wy = to_world[0, 1] * nx + to_world[1, 1] * ny + to_world[2, 1] * nz
                wz = to_world[0, 2] * nx + to_world[1, 2] * ny + to_world[2, 2] * nz
            lit = _reaches(sun, 0, x, y, z, 1)
            facing = wx * sun.axes[0, 2, 0] + wy * sun.axes[0, 2, 1] + wz * sun.axes[0, 2, 2]
            front = 1.0
            if leaf:
                # leaves face all ways, and let through what falls on their back
                t = min(1.0, max(0.0, 0.5 + facing / 1.8))
                front = t * t * (3.0 - 2.0 * t)
                facing = 0.22 + 0.55 * min(1.0, max(0.0, 0.35 + 0.65 * facing))
            facing = max(0.0, facing)
            for k in range(3):
                pass_ = front + (1.0 - front) * _THROUGH[k]
                light[k] = sun.light[0, k] * facing * lit * pass_
                light[k] += _GROUND_LIGHT[k] * (0.5 - 0.5 * wy)
            whole = sun.light[0, 1] * facing
            for s in range(sky.maps.shape[0]):
                toward = wx * sky.axes[s, 2, 0] + wy * sky.axes[s, 2, 1] + wz * sky.axes[s, 2, 2]
                toward = max(0.0, 0.3 + 0.7 * toward if leaf else toward)
                if toward == 0.0:
                    continue
                # on the paper only what stands over it darkens: low parts of the sky throw shadows beyond its edge
                open_ = 1.0
                if not catches:
                    open_ = _OPEN + (1.0 - _OPEN) * _reaches(sky, s, x, y, z, 0)
                elif sky.axes[s, 2, 1] > 0.9:
                    open_ = _reaches(sky, s, x, y, z, 1)
                for k in range(3):
                    light[k] += sky.light[s, k] * toward * open_
                whole += sky.light[s, 1] * toward
            if catches:
                # paper, but for the shadow on it
                shade = 1.0 - 0.5 * (1.0 - min(1.0, light[1] / whole))
                for k in range(3):
                    color[r, c, k] = _PAPER[k] * shade
                continue
            for k in range(3):
                light[k] *= color[r, c, k] ** 2.2 * _EXPOSURE * (_CLEAR if leaf else 1.0)
            color[r, c, 0], color[r, c, 1], color[r, c, 2] = print_light(
                light[0], light[1], light[2]
            )


def small(image: UInt8, most: int) -> UInt8:
    """`image` averaged down to at most `most` pixels a side, as smaller mip levels are."""
    for axis in (0, 1):
        while image.shape[axis] > most:
            pairs = np.moveaxis(image, axis, 0).astype(np.uint16)
            image = np.moveaxis((pairs[0::2] + pairs[1::2] + 1) // 2, 0, axis).astype(np.uint8)
    return np.ascontiguousarray(image)


def draw_picture(
    mesh: Mesh,
    materials: dict[str, Material],
    albedo: dict[str, UInt8],
    frame: Frame,
    size: tuple[int, int],
    azimuth: float = AZIMUTH,
) -> UInt8:
    """(h, w, 3) sRGB picture of `mesh` on a plain floor, lit by sun and sky, with its shadow.

    Args:
        albedo: the image of each slot, (th, tw, 4), its plain colour included.
        size: width and height in pixels.
        azimuth: radians about the vertical from which it is seen.
    """
    w, h = size[0] * _OVER, size[1] * _OVER
    view = axes(azimuth, frame.pitch)
    high = frame.half * h / w
    middle = frame.across * axes(azimuth, 0.0)[0] + (0.0, frame.middle, 0.0)
    p = mesh.positions.astype(np.float64) - middle
    floor_y = frame.floor - frame.middle
    points = p @ view.T
    per_metre = w / (2 * frame.half)
    screen = np.stack(
        [(points[:, 0] + frame.half) * per_metre, (high - points[:, 1]) * per_metre, points[:, 2]],
        axis=1,
    ).astype(np.float32)
    normals = (mesh.normals.astype(np.float64) @ view.T).astype(np.float32)
    samples, tint = empty_samples(h, w), mesh.tint
    soft = np.zeros((h, w), np.uint8)
    for part in mesh.parts:
        rows = mesh.indices[part.first : part.first + part.count]
        material = materials[part.material]
        before = samples.depth.copy()
        triangles = Triangles(screen, normals, mesh.uv0, tint, rows)
        draw_triangles(triangles, albedo[part.material], material.cutout, samples, (0, h))
        soft[samples.depth > before] = material.cutout
    soft[_floor(view, floor_y, frame.half, high, samples.depth)] = _CATCHES
    shown = Shown(p, mesh, materials, albedo)
    to_sun = axes(math.atan2(_SUN[0], _SUN[2]), math.asin(_SUN[1]))
    margin = 0.012 * frame.half
    sun = _lamps(shown, to_sun[None], _SUN_LIGHT[None], min(1024, max(w, h)), margin)
    ring = [
        (axes(math.tau * (k / count + 0.07), math.asin(up)), angle * np.array(radiance))
        for count, up, angle, radiance in _SKY
        for k in range(count)
    ]
    sky_axes, sky_light = (np.stack([pair[i] for pair in ring]) for i in (0, 1))
    sky = _lamps(shown, sky_axes, sky_light, _SKY_MAP, 2 * margin)
    corner = np.array([-frame.half, 1 / per_metre, high, -1 / per_metre])
    _light(samples, soft, view, corner, sun, sky)
    return _with_paper(samples.color, samples.depth)


class Shown(NamedTuple):
    """What throws shadows."""

    points: Float64  #: (n, 3) metres from the picture's middle
    mesh: Mesh
    materials: dict[str, Material]
    albedo: dict[str, UInt8]


def _lamps(shown: Shown, axes: Float64, light: Float64, n: int, margin: float) -> Lamps:
    """Lights from directions (k, 3, 3) with maps of `n` x `n` samples."""
    points, mesh, materials, albedo = shown
    seen = np.einsum("kij,nj->kni", axes, points)
    reach = 1.1 * float(np.abs(seen[..., :2]).max(initial=0.1)) + 1e-3
    scale = n / (2 * reach)
    maps = np.full((len(axes), n, n), -1e30, np.float32)
    for at, heights in zip(seen, maps, strict=True):
        x, y, z = at.T
        flat = np.stack([(x + reach) * scale, (reach - y) * scale, z], axis=1).astype(np.float32)
        for part in mesh.parts:
            rows = mesh.indices[part.first : part.first + part.count]
            cutout = materials[part.material].cutout
            draw_depth(flat, mesh.uv0, rows, albedo[part.material], cutout, heights)
    return Lamps(maps, np.ascontiguousarray(axes), light, reach, margin + 2.0 / scale)


def _floor(view: Float64, y: float, half: float, high: float, depth: Float32) -> Bool:
    """Put a level plane at height `y` behind everything drawn so far; the samples that show it."""
    h = depth.shape[0]
    rows = high - (np.arange(h) + 0.5) * (2 * high / h)
    # the plane holds up . x = y: along the view axes, y = rows * view[1, 1] + depth * view[2, 1]
    far = ((y - rows * view[1, 1]) / view[2, 1]).astype(np.float32)
    empty = (depth < far[:, None]) & (np.abs(far) < 6 * half)[:, None]
    depth[empty] = np.broadcast_to(far[:, None], depth.shape)[empty]
    return np.asarray(empty)


def _with_paper(color: Float32, depth: Float32) -> UInt8:
    empty = depth < -1e29
    color[empty] = _PAPER
    out = color[0::2, 0::2] + color[1::2, 0::2] + color[0::2, 1::2] + color[1::2, 1::2]
    return as_bytes(0.25 * out)
