"""Small lit pictures of meshes, drawn without a graphics card: for shelves, trays, presets and revisions."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, UInt8
from plough.core.kernels import kernel
from plough.core.mesh.material import Material, as_bytes
from plough.core.mesh.raster import Samples, Triangles, draw_depth, draw_triangles
from plough.core.mesh.value import Mesh

_OVER = 2  #: samples a pixel, on each axis; `_with_paper` averages as many
_SUN = np.array([-0.27, 0.78, 0.57]) / np.linalg.norm([-0.27, 0.78, 0.57])
_SUN_LIGHT = np.array([1.75, 1.62, 1.38])
_SKY_LIGHT = np.array([0.50, 0.56, 0.62])
_GROUND_LIGHT = np.array([0.26, 0.24, 0.19])
_PAPER = np.array([228, 231, 222]) / 255.0
_PITCH = 0.12
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
    """The one frame that holds each of `meshes` with its shadow; `aspect` is the picture's width by its height."""
    right, up, _ = axes(azimuth, _PITCH)
    seen = [part for m in meshes for part in (m.positions, _shadow(m.positions))]
    sides, heights = [p @ right for p in seen], [p @ up for p in seen]
    low, high = min(float(s.min()) for s in sides), max(float(s.max()) for s in sides)
    bottom, top = min(0.0, *(float(h.min()) for h in heights)), max(float(h.max()) for h in heights)
    half = max(0.54 * (top - bottom) * aspect, 0.54 * (high - low), 0.02)
    # what stands at the origin stays in the middle while there is room
    room = max(0.0, half - 0.54 * (high - low))
    shift = 0.5 * (low + high)
    return Frame(shift - min(max(shift, -room), room), 0.5 * (bottom + top) / float(up[1]), half)


def _shadow(positions: Float32) -> Float64:
    """(n, 3) where each of `positions` throws its shadow on the floor."""
    return np.asarray(positions - np.maximum(positions[:, 1:2], 0) / _SUN[1] * _SUN)


def axes(azimuth: float, pitch: float) -> Float64:
    """(3, 3) rows right, up, towards the eye."""
    ca, sa, cp, sp = math.cos(azimuth), math.sin(azimuth), math.cos(pitch), math.sin(pitch)
    return np.array([[ca, 0, -sa], [-sa * sp, cp, -ca * sp], [sa * cp, sp, ca * cp]])


@kernel
def _light(
    color: Float32,
    normal: Float32,
    depth: Float32,
    soft: UInt8,
    shadow: Float32,
    to_world: Float64,
    to_sun: Float64,
    scale: Float64,
    sun_view: Float64,
    sun: Float64,
    sun_light: Float64,
    sky: Float64,
    ground: Float64,
    paper: Float64,
    bias: float,
) -> None:
    """Light each sample, in place; `scale` maps samples to view metres (x0, dx, y0, dy), `sun_view` metres to shadow samples."""
    h, w = depth.shape
    n = shadow.shape[0]
    for r in range(h):
        for c in range(w):
            if depth[r, c] < -1e29:
                continue
            vx, vy, vz = scale[0] + c * scale[1], scale[2] + r * scale[3], depth[r, c]
            x = to_world[0, 0] * vx + to_world[1, 0] * vy + to_world[2, 0] * vz
            y = to_world[0, 1] * vx + to_world[1, 1] * vy + to_world[2, 1] * vz
            z = to_world[0, 2] * vx + to_world[1, 2] * vy + to_world[2, 2] * vz
            sx = (to_sun[0, 0] * x + to_sun[0, 1] * y + to_sun[0, 2] * z) * sun_view[0] + sun_view[
                1
            ]
            sy = (
                sun_view[2] - (to_sun[1, 0] * x + to_sun[1, 1] * y + to_sun[1, 2] * z) * sun_view[0]
            )
            sz = to_sun[2, 0] * x + to_sun[2, 1] * y + to_sun[2, 2] * z
            lit, taken = 0.0, 0.0
            for j in range(-1, 2):
                for i in range(-1, 2):
                    p, q = int(sy) + j, int(sx) + i
                    taken += 1.0
                    if p < 0 or q < 0 or p >= n or q >= n or shadow[p, q] <= sz + bias:
                        lit += 1.0
            lit /= taken
            if soft[r, c] == _CATCHES:
                # paper, but for the shadow on it
                shade = 1.0 - 0.42 * (1.0 - lit)
                for k in range(3):
                    color[r, c, k] = paper[k] * shade
                continue
            nx, ny, nz = normal[r, c, 0], normal[r, c, 1], normal[r, c, 2]
            wx = to_world[0, 0] * nx + to_world[1, 0] * ny + to_world[2, 0] * nz
            wy = to_world[0, 1] * nx + to_world[1, 1] * ny + to_world[2, 1] * nz
            wz = to_world[0, 2] * nx + to_world[1, 2] * ny + to_world[2, 2] * nz
            facing = wx * sun[0] + wy * sun[1] + wz * sun[2]
            if soft[r, c]:
                facing = max(0.0, (facing + 0.35) / 1.35)
                lit = 0.30 + 0.70 * lit
            facing = max(0.0, facing)
            up = 0.5 + 0.5 * wy
            for k in range(3):
                light = sun_light[k] * facing * lit + sky[k] * up + ground[k] * (1.0 - up)
                v = color[r, c, k] ** 2.2 * light
                v = v * (1.0 + v * 0.06) / (1.0 + v * 0.45)  # a gentle shoulder
                color[r, c, k] = max(0.0, v) ** 0.4545


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
    colors = mesh.colors if mesh.colors is not None else np.full((mesh.vertices, 4), 255, np.uint8)
    depth = np.full((h, w), -1e30, np.float32)
    color, normal = np.zeros((h, w, 3), np.float32), np.zeros((h, w, 3), np.float32)
    soft = np.zeros((h, w), np.uint8)
    samples = Samples(depth, color, normal)
    for part in mesh.parts:
        rows = mesh.indices[part.first : part.first + part.count]
        material = materials[part.material]
        before = depth.copy()
        triangles = Triangles(screen, normals, mesh.uv0, colors, rows)
        draw_triangles(triangles, albedo[part.material], material.cutout, samples, (0, h))
        drawn = depth > before
        soft[drawn] = material.cutout
    soft[_floor(view, floor_y, frame.half, high, depth)] = _CATCHES
    # as seen from the sun
    to_sun = axes(math.atan2(_SUN[0], _SUN[2]), math.asin(_SUN[1]))
    lit = p @ to_sun.T
    reach = 1.1 * float(np.abs(lit[:, :2]).max(initial=0.1)) + 1e-3
    n = min(1024, max(w, h))
    scale = n / (2 * reach)
    seen = np.stack(
        [(lit[:, 0] + reach) * scale, (reach - lit[:, 1]) * scale, lit[:, 2]], axis=1
    ).astype(np.float32)
    shadow = np.full((n, n), -1e30, np.float32)
    for part in mesh.parts:
        rows = mesh.indices[part.first : part.first + part.count]
        draw_depth(
            seen,
            mesh.uv0,
            rows,
            albedo[part.material],
            materials[part.material].cutout,
            shadow,
        )
    _light(
        color,
        normal,
        depth,
        soft,
        shadow,
        view,
        to_sun,
        np.array([-frame.half, 1 / per_metre, high, -1 / per_metre]),
        np.array([scale, reach * scale, reach * scale]),
        _SUN,
        _SUN_LIGHT,
        _SKY_LIGHT,
        _GROUND_LIGHT,
        _PAPER,
        -0.012 * frame.half - 2.0 / scale,
    )
    return _with_paper(color, depth)


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
