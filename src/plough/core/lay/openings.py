"""Openings of a run: where paths cross it and where they were set, each known to all spans that it reaches."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.ground.paths import Curve
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span

MOST_CROSSINGS = 200  #: of one run by paths
_LEAST_SINE = 0.17  # of the angle between a path and a run, below which it goes along it
_WIDEST = 2.5  #: times its width that a path may take where it crosses aslant
_ROOM = 0.15  # metres that are left between two openings, at least
_ABOUT = 1.5  # metres beside an opening that may hang on it


class Crossing(NamedTuple):
    """A path across a run."""

    span: int
    at: float  #: metres along it
    width: float  #: metres of the run that the path takes
    id: str


def crossings(spans: Sequence[Span], paths: Sequence[tuple[str, Curve]]) -> list[Crossing]:
    """Where paths cross a run, span by span; no more than one beyond `MOST_CROSSINGS`."""
    from shapely import LineString, get_coordinates

    out: list[Crossing] = []
    for k, span in enumerate(spans):
        line = LineString(span.own)
        low, high = span.own.min(axis=0), span.own.max(axis=0)
        for name, path in paths:
            a, b = path.line.min(axis=0), path.line.max(axis=0)
            if (a > high).any() or (b < low).any():
                continue
            places = get_coordinates(line.intersection(LineString(path.line)))
            found = []
            for place in np.unique(places.round(9), axis=0)[: 2 * MOST_CROSSINGS]:
                s, _, way = along(span.own, place)
                at, _, other = along(path.line, place)
                sine = abs(way[0] * other[1] - way[1] * other[0])
                if sine > _LEAST_SINE:
                    width = 2.0 * float(np.interp(at, _chain(path.line), path.half))
                    found.append((s, width / max(sine, 1.0 / _WIDEST)))
            out += [Crossing(k, *f, f"{name} {k} {n}") for n, f in enumerate(sorted(found))]
            if len(out) > MOST_CROSSINGS:
                return out[: MOST_CROSSINGS + 1]
    return out


def nearest(spans: Sequence[Span], place: tuple[float, float]) -> tuple[int, float]:
    """The span nearest to a place, and how many metres along it."""
    found = [along(s.own, np.array(place)) for s in spans]
    k = int(np.argmin([away for _, away, _ in found]))
    return k, found[k][0]


def along(line: Float64, place: Float64) -> tuple[float, float, Float64]:
    """Metres along a line (n, 2) of its point nearest to a place (2,), metres between the two, and the unit direction of the line there."""
    step = np.diff(line, axis=0)
    long = np.hypot(*step.T)
    share = np.clip(((place - line[:-1]) * step).sum(axis=1) / long**2, 0.0, 1.0)
    away = np.hypot(*(line[:-1] + share[:, None] * step - place).T)
    k = int(away.argmin())
    return float(_chain(line)[k] + share[k] * long[k]), float(away[k]), step[k] / long[k]


def _chain(line: Float64) -> Float64:
    """(n,) metres along a line of its points."""
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])


Found = tuple[int, Opening]
"""An opening, and the span in whose coordinates it is."""


def apart(
    spans: Sequence[Span], closed: bool, found: Sequence[Found]
) -> tuple[list[Found], list[Found]]:
    """Openings with some wall between them, and those that have none between them and one before."""
    starts = np.concatenate([[0.0], np.cumsum([s.length for s in spans])])
    kept: list[Found] = []
    lost: list[Found] = []
    for k, o in sorted(found, key=lambda f: (starts[f[0]] + f[1].start, f[1].id)):
        before = kept[-1] if kept else None
        room = before is None or starts[k] + o.start >= starts[before[0]] + before[1].end + _ROOM
        (kept if room else lost).append((k, o))
    if closed and len(kept) > 1:
        (a, first), (b, last) = kept[0], kept[-1]
        if starts[a] + first.start + starts[-1] < starts[b] + last.end + _ROOM:
            lost.append(kept.pop())
    return kept, lost


def shared(spans: Sequence[Span], found: Sequence[Found]) -> list[list[Opening]]:
    """The openings of each span and of its surroundings, in its own coordinates."""
    n = len(spans)
    out: list[list[Opening]] = [[] for _ in spans]
    for k, o in found:
        out[k].append(o)
        for way in (1, -1):
            moved, j = o, k
            for _ in range(n - 1):
                if spans[j].ends if way > 0 else spans[j].begins:
                    break
                off = -spans[j].length if way > 0 else spans[j - 1].length
                j = (j + way) % n
                moved = moved._replace(start=moved.start + off, end=moved.end + off)
                if moved.end < -_ABOUT or moved.start > spans[j].length + _ABOUT:
                    break
                out[j].append(moved)
    return [sorted(own, key=lambda o: (o.start, o.id)) for own in out]
