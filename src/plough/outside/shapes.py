"""Meshes of the stand-in: stones, timber and things of the quay, each made of a few solids."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import trimesh
from trimesh import Trimesh, transformations

from plough.core.arrays import Float64
from plough.core.formats.model import Covering, Model, Piece
from plough.core.noise import layered, octaves_of
from plough.core.rng import seed_for, stream, uniform_array

_DRAWN = stream("stand-in.drawn")
Point = tuple[float, float, float]
_turning: Any = transformations.rotation_matrix
_ALONG = {"x": (0, math.pi / 2), "y": (-math.pi / 2, 0), "z": (0, 0)}
WOOD, STONE, IRON, ROPE = range(4)
COVERINGS = (
    Covering("weathered wood", roughness=0.9),
    Covering("drift stone", roughness=0.92),
    Covering("iron", (0.055, 0.05, 0.047), roughness=0.6),
    Covering("rope", (0.36, 0.29, 0.18), roughness=1.0),
)


def box(size: Point, at: Point, turn: float = 0.0, axis: Point = (0, 1, 0)) -> Trimesh:
    """A box of `size` about `at`, turned by `turn` degrees."""
    made: Trimesh = trimesh.creation.box(size)
    made.apply_transform(_turning(math.radians(turn), axis))
    made.apply_translation(at)
    return made


def rod(radius: float, length: float, at: Point, along: str = "y", sides: int = 16) -> Trimesh:
    """A round bar about `at`."""
    made: Trimesh = trimesh.creation.cylinder(radius, length, sections=sides)
    for angle, axis in zip(_ALONG[along], ((1, 0, 0), (0, 1, 0)), strict=True):
        made.apply_transform(_turning(angle, axis))
    made.apply_translation(at)
    return made


def turned(profile: Sequence[tuple[float, float]], sides: int = 28) -> Trimesh:
    """A body of radii and heights in metres, turned about the upright axis."""
    made: Trimesh = trimesh.creation.revolve(np.array(profile), sections=sides)
    made.apply_transform(_turning(-math.pi / 2, (1, 0, 0)))
    return made


def ring(radius: float, thick: float, at: Point) -> Trimesh:
    """A level ring."""
    made: Trimesh = trimesh.creation.torus(radius, thick, major_sections=28, minor_sections=8)
    made.apply_transform(_turning(math.pi / 2, (1, 0, 0)))
    made.apply_translation(at)
    return made


def _draws(name: str, width: int, count: int) -> Float64:
    seed = int(seed_for(11, name))
    drawn = uniform_array(seed, _DRAWN, np.arange(width * count, dtype=np.uint64))
    return drawn.reshape(count, width)


def stone(
    name: str, size: Point, rough: float, cuts: int, detail: int = 4, dressed: float = 0.0
) -> Trimesh:
    """A stone that ice has worn: a ball under noise, with flat faces where it broke; `dressed` makes a block of it."""
    ball = trimesh.creation.icosphere(detail)
    points: Float64 = np.array(ball.vertices)
    points += dressed * (points / np.abs(points).max(axis=1, keepdims=True) - points)
    seed = seed_for(11, f"stone.{name}")
    for x, y, z, deep in _draws(f"{name}.cuts", 4, cuts):
        way = np.array([x - 0.5, 0.8 * (y - 0.35), z - 0.5])
        way /= np.linalg.norm(way)
        over = np.maximum(points @ way - (0.62 + 0.3 * deep), 0.0)
        points -= 0.9 * over[:, None] * way
    broad, fine = octaves_of(seed_for(11, f"{name}.broad"), 3), octaves_of(seed, 4)
    for k, p in enumerate(points):
        swell = layered(broad, 1.3 * p[0] + p[1], 1.3 * p[2] - p[1], 0.5, 0.0)
        grain = layered(fine, 5.0 * p[0] + 3.1 * p[1], 5.0 * p[2] - 2.7 * p[1], 0.55, 0.4)
        points[k] = p * (1.0 + rough * swell + 0.16 * rough * grain)
    points[:, 1] = np.maximum(points[:, 1], -0.66 + 0.04 * points[:, 0])  # what it lies on
    points *= np.array(size) / 2.0
    points[:, 1] -= points[:, 1].min() + 0.04 * size[1]
    return Trimesh(points, ball.faces, process=False)


Group = Sequence[tuple[str, int, Sequence[Trimesh]]]


def _planks(count: int, width: float, long: float, thick: float, up: float) -> list[Trimesh]:
    """Planks side by side along x, none quite like its neighbour."""
    out = []
    for k, (a, b, c) in enumerate(_draws("planks", 3, count) - 0.5):
        x = (k + 0.5 - count / 2) * width
        out.append(
            box(
                (0.93 * width, thick, long * (1 + 0.06 * a)), (x, up + 0.012 * b, 0.05 * c), 1.6 * c
            )
        )
    return out


def _post() -> Group:
    shaft = turned([(0, 0), (0.15, 0), (0.145, 1.0), (0.13, 1.36), (0.1, 1.43), (0, 1.45)], 20)
    rope = [ring(0.155 + 0.004 * (k % 2), 0.018, (0, 0.86 + 0.034 * k, 0)) for k in range(4)]
    return [("post", WOOD, [shaft]), ("rope", ROPE, rope)]


def _trough() -> Group:
    walls = [
        box((1.5, 0.16, 0.62), (0, 0.08, 0)),
        *(box((1.5, 0.36, 0.1), (0, 0.34, s * 0.26)) for s in (-1, 1)),
        *(box((0.12, 0.36, 0.42), (s * 0.69, 0.34, 0)) for s in (-1, 1)),
    ]
    return [("trough", STONE, walls)]


def _crate() -> Group:
    boards, half = [], 0.36
    for k in range(4):
        y = 0.09 + 0.18 * k
        boards += [box((0.76, 0.165, 0.022), (0, y, s * half)) for s in (-1, 1)]
        boards += [box((0.022, 0.165, 0.72), (s * half, y, 0)) for s in (-1, 1)]
        boards.append(box((0.72, 0.022, 0.165), (0, 0.03, -0.27 + 0.18 * k)))
    corners = [
        box((0.06, 0.72, 0.06), (s * 0.33, 0.36, t * 0.33)) for s in (-1, 1) for t in (-1, 1)
    ]
    return [("boards", WOOD, boards), ("corners", WOOD, corners)]


def _barrel() -> Group:
    t = np.linspace(0, 1, 11)
    radius = 0.26 + 0.075 * np.sin(np.pi * t)
    inside = [(0.0, 0.84), (0.235, 0.84), (0.25, 0.9)]
    profile = [(0.0, 0.0), *zip(radius.tolist(), (0.9 * t).tolist(), strict=True), *inside[::-1]]
    hoops = [
        turned([(r + 0.001, y), (r + 0.008, y), (r + 0.008, y + 0.05), (r + 0.001, y + 0.05)])
        for r, y in ((0.268, 0.04), (0.316, 0.24), (0.316, 0.61), (0.268, 0.81))
    ]
    return [("staves", WOOD, [turned(profile)]), ("hoops", IRON, hoops)]


def _stage() -> Group:
    deck = _planks(14, 0.2, 1.7, 0.045, 0.82)
    beams = [box((2.8, 0.14, 0.1), (0, 0.73, z)) for z in (-0.6, 0.6)]
    posts = [
        rod(0.075, 2.2, (x, 0.1, z), sides=12) for x in (-1.25, 0, 1.25) for z in (-0.66, 0.66)
    ]
    return [("deck", WOOD, deck), ("beams", WOOD, beams), ("posts", WOOD, posts)]


def _gate() -> Group:
    rails = [box((2.9, 0.075, 0.03), (0, y, 0)) for y in (0.25, 0.45, 0.67, 0.92, 1.2)]
    stiles = [box((0.08, 1.1, 0.06), (x, 0.75, 0)) for x in (-1.42, 1.42)]
    brace = math.degrees(math.atan2(0.95, 2.8))
    braces = [box((2.98, 0.075, 0.03), (0, 0.72, 0.03), brace, (0, 0, 1))]
    posts = [
        turned([(0, 0), (0.11, 0), (0.1, 1.45), (0.06, 1.52), (0, 1.53)], 14).apply_translation(
            (x, 0, 0)
        )
        for x in (-1.62, 1.62)
    ]
    hinges = [box((0.5, 0.04, 0.012), (-1.28, y, 0.035)) for y in (0.45, 1.2)]
    return [
        ("rails", WOOD, rails + stiles + braces),
        ("posts", WOOD, posts),
        ("hinges", IRON, hinges),
    ]


def _ladder() -> Group:
    rails = [box((0.06, 2.6, 0.035), (x, 1.3, 0)) for x in (-0.22, 0.22)]
    rungs = [rod(0.018, 0.44, (0, 0.25 + 0.3 * k, 0), "x", 10) for k in range(8)]
    return [("rails", WOOD, rails), ("rungs", WOOD, rungs)]


def _milestone() -> Group:
    block = stone("milestone", (0.52, 1.1, 0.24), 0.02, 0, 4, 0.88)
    foot = stone("milestone foot", (0.9, 0.3, 0.62), 0.12, 4, 3, 0.3)
    return [("stone", STONE, [block]), ("foot", STONE, [foot])]


def _punt() -> Group:
    stations = np.linspace(-1, 1, 15)
    wide, rise = 0.52 * (1 - 0.55 * np.abs(stations) ** 3), 0.26 * np.abs(stations) ** 4
    rows = []
    for s, w, up in zip(stations, wide, rise, strict=True):
        outer = [(-w - 0.06, 0.36), (-w, 0.02), (w, 0.02), (w + 0.06, 0.36)]
        inner = [(w + 0.02, 0.36), (w - 0.04, 0.06), (-w + 0.04, 0.06), (-w - 0.02, 0.36)]
        rows.append([(x, y + up, 2.1 * s) for x, y in outer + inner])
    n, faces = 8, []
    for r in range(len(rows) - 1):
        for k in range(n):
            a, b = r * n + k, r * n + (k + 1) % n
            faces += [[a, b, b + n], [a, b + n, a + n]]
    for first, flip in ((0, False), ((len(rows) - 1) * n, True)):
        for k in range(3):
            quad = [first + k, first + k + 1, first + 6 - k, first + 7 - k]
            both = [[quad[0], quad[2], quad[1]], [quad[0], quad[3], quad[2]]]
            faces += [f[::-1] for f in both] if flip else both
    hull = Trimesh(np.array(rows).reshape(-1, 3), faces, process=False)
    hull.fix_normals()
    seats = [box((0.92, 0.03, 0.26), (0, 0.27, z)) for z in (-0.9, 0.6)]
    return [("hull", WOOD, [hull]), ("seats", WOOD, seats)]


SHAPES: dict[str, Callable[[], Group]] = {
    "drift-stone": lambda: [("stone", STONE, [stone("drift", (1.5, 1.0, 1.15), 0.2, 5)])],
    "split-drift-stone": lambda: [("stone", STONE, [stone("split", (1.2, 1.3, 0.95), 0.16, 9)])],
    "flat-drift-stone": lambda: [("stone", STONE, [stone("flat", (1.9, 0.55, 1.4), 0.18, 6)])],
    "mooring-post": _post,
    "stone-trough": _trough,
    "fish-crate": _crate,
    "cask": _barrel,
    "landing-stage": _stage,
    "field-gate": _gate,
    "loft-ladder": _ladder,
    "milestone": _milestone,
    "fen-punt": _punt,
}


def model_of(name: str, images: dict[int, dict[str, bytes]]) -> Model:
    """The shape `name`, its coverings with `images` by their number."""
    pieces = []
    for title, covering, bodies in SHAPES[name]():
        made: Any = trimesh.util.concatenate(list(bodies))
        pieces.append(
            Piece(
                title,
                covering,
                np.asarray(made.vertices, np.float32),
                np.asarray(made.faces, np.uint32),
            )
        )
    worn = sorted({p.covering for p in pieces})
    coverings = tuple(
        Covering(c.name, c.color, roughness=c.roughness, images=images.get(k, {}))
        for k, c in enumerate(COVERINGS)
        if k in worn
    )
    return Model(
        "glb",
        tuple(Piece(p.name, worn.index(p.covering), p.positions, p.indices) for p in pieces),
        coverings,
    )
