"""Flower and seed heads from simple parts: petals, florets, domes and bracts, coloured by vertex."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.grow.shape import Shape, course, merged, set_down, strip
from plough.core.vectors import across, unit

HeadForm = Literal["none", "rays", "bell", "umbel", "spike", "globe", "plume"]
HEADS = {
    "none": "None",
    "rays": "Rays about a disc",
    "bell": "Bell",
    "umbel": "Umbel",
    "spike": "Spike",
    "globe": "Globe",
    "plume": "Plume",
}
Tone = tuple[float, float, float]
_GOLDEN = 2.399963


@dataclass(frozen=True, slots=True)
class Head:
    """One head, of length or radius 1, upwards along y, with a linear colour for each vertex."""

    shape: Shape
    colors: Float32  #: (v, 3)


@dataclass(frozen=True, slots=True)
class Bloom:
    """What the parts of a head hang on."""

    form: HeadForm
    n: int  #: petals, rays or florets
    opened: float  #: 0 in bud, 1 wide open
    petal: Tone
    middle: Tone
    green: Tone
    fine: float  #: 1 near, less for lower levels of detail

    @property
    def near(self) -> bool:
        return self.fine > 0.9

    @property
    def rows(self) -> int:
        """Of points along a petal."""
        return 4 if self.near else 2


def _toned(shape: Shape, tone: Tone, dark: float = 0.0) -> Head:
    """`shape` in one colour, `dark`er towards where it is held."""
    light = 1.0 - dark * (1.0 - shape.tip)
    return Head(shape, (np.array(tone)[None] * light[:, None]).astype(np.float32))


def _blended(head: Head, tone: Tone, share: Float64) -> Head:
    """`head` with its colours drawn towards `tone` by `share` (v,)."""
    by = share[:, None]
    colors = head.colors * (1 - by) + np.array(tone) * by
    return replace(head, colors=colors.astype(np.float32))


def _together(heads: list[Head]) -> Head:
    return Head(merged([h.shape for h in heads]), np.concatenate([h.colors for h in heads]))


def _petal(width: float, bend: float, rows: int) -> Shape:
    t = np.linspace(0.0, 1.0, rows)
    line, sideways, up = course(rows, bend, 0.0, 0.0)
    half = 0.5 * width * np.sin(math.pi * np.clip(0.14 + 0.78 * t, 0, 1)) ** 0.8
    return strip(line, sideways, up, half, 0.25, 1.0 - t)


@dataclass(frozen=True, slots=True)
class Whorl:
    """Where parts stand about the axis."""

    radius: float
    raised: float  #: radians above the level
    height: float
    start: float = 0.0  #: radians about the axis


def _around(shape: Shape, size: Float64, whorl: Whorl) -> Shape:
    """One of `shape` for each of `size` (n,), evenly about the axis."""
    n = size.size
    a = whorl.start + np.arange(n) * (2 * math.pi / n)
    out = np.stack([np.cos(a), np.zeros(n), np.sin(a)], axis=1)
    along = out * math.cos(whorl.raised) + np.array([0, math.sin(whorl.raised), 0])
    up = np.array([0, math.cos(whorl.raised), 0]) - out * math.sin(whorl.raised)
    return set_down(shape, out * whorl.radius + np.array([0, whorl.height, 0]), along, up, size)


def _dome(radius: float, height: float, sides: int, rows: int, at: float = 0.0) -> Shape:
    """A cap of half an ellipsoid."""
    points, normals = [], []
    for r in range(rows):
        angle = 0.5 * math.pi * r / rows
        for s in range(sides):
            a = 2 * math.pi * s / sides
            points.append(
                (
                    radius * math.cos(angle) * math.cos(a),
                    at + height * math.sin(angle),
                    radius * math.cos(angle) * math.sin(a),
                )
            )
            normals.append(
                (
                    math.cos(angle) * math.cos(a) * height,
                    math.sin(angle) * radius,
                    math.cos(angle) * math.sin(a) * height,
                )
            )
    points.append((0.0, at + height, 0.0))
    normals.append((0.0, 1.0, 0.0))
    faces = []
    for r in range(rows - 1):
        for s in range(sides):
            i, j = r * sides + s, r * sides + (s + 1) % sides
            faces += [(i, i + sides, j), (j, i + sides, j + sides)]
    top = len(points) - 1
    faces += [
        ((rows - 1) * sides + s, top, (rows - 1) * sides + (s + 1) % sides) for s in range(sides)
    ]
    return _plain(np.array(points), np.array(normals), np.array(faces))


def _cone(sides: int, thick: float) -> Shape:
    """A point on a foot, along y, of length 1."""
    a = np.arange(sides) * (2 * math.pi / sides)
    ring = np.stack([thick * np.cos(a), np.zeros(sides), thick * np.sin(a)], axis=1)
    out = np.stack([np.cos(a), np.full(sides, 0.4), np.sin(a)], axis=1)
    points = np.concatenate([ring, [[0.0, 1.0, 0.0]]])
    faces = np.array([(k, sides, (k + 1) % sides) for k in range(sides)])
    return _plain(points, np.concatenate([out, [[0.0, 1.0, 0.0]]]), faces)


def _plain(points: Float64, normals: Float64, faces: np.ndarray) -> Shape:
    n = points.shape[0]
    tall = points[:, 1] - points[:, 1].min()
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-9)
    return Shape(
        points.astype(np.float32),
        normals.astype(np.float32),
        np.full((n, 2), 0.5, np.float32),
        faces.astype(np.uint32),
        (tall / max(1e-6, float(tall.max()))).astype(np.float32),
    )


def _sprinkled(shape: Shape, places: Float64, out: Float64, size: Float64) -> Shape:
    """`shape` at `places` (n, 3), each along `out` (n, 3)."""
    return set_down(shape, places, out, across(out)[0], size)


def _opening(bloom: Bloom) -> Head:
    """Petals about a cup: wide rays about a disc, or the few that make a bell."""
    n, opened, rays = bloom.n, bloom.opened, bloom.form == "rays"
    raised = math.radians(82 - 74 * opened) if rays else math.radians(80 - 26 * opened)
    wide = min(1.2, 2.1 / n) if rays else 4.4 / n
    foot = (0.22 if rays else 0.06) * (0.4 + 0.6 * opened)
    petal = _petal(wide, 0.25 if rays else -0.5, bloom.rows)
    petals = _around(petal, np.full(n, 0.8), Whorl(foot, raised, 0.04))
    sepals = Whorl(0.03, math.radians(70 - 40 * opened), -0.04, 0.3)
    cup = _around(_petal(0.5, -0.3, 2), np.full(5, 0.34), sepals)
    heads = [_toned(petals, bloom.petal, 0.22), _toned(cup, bloom.green, 0.3)]
    if rays:
        sides, rings = (10, 3) if bloom.near else (6, 2)
        disc = _dome(0.27 * (0.5 + 0.5 * opened), 0.15, sides, rings, 0.02)
        heads.append(_toned(disc, bloom.middle, 0.45))
    return _together(heads)


def _umbel(bloom: Bloom) -> Head:
    """Rays from one point, each with a few florets at its tip."""
    n, k = bloom.n, np.arange(bloom.n)
    spread = (0.18 + 0.82 * bloom.opened) * np.sqrt((k + 0.5) / n)
    a = k * _GOLDEN
    tips = np.stack([spread * np.cos(a), 0.72 - 0.26 * spread**2, spread * np.sin(a)], axis=1)
    way = unit(tips)
    ray = strip(*course(2, 0.0, 0.0, 0.0), np.array([0.012, 0.008]), 0.5, np.array([1.0, 0.0]))
    rays = _sprinkled(ray, np.zeros((n, 3)), way, np.linalg.norm(tips, axis=1))
    each = 5 if bloom.near else 2
    j = np.tile(np.arange(each), n)
    place = np.repeat(tips, each, axis=0) + 0.085 * np.stack(
        [np.cos(j * _GOLDEN), 0.25 * np.sin(j * 3.1), np.sin(j * _GOLDEN)], axis=1
    )
    up = unit(np.repeat(way, each, axis=0) * 0.4 + np.array([0.0, 1.0, 0.0]))
    size = np.full(n * each, 0.085 / math.sqrt(bloom.fine))
    florets = _sprinkled(_dome(1.0, 0.5, 5, 1), place, up, size)
    return _together([_toned(rays, bloom.green, 0.2), _toned(florets, bloom.petal, 0.3)])


def _spike(bloom: Bloom) -> Head:
    """Florets up an axis; the topmost are still in bud."""
    n, opened, k = bloom.n, bloom.opened, np.arange(bloom.n)
    u = (k + 0.5) / n
    a = k * _GOLDEN
    out = np.stack([np.cos(a), 0.55 + 0.8 * u, np.sin(a)], axis=1)
    place = np.stack([0.05 * np.cos(a), u, 0.05 * np.sin(a)], axis=1)
    grown = 0.45 + 0.55 * np.clip(opened * 1.6 - u * 0.6, 0, 1)
    size = (0.20 - 0.13 * u) * grown / math.sqrt(bloom.fine)
    floret = _petal(0.75, 0.9, 2 if bloom.fine < 0.9 else 3)
    florets = _sprinkled(floret, place, unit(out), size)
    core = _sprinkled(
        _cone(4, 0.03), np.zeros((1, 3)), np.array([[0.0, 1.0, 0.0]]), np.array([1.0])
    )
    young = np.clip((u - 0.35 - 0.6 * opened) * 4.0, 0, 1)
    toned = _toned(florets, bloom.petal, 0.35)
    young = np.repeat(young, florets.positions.shape[0] // n)
    return _together([_blended(toned, bloom.green, young), _toned(core, bloom.green)])


def _globe(bloom: Bloom) -> Head:
    """A body of spines over bracts, with a ring of open florets."""
    n, k = bloom.n, np.arange(bloom.n)
    u = (k + 0.5) / n
    angle, a = np.arccos(1 - 1.88 * u), k * _GOLDEN
    out = np.stack([np.sin(angle) * np.cos(a), np.cos(angle), np.sin(angle) * np.sin(a)], axis=1)
    place = out * np.array([0.34, 0.5, 0.34]) + np.array([0, 0.5, 0])
    spikes = _sprinkled(
        _cone(3, 0.16),
        place * 0.97,
        unit(out + np.array([0, 0.35, 0])),
        np.full(n, 0.20 / math.sqrt(bloom.fine)),
    )
    sides = 10 if bloom.near else 6
    halves = [_dome(0.34, 0.5, sides, 4, 0.5), _flipped(_dome(0.34, 0.5, sides, 4, 0.0), 0.5)]
    lengths = np.array([0.95, 0.7, 0.85, 0.75, 0.9, 0.65, 0.8])[: 7 if bloom.near else 4]
    bracts = _around(_petal(0.1, -1.1, 4), lengths, Whorl(0.06, 0.25, 0.02))
    ring = np.clip(1.0 - np.abs(spikes.positions[:, 1] - 0.2 - 0.75 * bloom.opened) * 6.0, 0, 1)
    return _together(
        [
            _blended(_toned(spikes, bloom.middle, 0.35), bloom.petal, ring),
            _toned(merged(halves), bloom.middle, 0.5),
            _toned(bracts, bloom.green, 0.2),
        ]
    )


def _plume(bloom: Bloom) -> Head:
    """Fine blades that part from the axis and nod."""
    n, opened, k = bloom.n, bloom.opened, np.arange(bloom.n)
    u = (k + 0.5) / n
    a = k * _GOLDEN
    out = np.stack([np.cos(a), 0.9 + 1.4 * u, np.sin(a)], axis=1)
    place = np.stack([np.zeros(n), 0.75 * u, np.zeros(n)], axis=1)
    blade = _petal(0.1 / math.sqrt(bloom.fine), 0.5 + 0.8 * opened, bloom.rows)
    blades = _sprinkled(blade, place, unit(out), (0.62 - 0.3 * u) * (0.6 + 0.4 * opened))
    return _together([_toned(blades, bloom.petal, 0.4), _toned(_cone(4, 0.02), bloom.green)])


_FORMS = {
    "rays": _opening,
    "bell": _opening,
    "umbel": _umbel,
    "spike": _spike,
    "globe": _globe,
    "plume": _plume,
}


def make_head(
    form: HeadForm, parts: int, opened: float, tones: tuple[Tone, Tone, Tone], fine: float
) -> Head:
    """A head of the given form.

    Args:
        form: any but "none".
        parts: petals, rays or florets.
        opened: 0 in bud, 1 wide open.
        tones: linear colours of petals, of the middle, and of the green parts.
        fine: 1 near, less for lower levels of detail.
    """
    n = max(3, round(parts * (0.4 + 0.6 * fine)))
    return _FORMS[form](Bloom(form, n, opened, *tones, fine))


def _flipped(shape: Shape, at: float) -> Shape:
    """`shape` turned upside down below the height `at`."""
    turn = np.array([1, -1, 1], np.float32)
    positions = shape.positions * turn + np.array([0, at, 0], np.float32)
    return replace(
        shape,
        positions=positions,
        normals=shape.normals * turn,
        indices=shape.indices[:, ::-1].copy(),
    )
