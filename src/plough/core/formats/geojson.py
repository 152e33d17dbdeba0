"""Lines and outlines as GeoJSON (RFC 7946): read and written in metres east and north of the middle of the map, or read in degrees."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import orjson

from plough.core.errors import DocumentError

Ring = tuple[tuple[float, float], ...]
MOST_BYTES = 4_000_000
_EARTH = 6_371_008.8  # metres, mean radius
_PARTS = {
    "MultiLineString": "LineString",
    "MultiPolygon": "Polygon",
}


@dataclass(frozen=True, slots=True)
class Drawn:
    """A line, or an outline with its holes: corners east and south, in metres."""

    rings: tuple[
        Ring, ...
    ]  #: of a line one; of an outline, without the first corner at its end again
    closed: bool  #: an outline
    name: str = ""
    properties: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Read:
    """What a file held."""

    drawn: tuple[Drawn, ...]
    left_out: tuple[str, ...]  #: why other things in it were


def read_geojson(data: bytes, degrees: bool = False) -> Read:
    """The lines and polygons in `data`.

    Args:
        degrees: its coordinates are longitude and latitude; they are laid on the map about the middle of all.

    Raises:
        DocumentError: it is too large, no JSON, or no GeoJSON.
    """
    if len(data) > MOST_BYTES:
        raise DocumentError(f"the file has {len(data):,} bytes; the limit is {MOST_BYTES:,}")
    try:
        values = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise DocumentError(f"this is not JSON: {error}") from None
    drawn: list[Drawn] = []
    left_out: list[str] = []
    for k, feature in enumerate(_features(values)):
        named = feature.get("properties")
        properties = dict(named) if isinstance(named, Mapping) else {}
        name = str(properties.pop("name", "") or "")[:80]
        for geometry in _geometries(feature.get("geometry")):
            kind = geometry.get("type")
            if kind not in ("LineString", "Polygon"):
                left_out.append(f"feature {k + 1}: {kind} is neither a line nor an area")
                continue
            rings = _rings(geometry, f"feature {k + 1}")
            drawn.append(Drawn(rings, kind == "Polygon", name, properties))
    return Read(tuple(_projected(drawn) if degrees else drawn), tuple(left_out))


def _features(values: Any) -> Iterable[Mapping[str, Any]]:
    kind = values.get("type") if isinstance(values, Mapping) else None
    if kind == "FeatureCollection" and isinstance(values.get("features"), list):
        return [f for f in values["features"] if isinstance(f, Mapping)]
    if kind == "Feature":
        return [values]
    if kind in ("LineString", "Polygon", *_PARTS, "GeometryCollection"):
        return [{"geometry": values}]
    raise DocumentError("this is not GeoJSON: it has no features")


def _geometries(geometry: Any) -> Iterable[Mapping[str, Any]]:
    """Its lines and polygons, one by one."""
    if not isinstance(geometry, Mapping):
        return
    kind, inner = geometry.get("type"), geometry.get("coordinates")
    if kind == "GeometryCollection" and isinstance(geometry.get("geometries"), list):
        for one in geometry["geometries"]:
            yield from _geometries(one)
    elif kind in _PARTS and isinstance(inner, list):
        yield from ({"type": _PARTS[kind], "coordinates": c} for c in inner)
    else:
        yield geometry


def _rings(geometry: Mapping[str, Any], where: str) -> tuple[Ring, ...]:
    """East and south of its corners."""
    outline = geometry["type"] == "Polygon"
    try:
        lists = geometry["coordinates"] if outline else [geometry["coordinates"]]
        rings = tuple(tuple((float(p[0]), -float(p[1])) for p in ring) for ring in lists)
    except (TypeError, ValueError, IndexError, KeyError):
        raise DocumentError(f"{where}: its coordinates are no pairs of numbers") from None
    if not all(math.isfinite(v) for ring in rings for p in ring for v in p):
        raise DocumentError(f"{where}: its coordinates are no pairs of numbers")
    if not rings or not all(len(ring) >= (4 if outline else 2) for ring in rings):
        raise DocumentError(f"{where}: it has too few corners")
    return tuple(ring[:-1] if ring[0] == ring[-1] else ring for ring in rings) if outline else rings


def _projected(drawn: Sequence[Drawn]) -> list[Drawn]:
    """Degrees laid on the map: true to scale about the middle."""
    every = [p for s in drawn for ring in s.rings for p in ring]
    if not every:
        return list(drawn)
    if any(abs(x) > 180 or abs(z) > 90 for x, z in every):
        raise DocumentError(
            "the coordinates are no longitudes and latitudes: they go beyond 180 and 90"
        )
    x0 = (min(x for x, _ in every) + max(x for x, _ in every)) / 2
    z0 = (min(z for _, z in every) + max(z for _, z in every)) / 2
    metre = math.radians(1) * _EARTH
    wide = metre * math.cos(math.radians(z0))
    return [
        Drawn(
            tuple(tuple(((x - x0) * wide, (z - z0) * metre) for x, z in ring) for ring in s.rings),
            s.closed,
            s.name,
            s.properties,
        )
        for s in drawn
    ]


def write_geojson(drawn: Iterable[Drawn]) -> bytes:
    """What was drawn as a collection of features, in metres east and north."""
    features = []
    for s in drawn:
        rings = [[[x, -z] for x, z in ring] for ring in s.rings]
        closed = [[*ring, ring[0]] for ring in rings]
        geometry = (
            {"type": "Polygon", "coordinates": closed}
            if s.closed
            else {"type": "LineString", "coordinates": rings[0]}
        )
        properties = {"name": s.name, **s.properties}
        features.append({"type": "Feature", "properties": properties, "geometry": geometry})
    whole = {"type": "FeatureCollection", "features": features}
    return orjson.dumps(whole, option=orjson.OPT_INDENT_2)
