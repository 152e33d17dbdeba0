"""Strip maps: what runs along a path, with the path made straight."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64
from plough.core.errors import ParameterError
from plough.core.ground.paths import Curve, from_segment
from plough.core.kernels import kernel
from plough.core.place.room import first_of
from plough.core.scene.evaluation import Evaluation

MOST_PLACES = 2_000  #: of one path: the first in the order of the fill


@dataclass(frozen=True, slots=True)
class StripMap:
    """One path, and what a layer placed along it."""

    path: str  #: id of its layer
    name: str
    length: float  #: metres
    closed: bool
    knots: list[float]  #: metres from the start
    crossings: list[tuple[float, str]]  #: metres from the start, and the path that crosses there
    places: list[tuple[float, float]]  #: metres from the start, and to the right


def strip_maps(evaluation: Evaluation, layer_id: str) -> list[StripMap]:
    """The paths that a layer follows, each with what stands nearest to it.

    Raises:
        ParameterError: the layer is not there.
    """
    found = next((r for r in evaluation.layers if r.layer.id == layer_id), None)
    if found is None:
        raise ParameterError("layer", f"there is no layer {layer_id!r}")
    traced = evaluation.ground.traced
    names = {r.layer.id: r.layer.name for r in evaluation.layers}
    followed = {i: c for i in found.output.follows if isinstance(c := traced.get(i), Curve)}
    others = {i: c for i, c in traced.items() if isinstance(c, Curve)}
    placed = found.output.placements
    shown = first_of(placed.tiles, MOST_PLACES * len(followed)) if placed else []
    at = [t.placements.position[:, [0, 2]].astype(np.float64) for t in shown]
    places = np.concatenate(at) if at else np.empty((0, 2))
    on = {i: _on_line(_whole(c), np.ascontiguousarray(places)) for i, c in followed.items()}
    nearest = np.argmin([np.abs(a[:, 2]) for a in on.values()], axis=0) if on else None
    out = []
    for k, (i, path) in enumerate(followed.items()):
        mine = on[i][nearest == k]
        out.append(
            StripMap(
                path=i,
                name=names[i],
                length=float(_chain(_whole(path))[-1]),
                closed=path.closed,
                knots=_knots(path),
                crossings=[
                    (m, names[j]) for j, c in others.items() if j != i for m in _crossings(path, c)
                ],
                places=[(round(a, 2), round(s, 2)) for a, s in mine[:, :2].tolist()],
            )
        )
    return out


def _whole(path: Curve) -> Float64:
    """(n, 2) its line; of a closed one, back to its first point."""
    ends = path.closed and (path.line[0] != path.line[-1]).any()
    return np.concatenate([path.line, path.line[:1]]) if ends else path.line


def _chain(line: Float64) -> Float64:
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])


def _knots(path: Curve) -> list[float]:
    """Metres from the start at which its knots lie."""
    chain, spans = _chain(_whole(path)), path.spans
    first = np.searchsorted(spans[:-1], np.arange(int(spans[:-1].max(initial=0)) + 1))
    ends = [] if path.closed else [float(chain[-1])]
    return [*chain[first].tolist(), *ends]


def _crossings(path: Curve, other: Curve) -> list[float]:
    from shapely import LineString, get_coordinates

    line = LineString(_whole(path))
    points = get_coordinates(line.intersection(LineString(_whole(other))))
    return sorted(_on_line(_whole(path), np.ascontiguousarray(points))[:, 0].tolist())


@kernel
def _on_line(line: Float64, places: Float64) -> Float64:
    """(n, 3) metres along the line of the point nearest to each place, metres to the right of it, and how far it is."""
    out = np.zeros((places.shape[0], 3))
    for i in range(places.shape[0]):
        best, along, chain = np.inf, 0.0, 0.0
        for k in range(line.shape[0] - 1):
            dx, dz = line[k + 1, 0] - line[k, 0], line[k + 1, 1] - line[k, 1]
            long = np.sqrt(dx * dx + dz * dz)
            away, share = from_segment(line, k, places[i, 0], places[i, 1])
            if away < best:
                best, along = away, chain + share * long
                right = dx * (places[i, 1] - line[k, 1]) - dz * (places[i, 0] - line[k, 0])
                out[i, 1] = np.sqrt(away) if right >= 0 else -np.sqrt(away)
            chain += long
        out[i, 0], out[i, 2] = along, np.sqrt(best)
    return out
