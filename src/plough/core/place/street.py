"""Streets: plots along a path, the houses that find room on them, and the lines about those.

A path is cut at its knots, and each of its spans has a whole number of plots on each side, told by the span and not by how far along the path it lies;
so a knot that is dragged moves the plots of the spans beside it and leaves the others. Lengths along a path are whole numbers of a grain, so that sums and
differences of them are exact: what lies behind a span that has become longer comes out bit for bit as it was.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.errors import TooLargeError
from plough.core.ground.areas import Region
from plough.core.ground.paths import Curve, Strip
from plough.core.rng import bits_array, stream, symmetric_array, uniform_array

MOST_PLOTS = 2_000  #: of one path
StreetSides = Literal["both", "left", "right", "alternate", "middle"]
_PLOT, _ALONG, _BACK, _ORDER = (stream(f"street.{n}") for n in ("plot", "along", "back", "order"))
_GRAIN = 2.0**-20  # metres that all lengths along a path are whole numbers of
_WALL_STEP = 0.25  # metres between places of a wall that are looked at
_WALL_BEND = 3.0  # metres between the points of one along a path
_LEAST_ONWARD = 0.3  # of what a path goes on, that a wall beside it does
_SHORTEST_WALL = 0.7  # metres
_SIDE_ROOM = 2.5  # metres beside a house that has no neighbour there, of its plot


@dataclass(frozen=True, slots=True)
class StreetRule:
    """Where plots lie; lengths in metres."""

    seed: int  #: of the layer, 64 bits
    spacing: float  #: from plot to plot
    jitter: float  #: of the spacing, either way
    sides: StreetSides
    back: float  #: from the border of the path to the fronts of the first row
    uneven: float = 0.0  #: by which some stand further back, at most
    rows: int = 1
    between: float = 0.0  #: from the fronts of a row to those of the next


@dataclass(frozen=True, slots=True)
class Plots:
    """Places along one path where a house may stand."""

    ids: UInt64  #: (n,) stable: of the seed, the path, the span, the side, the row and the number in it
    at: Float64  #: (n,) metres along the path
    side: Int64  #: (n,) 1 right, -1 left
    row: Int64  #: (n,)
    front: Float64  #: (n, 2) metres, where the front of a house comes to be
    out: Float64  #: (n, 2) unit, away from the path

    def taken(self, rows: Bool | Int64) -> Plots:
        """Those in `rows`."""
        return Plots(*(getattr(self, name)[rows] for name in Plots.__slots__))


def grained(metres: Float64) -> Float64:
    """The nearest lengths that are whole numbers of the grain, about a micrometre."""
    return np.asarray(np.rint(metres / _GRAIN) * _GRAIN)


class Stretch(NamedTuple):
    """A path from one knot to the next, by metres along it from the first."""

    at: Float64  #: (n,)
    line: Float64  #: (n, 2)
    right: Float64  #: (n, 2) unit directions to its right
    half: Float64  #: (n,) metres to its border


class Course(NamedTuple):
    """A path by metres along it."""

    stretches: list[Stretch]
    knots: Float64  #: (k,) metres along it of its knots
    whole: Stretch  #: all of it; at knots it has two points

    @property
    def long(self) -> float:
        """Metres."""
        return float(self.knots[-1])

    def place(self, s: Float64, off: Float64) -> tuple[Float64, Float64]:
        """(n, 2) metres on the map `s` along it and `off` to its right, and (n, 2) unit directions to its right there."""
        at, line, right, _ = self.whole
        here = np.column_stack([np.interp(s, at, line[:, c]) for c in range(2)])
        way = np.column_stack([np.interp(s, at, right[:, c]) for c in range(2)])
        way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
        return here + off[:, None] * way, way

    def border(self, s: Float64) -> Float64:
        """(n,) metres from its middle to its border."""
        return np.interp(s, self.whole.at, self.whole.half)


def course_of(curve: Curve) -> Course:
    """A path by metres along it; a closed one comes back to where it begins.

    Each of its stretches is told by its own points alone, so what one becomes changes nothing of the others.
    """
    line, half, spans = curve.line, curve.half, curve.spans
    if curve.closed and (line[0] != line[-1]).any():
        line, half = np.concatenate([line, line[:1]]), np.append(half, half[0])
        spans = np.append(spans, spans[-1])
    first = [*np.nonzero(np.diff(spans[:-1], prepend=-1))[0].tolist(), len(line) - 1]
    stretches = [
        _stretch(line[a : b + 1], half[a : b + 1])
        for a, b in zip(first[:-1], first[1:], strict=True)
    ]
    knots = np.cumsum([0.0, *(s.at[-1] for s in stretches)])
    at = np.concatenate([k + s.at for k, s in zip(knots, stretches, strict=False)])
    rest = (np.concatenate([s[c] for s in stretches]) for c in (1, 2, 3))
    return Course(stretches, knots, Stretch(at, *rest))


def _stretch(line: Float64, half: Float64) -> Stretch:
    step = np.diff(line, axis=0)
    long = np.maximum(grained(np.hypot(*step.T)), _GRAIN)
    way = step / long[:, None]
    ends = [way[0], way[-1]]
    if len(way) > 1:  # where it turns, it goes on turning up to its ends
        ends[0] = way[0] - (way[1] - way[0]) * long[0] / (long[0] + long[1])
        ends[1] = way[-1] - (way[-2] - way[-1]) * long[-1] / (long[-1] + long[-2])
    mean = np.concatenate([ends[:1], way[1:] + way[:-1], ends[1:]])
    mean /= np.maximum(np.hypot(*mean.T), 1e-9)[:, None]
    at = np.concatenate([[0.0], np.cumsum(long)])
    return Stretch(at, line, np.stack([-mean[:, 1], mean[:, 0]], axis=1), half)


def plots_of(
    rule: StreetRule, name: str, course: Course, most: int = MOST_PLOTS, field: str = "spacing"
) -> Plots:
    """All plots along the path called `name`.

    Raises:
        TooLargeError: there would be more than `most`; none has been made then. It names `field`.
    """
    long = np.diff(course.knots)
    many = np.maximum(1, np.rint(long / rule.spacing)).astype(np.int64)
    total = int(many.sum()) * rule.rows * (2 if rule.sides == "both" else 1)
    if total > most:
        text = f"would take {total:,} along {course.long:,.0f} m; the limit is {most:,}"
        raise TooLargeError(field, text, limit=f"{most:,}", value=rule.spacing)
    span = np.repeat(np.arange(len(many)), many)
    number = np.arange(len(span)) - np.repeat(np.cumsum(many) - many, many)
    sides = {"left": [-1], "right": [1], "middle": [1]}.get(rule.sides, [1, -1])
    which, side, row = (
        a.ravel()
        for a in np.meshgrid(np.arange(len(span)), sides, np.arange(rule.rows), indexing="ij")
    )
    if rule.sides == "alternate":
        by_turns = (span[which] + number[which]) % 2 == (side < 0)
        which, side, row = which[by_turns], side[by_turns], row[by_turns]
    told = (span[which] << 32) | (number[which] << 8) | (row << 1) | (side < 0)
    own = rule.seed ^ int(stream(f"street {name}"))
    ids = bits_array(own, _PLOT, told.astype(np.uint64))
    each = long[span[which]] / many[span[which]]
    off = rule.jitter * symmetric_array(rule.seed, _ALONG, ids)
    # plots of the two sides, and of a row and the next, lie by turns
    shift = 0.25 * (side < 0) + 0.5 * (row % 2)
    own_at = grained(each * (number[which] + (0.375 + shift) % 1.0 + off))
    at = course.knots[span[which]] + own_at
    at = np.clip(at, 0.0, course.long)
    back = rule.back + rule.between * row + rule.uneven * uniform_array(rule.seed, _BACK, ids)
    off = 0.0 * at if rule.sides == "middle" else side * (course.border(at) + back)
    front, right = course.place(at, off)
    return Plots(ids, at, side, row, front, right * side[:, None])


def ordered(seed: int, plots: Plots) -> Int64:
    """In which order plots are built on: the first row first, and else by chance."""
    return np.lexsort([uniform_array(seed, _ORDER, plots.ids), plots.row])


def polygons_at(outlines: Sequence[Float64], place: Float64, turn: Float64) -> list[Any]:
    """Outlines (k, 2), metres to their sides and to their front, as polygons of the map.

    Args:
        place: (n, 2) metres of their middles.
        turn: (n,) radians about the vertical.
    """
    from shapely import polygons

    out = []
    for ring, at, angle in zip(outlines, place, turn, strict=True):
        c, s = np.cos(angle), np.sin(angle)
        x, z = ring.T
        out.append(polygons(np.column_stack([at[0] + c * x + s * z, at[1] - s * x + c * z])))
    return out


def reaches(outlines: Sequence[Float64], turn: Float64) -> tuple[Float64, Float64]:
    """(n,) metres to either side and (n,) to the front that outlines (k, 2) reach from their middles, turned by radians (n,)."""
    side, front = [], []
    for ring, angle in zip(outlines, turn, strict=True):
        c, s = np.cos(angle), np.sin(angle)
        side.append(np.abs(c * ring[:, 0] + s * ring[:, 1]).max())
        front.append((c * ring[:, 1] - s * ring[:, 0]).max())
    return np.array(side), np.array(front)


def ground_of(shape: Strip | Region) -> Any:
    """The ground of a strip or a region, as a polygon."""
    from shapely import LineString, Polygon, buffer, union_all

    if isinstance(shape, Region):
        return Polygon(shape.ring, shape.holes)
    if np.ptp(shape.half) < 1e-6:
        return LineString(shape.line).buffer(float(shape.half[0]))
    ends = np.stack([shape.line[:-1], shape.line[1:]], axis=1)
    lines = [LineString(e) for e in ends]
    return union_all(buffer(lines, np.maximum(shape.half[:-1], shape.half[1:])))


def with_room(
    houses: Sequence[Any],
    there: Bool,
    taken: Sequence[Any],
    apart: float,
    order: Int64,
    alike: Int64,
    places: Float64,
    far: Float64,
) -> Bool:
    """(n,) which houses have room, taken one by one: clear of what is taken and of those before them.

    Args:
        houses: polygons.
        there: (n,) which have ground to stand on.
        taken: polygons of what they give way to.
        apart: metres between two, at least.
        order: in which they are tried.
        alike: (n,) what each is; those that are the same keep `far` (n,) metres of their `places` (n, 2) apart.
    """
    from shapely import STRtree

    n = len(houses)
    free = there.copy()
    if taken:
        hit, _ = STRtree(list(taken)).query(list(houses), predicate="intersects")
        free[hit] = False
    near: list[list[int]] = [[] for _ in range(n)]
    for a, b in STRtree(list(houses)).query(list(houses), predicate="dwithin", distance=apart).T:
        if a != b:
            near[a].append(int(b))
    kept = np.zeros(n, bool)
    for k in order.tolist():
        if not free[k] or any(kept[j] for j in near[k]):
            continue
        if far[k] > 0:
            others = places[kept & (alike == alike[k])]
            if len(others) and np.hypot(*(others - places[k]).T).min() < far[k]:
                continue
        kept[k] = True
    return kept


class PlotRule(NamedTuple):
    """How plots are bounded; lengths in metres."""

    seed: int
    front: float  #: from the border of the path
    deep: float  #: behind the fronts of houses
    gate: float  #: left open before each house
    spacing: float  #: between the shrubs of a hedge


class PlotLines(NamedTuple):
    """The straight lines about plots, by metres along a path and to its right."""

    plot: Int64  #: (n,) row of it
    part: Int64  #: (n,) 0, 1: its front to the left and to the right of the gate; 2: its back; 3, 4: its sides
    ends: Float64  #: (n, 2, 2) where each begins and ends

    @property
    def long(self) -> Float64:
        """(n,) metres."""
        return np.asarray(np.abs(self.ends[:, 1] - self.ends[:, 0]).sum(axis=1))


def plot_lines(rule: PlotRule, course: Course, plots: Plots, half: Float64) -> PlotLines:
    """What bounds the plots of houses of the first row; between two that meet there is one line.

    Args:
        plots: those with houses.
        half: (n,) metres from the middle of each house to its sides.
    """
    lines: list[tuple[int, int, float, float, float, float]] = []
    for side in (1, -1):
        rows = np.nonzero((plots.side == side) & (plots.row == 0))[0]
        rows = rows[np.argsort(plots.at[rows], kind="stable")]
        s, wide = plots.at[rows], grained(half[rows] + _SIDE_ROOM)
        middle = 0.5 * (s[1:] + s[:-1])
        shared = np.diff(s) < 1.5 * (wide[1:] + wide[:-1])
        left = np.concatenate([s[:1] - wide[:1], np.where(shared, middle, s[1:] - wide[1:])])
        right = np.concatenate([np.where(shared, middle, s[:-1] + wide[:-1]), s[-1:] + wide[-1:]])
        left, right = left.clip(0.0, course.long), right.clip(0.0, course.long)
        border, gap = course.border(s), float(grained(np.array(0.5 * rule.gate)))
        off = np.einsum(
            "nc,nc->n", plots.front[rows] - course.place(s, 0.0 * s)[0], plots.out[rows]
        )
        near, far = side * (border + rule.front), side * (off + rule.deep)
        for k, row in enumerate(rows.tolist()):
            a, b, n, f = left[k], right[k], near[k], far[k]
            if s[k] - gap > a:
                lines.append((row, 0, a, n, s[k] - gap, n))
            if b > s[k] + gap:
                lines.append((row, 1, s[k] + gap, n, b, n))
            lines += [(row, 2, a, f, b, f), (row, 3, b, n, b, f)]
            if k == 0 or not shared[k - 1]:
                lines.append((row, 4, a, n, a, f))
    told = np.array(lines, float).reshape(-1, 6)
    row, part = told[:, :2].astype(np.int64).T
    return PlotLines(row, part, told[:, 2:].reshape(-1, 2, 2))


def hedge_lines(
    rule: PlotRule, course: Course, plots: Plots, half: Float64, most: int
) -> tuple[UInt64, Float64, Float64]:
    """Ids, places (n, 2) and the directions (n, 2), square to the hedge, that shrubs about the plots of `plot_lines` face.

    Raises:
        TooLargeError: there would be more than `most`; none has been made then.
    """
    lines = plot_lines(rule, course, plots, half)
    many = (lines.long / rule.spacing).astype(np.int64)
    if many.sum() > most:
        text = f"would take {many.sum():,} shrubs; the limit is {most:,}"
        raise TooLargeError("hedge_spacing", text, limit=f"{most:,}", value=rule.spacing)
    which = np.repeat(np.arange(len(many)), many)
    number = np.arange(len(which)) - np.repeat(np.cumsum(many) - many, many)
    (s0, off0), (s1, off1) = lines.ends[which, 0].T, lines.ends[which, 1].T
    t = (number + 0.5) / many[which]
    at, away = s0 + grained(t * (s1 - s0)), off0 + t * (off1 - off0)
    place, right = course.place(at, away)
    # along the path they face away from it, and else along it
    along = (np.abs(s1 - s0) > 1e-9)[:, None]
    faces = np.where(along, right, np.stack([right[:, 1], -right[:, 0]], axis=1))
    own = number.astype(np.uint64) + (lines.part[which].astype(np.uint64) << np.uint64(20))
    return bits_array(rule.seed, _PLOT, plots.ids[lines.plot[which]] ^ own), place, faces


def wall_lines(
    course: Course,
    plots: Plots,
    lines: PlotLines,
    thick: float,
    free: Callable[[Float64], Bool],
) -> list[tuple[UInt64, Float64]]:
    """Walls along lines about plots: of each an id and the points (k, 2) that it runs through.

    At corners the sides go through, and the others end at them.

    Args:
        thick: metres of a wall.
        free: of places (n, 2), whether a wall may be there; walls end before those where it may not.
    """
    out: list[tuple[UInt64, Float64]] = []
    told = zip(lines.plot.tolist(), lines.part.tolist(), lines.ends, strict=True)
    for row, part, (a, b) in told:
        way = np.sign(b - a)
        if part >= 3:
            a, b = a - 0.5 * thick * way, b + 0.5 * thick * way
        else:
            a = a + 0.5 * thick * way * (part != 1)
            b = b - 0.5 * thick * way * (part != 0)
        if (np.sign(b - a) != way).any():
            continue
        steps = max(2, math.ceil(float(np.abs(b - a).sum()) / _WALL_STEP) + 1)
        s, off = (a + np.linspace(0.0, 1.0, steps)[:, None] * (b - a)).T
        place, _ = course.place(grained(s), off)
        under, _ = course.place(grained(s), 0.0 * off)
        # within a bend that is tighter than it is far, it would run back
        step, below = np.diff(place, axis=0), np.diff(under, axis=0)
        onward = (step * below).sum(axis=1) >= _LEAST_ONWARD * (below**2).sum(axis=1)
        # and between two places that a knot has driven apart it may meet something, too
        onward &= free(0.5 * (place[1:] + place[:-1]))
        may = free(place) & np.append(onward, True) & np.append(True, onward)
        for k, (first, last) in enumerate(_runs(may)):
            points = place[first : last + 1]
            if float(np.hypot(*np.diff(points, axis=0).T).sum()) >= _SHORTEST_WALL:
                # no more points than its bends take
                apart = max(1, round(_WALL_BEND / _WALL_STEP)) if part < 3 else len(points)
                chosen = np.unique([*range(0, len(points) - 1, apart), len(points) - 1])
                name = np.uint64(part + 8 * k) << np.uint64(20)
                out.append((plots.ids[row] ^ name, points[chosen]))
    return out


def _runs(there: Bool) -> list[tuple[int, int]]:
    """First and last row of each stretch that is there."""
    edges = np.diff(np.concatenate([[False], there, [False]]).astype(np.int8))
    return list(zip(np.nonzero(edges > 0)[0], np.nonzero(edges < 0)[0] - 1, strict=True))


def clear_of(places: Float64, shapes: Sequence[Any], by: float) -> Bool:
    """(n,) which places (n, 2) keep so far from all of some polygons."""
    from shapely import STRtree, points

    free = np.ones(len(places), bool)
    if shapes and len(places):
        hit, _ = STRtree(list(shapes)).query(points(places), predicate="dwithin", distance=by)
        free[hit] = False
    return free
