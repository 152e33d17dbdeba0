"""Paths: smooth curves on the ground, where they cross themselves, and the distance to them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.curves import span_curve
from plough.core.errors import ParameterError
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel
from plough.core.tiles import SIZE, TileList, line_hashes

Points = Sequence[tuple[float, ...]]
"""Knots: east and south, and where they have their own, width in metres and slope of the sides in degrees; 0: the path's."""
MOST_LENGTH = 40_000.0  #: metres of one path
_BLOCK = 16  #: segments that share a bounding box


@dataclass(frozen=True, slots=True)
class Strip:
    """The ground to both sides of a line."""

    line: Float64  #: (n, 2) metres
    half: Float64  #: (n,) metres from its middle to its border

    @staticmethod
    def even(line: Float64, half: float) -> Strip:
        """As wide everywhere."""
        return Strip(line, np.full(len(line), float(half)))

    @property
    def key(self) -> str:
        """Tells it from any other."""
        return key_of(digest(self.line.tobytes()), digest(self.half.tobytes()))

    @property
    def reach(self) -> float:
        """Metres from the line to its farthest border."""
        return float(self.half.max())

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of the pieces of it that come into each tile."""
        return line_hashes(np.column_stack([self.line, self.half]), tiles, SIZE, self.reach)


@dataclass(frozen=True, slots=True)
class Curve:
    """A smooth line on the map."""

    line: Float64  #: (n, 2) metres, about a metre apart
    spans: Int64  #: (n,) which span each point begins or lies in
    width: float  #: metres, where no knot has its own
    half: Float64  #: (n,) metres from its middle to its border
    bank: Float64  #: (n,) degrees, of the slope of its sides; 0 where no knot has its own
    key: str
    closed: bool = False

    @property
    def length(self) -> float:
        """Metres along it."""
        return float(np.hypot(*np.diff(self.line, axis=0).T).sum())

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.line.nbytes + self.spans.nbytes + self.half.nbytes + self.bank.nbytes

    @property
    def strip(self) -> Strip:
        """The ground that it covers."""
        return Strip(self.line, self.half)


def check_points(points: Points, field: str = "points") -> None:
    """Raises `ParameterError` where neighbours coincide, or a path through `points` would be too long."""
    gaps = np.hypot(*np.diff(np.array(points, np.float64), axis=0).T)
    if gaps.min() < 0.05:
        raise ParameterError(
            f"{field}.{int(gaps.argmin()) + 1}",
            "lies on the point before it; neighbours must be 5 cm apart or more",
        )
    if gaps.sum() > MOST_LENGTH:
        limit = f"{MOST_LENGTH / 1000:g} km"
        message = f"the path would be {gaps.sum() / 1000:.1f} km long; the limit is {limit}"
        raise ParameterError(field, message, limit=limit)


def path_curve(
    points: Points, width: float = 0.0, spacing: float = 1.0, closed: bool = False
) -> Curve:
    """The smooth path through `points`, in steps of at most `spacing` metres; between knots its width and its sides change evenly.

    Raises:
        ParameterError: the path crosses itself, is too long, or two neighbouring points coincide.
    """
    places = [(x, z) for x, z, *_ in points]
    check_points([*places, places[0]] if closed else places)
    line, spans = span_curve(places, spacing, closed)
    ring = line[:-1] if closed else line
    crossing = self_crossing(ring, closed)
    if crossing is not None:
        where = f"({crossing[0]:.1f}, {crossing[1]:.1f})"
        message = f"the path crosses itself near {where}; move or remove a point there"
        raise ParameterError("points", message)
    own = [(*k[2:], 0.0, 0.0)[:2] for k in points]
    wide = _between([w or width for w, _ in own], line, spans, closed)
    bank = _between([b for _, b in own], line, spans, closed)
    parts = [digest(a.tobytes()) for a in (line, wide, bank)]
    return Curve(line, spans, width, wide / 2, bank, key_of(*parts), closed)


def _between(of_knots: Sequence[float], line: Float64, spans: Int64, closed: bool) -> Float64:
    """(n,) values at the points of `line`, from those of the knots, even along each span."""
    steps = np.concatenate([[0.0], np.hypot(*np.diff(line, axis=0).T)])
    along = np.cumsum(steps)
    values = np.array([*of_knots, of_knots[0]] if closed else of_knots, np.float64)
    # a span begins where its number first appears; the last ends with the line
    starts = np.searchsorted(spans[:-1], np.arange(len(values) - 1))
    at = along[np.append(starts, len(line) - 1)]
    return np.asarray(np.interp(along, at, values))


@kernel
def _boxes(line: Float64, limit: float) -> Float64:
    """(blocks, 4) least and greatest east and south of each `_BLOCK` segments, grown by `limit`."""
    segments = line.shape[0] - 1
    blocks = (segments + _BLOCK - 1) // _BLOCK
    box = np.empty((blocks, 4))
    for b in range(blocks):
        first, last = b * _BLOCK, min(segments, (b + 1) * _BLOCK) + 1
        box[b, 0], box[b, 1] = line[first:last, 0].min() - limit, line[first:last, 0].max() + limit
        box[b, 2], box[b, 3] = line[first:last, 1].min() - limit, line[first:last, 1].max() + limit
    return box


@kernel
def _side(a: Float64, b: Float64, c: Float64) -> float:
    return float((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))


@kernel
def _touch(a: Float64, b: Float64, c: Float64, d: Float64) -> bool:
    """Whether the segments ab and cd share a point."""
    if max(a[0], b[0]) < min(c[0], d[0]) or max(c[0], d[0]) < min(a[0], b[0]):
        return False
    if max(a[1], b[1]) < min(c[1], d[1]) or max(c[1], d[1]) < min(a[1], b[1]):
        return False
    return _side(a, b, c) * _side(a, b, d) <= 0.0 and _side(c, d, a) * _side(c, d, b) <= 0.0


@kernel
def _first_crossing(line: Float64, closed: bool) -> tuple[int, int]:
    box = _boxes(line, 0.0)
    segments = line.shape[0] - 1
    for p in range(box.shape[0]):
        for q in range(p, box.shape[0]):
            if box[p, 0] > box[q, 1] or box[q, 0] > box[p, 1]:
                continue
            if box[p, 2] > box[q, 3] or box[q, 2] > box[p, 3]:
                continue
            for i in range(p * _BLOCK, min(segments, (p + 1) * _BLOCK)):
                for j in range(max(i + 2, q * _BLOCK), min(segments, (q + 1) * _BLOCK)):
                    if closed and i == 0 and j == segments - 1:
                        continue
                    if _touch(line[i], line[i + 1], line[j], line[j + 1]):
                        return i, j
    return -1, -1


def self_crossing(line: Float64, closed: bool = False) -> tuple[float, float] | None:
    """Where the polyline (n, 2) first crosses or touches itself, if it does; neighbouring segments do not count."""
    whole = np.concatenate([line, line[:1]]) if closed else np.ascontiguousarray(line)
    i, j = _first_crossing(whole, closed)
    if i < 0:
        return None
    (a, b), (c, d) = whole[i : i + 2], whole[j : j + 2]
    across = (b[0] - a[0]) * (d[1] - c[1]) - (b[1] - a[1]) * (d[0] - c[0])
    if across == 0:
        return float(c[0]), float(c[1])
    t = ((c[0] - a[0]) * (d[1] - c[1]) - (c[1] - a[1]) * (d[0] - c[0])) / across
    return float(a[0] + t * (b[0] - a[0])), float(a[1] + t * (b[1] - a[1]))


@kernel
def from_segment(line: Float64, k: int, x: float, z: float) -> tuple[float, float]:
    """The squared distance of (x, z) from segment `k`, and the share of it that lies before the nearest point."""
    ax, az = line[k, 0], line[k, 1]
    dx, dz = line[k + 1, 0] - ax, line[k + 1, 1] - az
    long = dx * dx + dz * dz
    t = min(1.0, max(0.0, ((x - ax) * dx + (z - az) * dz) / long)) if long > 0.0 else 0.0
    px, pz = x - ax - t * dx, z - az - t * dz
    return px * px + pz * pz, t


@kernel
def _distance(x: Float64, z: Float64, line: Float64, limit: float, any_: bool) -> Float64:
    """Of each point, the distance to the line; infinite from `limit` on. With `any_`, the first found that is less."""
    segments = line.shape[0] - 1
    box = _boxes(line, limit)
    out = np.empty(x.shape[0])
    for i in range(x.shape[0]):
        best = limit * limit
        found = False
        for b in range(box.shape[0]):
            if x[i] < box[b, 0] or x[i] > box[b, 1] or z[i] < box[b, 2] or z[i] > box[b, 3]:
                continue
            for k in range(b * _BLOCK, min(segments, (b + 1) * _BLOCK)):
                away, _ = from_segment(line, k, x[i], z[i])
                if away < best:
                    best, found = away, True
            if found and any_:
                break
        out[i] = math.sqrt(best) if found else np.inf
    return out


@kernel
def _relative(x: Float64, z: Float64, line: Float64, half: Float64, reach: float) -> Float64:
    segments = line.shape[0] - 1
    box = _boxes(line, reach)
    out = np.full(x.shape[0], np.inf)
    for i in range(x.shape[0]):
        best = 1.0
        for b in range(box.shape[0]):
            if x[i] < box[b, 0] or x[i] > box[b, 1] or z[i] < box[b, 2] or z[i] > box[b, 3]:
                continue
            for k in range(b * _BLOCK, min(segments, (b + 1) * _BLOCK)):
                away, t = from_segment(line, k, x[i], z[i])
                wide = half[k] + t * (half[k + 1] - half[k])
                if away < best * best * wide * wide:
                    best = math.sqrt(away) / wide
                    out[i] = best
    return out


def strip_distance(x: Float64, z: Float64, strip: Strip) -> Float64:
    """(n,) how far each point lies from the middle of a strip: 0 there, 1 at its border; infinite beyond."""
    east, south = np.asarray(x, np.float64), np.asarray(z, np.float64)
    first, last = _stretch(east, south, strip.line, strip.reach)
    line, half = strip.line[first:last], strip.half[first:last]
    found = np.ascontiguousarray(line), np.ascontiguousarray(half)
    return _relative(east, south, *found, strip.reach)


def line_distance(x: Float64, z: Float64, line: Float64, limit: float) -> Float64:
    """(n,) metres from each point to the polyline (m, 2); infinite from `limit` metres on."""
    east, south = np.asarray(x, np.float64), np.asarray(z, np.float64)
    return _distance(east, south, _reached(east, south, line, limit), limit, False)


def near_line(x: Float64, z: Float64, line: Float64, limit: float) -> Bool:
    """(n,) whether each point is nearer than `limit` metres to the polyline (m, 2)."""
    east, south = np.asarray(x, np.float64), np.asarray(z, np.float64)
    found = _distance(east, south, _reached(east, south, line, limit), limit, True)
    return np.isfinite(found)


def _reached(x: Float64, z: Float64, line: Float64, limit: float) -> Float64:
    """The stretch of `line` that comes near the points' rectangle; none of it where it does not."""
    first, last = _stretch(x, z, line, limit)
    return np.ascontiguousarray(line[first:last])


def _stretch(x: Float64, z: Float64, line: Float64, limit: float) -> tuple[int, int]:
    """Which points of `line`, from the first to before the last, those near the points' rectangle lie among."""
    if not len(x):
        return 0, 1
    low = np.minimum(line[:-1], line[1:]) - limit
    high = np.maximum(line[:-1], line[1:]) + limit
    meets = (low[:, 0] <= x.max()) & (high[:, 0] >= x.min())
    meets &= (low[:, 1] <= z.max()) & (high[:, 1] >= z.min())
    rows = np.nonzero(meets)[0]
    return (int(rows[0]), int(rows[-1]) + 2) if len(rows) else (0, 1)
