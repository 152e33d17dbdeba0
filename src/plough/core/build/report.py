"""What a mesh from outside is, what is wrong with it, and what would put it right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from plough.core.arrays import Float64
from plough.core.build.body import BodyParameters, body_of
from plough.core.build.imported import UNITS
from plough.core.build.soup import Soup, faults_of, gather, turned_outwards, without_flat
from plough.core.formats.model import Model, Piece
from plough.core.mesh.topology import holes

_LIKELY = (0.04, 60.0)  #: metres, of the greatest side of what is placed in a scene
_COVERS, _STOUT = (
    90,
    150,
)  #: per cent of a mesh that a collider holds at least, and of its volume that it has at most


@dataclass(frozen=True, slots=True)
class Fault:
    """A sentence on something that is wrong, and the parameters that mend it, if any do."""

    text: str
    mend: dict[str, Any] = field(default_factory=dict)
    advised: bool = False  #: whether the mend is safe to take unasked


@dataclass(frozen=True, slots=True)
class Report:
    """What is known of a model before it becomes an asset."""

    parameters: dict[str, Any]  #: unit and upward axis that are likely
    sizes: dict[str, tuple[float, float, float]]  #: metres along the file's axes, by unit
    triangles: int
    materials: tuple[str, ...]
    images: int
    nodes: tuple[str, ...]
    colliders: int
    faults: tuple[Fault, ...]


def likely(model: Model) -> dict[str, Any]:
    """The unit and the upward axis that a model most probably is in.

    GLB says both. Of the others STL is in millimetres and Z upwards as a rule; the unit is the first of metres, centimetres and
    millimetres in which its greatest side is that of something to be placed.
    """
    if model.format == "glb":
        return {"unit": "m", "up": "y"}
    low, high = model.bounds()
    side = max(float(b) - float(a) for a, b in zip(low, high, strict=True))
    order = ("mm", "cm", "m") if model.format == "stl" else ("m", "cm", "mm")
    fit = [u for u in order if _LIKELY[0] <= side * UNITS[u] <= _LIKELY[1]]
    return {
        "unit": fit[0] if fit else order[0],
        "up": "z" if model.format == "stl" else "y",
    }


def report(model: Model) -> Report:
    """What `model` is."""
    parameters = likely(model)
    low, high = model.bounds()
    x, y, z = (float(b) - float(a) for a, b in zip(low, high, strict=True))
    seen = [p for p in model.pieces if not p.collides]
    worn = [model.coverings[k] for k in sorted({p.covering for p in seen})]
    return Report(
        parameters,
        {unit: (x * metres, y * metres, z * metres) for unit, metres in UNITS.items()},
        model.triangles,
        tuple(c.name for c in worn),
        sum(len(c.images) for c in worn),
        tuple(dict.fromkeys(p.name for p in seen)),
        len(model.pieces) - len(seen),
        tuple(_faults(model, parameters)),
    )


def _many(n: int, one: str, more: str) -> str:
    return f"1 {one}" if n == 1 else f"{n:,} {more}"


def _soup(pieces: Sequence[Piece], low: Float64, size: float) -> Soup | None:
    """Pieces within a cube of one: how large they are does not matter for what is wrong with them."""
    if not pieces:
        return None
    return gather(pieces, [(p.positions.astype(np.float64) - low) / size for p in pieces])


def _faults(model: Model, parameters: dict[str, Any]) -> list[Fault]:
    low, high = (corner.astype(np.float64) for corner in model.bounds())
    size = max(float((high - low).max()), 1e-30)
    soup = _soup([p for p in model.pieces if not p.collides], low, size)
    came = _soup([p for p in model.pieces if p.collides], low, size)
    assert soup is not None, "a model has triangles that are seen"
    found = faults_of(soup)
    out: list[Fault] = []
    side = size * UNITS[parameters["unit"]]
    if not _LIKELY[0] <= side <= _LIKELY[1]:
        out.append(Fault(f"it is {side:,.3g} m large: its unit, or its size, may be another"))
    elif parameters["unit"] != "m":
        name = {"cm": "centimetres", "mm": "millimetres"}[parameters["unit"]]
        out.append(Fault(f"taken to be in {name}; the file does not say"))
    if found.flat:
        text = f"{_many(found.flat, 'triangle has', 'triangles have')} no area: left out"
        out.append(Fault(text))
    if found.inwards:
        text = f"{_many(found.inwards, 'triangle faces', 'triangles face')} inwards: turn them"
        out.append(Fault(text, {"mend.outwards": True}, True))
    if found.open_edges:
        loops = len(holes(turned_outwards(without_flat(soup)).points()))
        edges = _many(found.open_edges, "open edge", "open edges")
        where = f", about {_many(loops, 'hole: close it', 'holes: close them')}" if loops else ""
        out.append(Fault(edges + where, {"mend.holes": True} if loops else {}))
    if found.crossed:
        words = ("edge joins", "edges join")
        out.append(Fault(f"{_many(found.crossed, *words)} more than two triangles"))
    for count, what in (
        (found.bare, "no normals: they are made, sharp above 40°"),
        (found.unmapped, "no texture coordinates: they are laid on from six sides"),
    ):
        if count:
            out.append(Fault(f"{_many(count, 'triangle has', 'triangles have')} {what}"))
    if came is not None:
        out.append(_collider(without_flat(soup), came))
    for covering in model.coverings:
        if covering.alpha == "blend":
            out.append(Fault(f"{covering.name}: see-through; it is cut out at a half"))
        if "emission" in covering.images:
            out.append(Fault(f"{covering.name}: its image of what glows is left out"))
        if "albedo" in covering.images and found.unmapped:
            out.append(Fault(f"{covering.name}: has an image; it may not lie as it should"))
    return out


def _collider(soup: Soup, came: Soup) -> Fault:
    """How well the collider that came along fits; one that does is advised."""
    body = body_of(BodyParameters(collider="supplied"), soup, came)
    share = "" if body.volume is None else f" has {body.volume} % of the volume and"
    fits = body.covered >= _COVERS and (body.volume or 0) <= _STOUT
    text = f"its collider{share} holds {body.covered} % of the mesh"
    if fits:
        return Fault(f"{text}: use it", {"game.collider": "supplied"}, True)
    return Fault(f"{text}: a hull is made in its place")
