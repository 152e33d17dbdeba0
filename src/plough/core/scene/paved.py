"""Ways paved through what is laid along a line."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Literal, NamedTuple, Protocol

import numpy as np

from plough.core.arrays import Float64
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.lay.masonry import has_sill
from plough.core.lay.openings import along
from plough.core.lay.paving import (
    KERB,
    MOST_STONES,
    SIZES,
    Paving,
    Way,
    kerb_mesh,
    many_of,
    paved,
    paving_mesh,
    way_of,
    without,
)
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span
from plough.core.lay.skin import Skin
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, join
from plough.core.parameters import choice, number
from plough.core.place.street import Course
from plough.core.rng import stream
from plough.core.scene.facets import Solid
from plough.core.scene.inputs import Inputs
from plough.core.tiles import tile_of

VERSION = 1  #: raised when the same paving comes out otherwise
PAVINGS = {"none": "No", "flags": "With flags", "setts": "With setts", "cobbles": "With cobbles"}
_STANDS = 0.022  # metres that stones stand above the ground: more than a path of itself
_CROWN = 0.045  # metres more in the middle
_GAPS = {"flags": 0.012, "setts": 0.009, "cobbles": 0.010}  # metres
_STEP = 0.25  # metres between the points of a way
_LEAST_SINE = 0.3  # of the angle between a path and a line


def paving() -> Any:
    """Field of what lies in openings."""
    return choice(
        "none",
        "Paved through",
        PAVINGS,
        group="Openings",
        help="Along the path, or straight where none crosses.",
    )


def apron() -> Any:
    """Field of how far paving goes."""
    return number(
        0.8,
        "Paved beyond",
        (0, 10),
        soft=(0, 3),
        unit="m",
        step=0.1,
        group="Openings",
        help="Before each face.",
    )


class Paved(Protocol):
    """Parameters of what has ways through it."""

    @property
    def paved(self) -> Literal["none", "flags", "setts", "cobbles"]: ...
    @property
    def apron(self) -> float: ...


class Through(NamedTuple):
    """What ways go through."""

    thick: float  #: metres
    sill: float  #: metres before its faces that what lies at the foot of openings stands; less than 0 where nothing does
    seed: int
    skin: Skin  #: of paving
    stone: Material


def paved_through(
    p: Paved,
    spans: Sequence[Span],
    openings: Sequence[Sequence[Opening]],
    through: Through,
    inputs: Inputs,
) -> list[Solid]:
    """The paving of ways through a run, opening by opening."""
    if p.paved == "none":
        return []
    surface, paths = inputs.surface(), inputs.walked()
    out = []
    for span, own in zip(spans, openings, strict=True):
        for o in own:
            if not 0 <= 0.5 * (o.start + o.end) < span.length:
                continue
            name = f"paved {span.number} {o.id}"
            seed = through.seed ^ int(stream(name))
            rule = Paving(seed, p.paved, SIZES[p.paved], _GAPS[p.paved], _STANDS, _CROWN)
            way = _way(span, o, 0.5 * through.thick + p.apron, paths)
            many = many_of(way, rule)
            if many > MOST_STONES:
                rule = rule._replace(size=rule.size * math.sqrt(many / MOST_STONES))
                text = f"paving would take {many:,.0f} stones; they are larger, to be {MOST_STONES:,} at most: pave less far, or with flags"
                inputs.find("paving-coarser", text)
            told = [digest(a.tobytes()) for a in way]
            key = key_of(
                "paved", VERSION, name, span.key, repr((own, rule, through)), told, surface.key
            )
            make = partial(_made, name, key, span, own, way, rule, through, surface)
            made = inputs.kept(key, make, lambda s: s.mesh.nbytes if s else 100)
            out += [made] if made else []
    return out


def paved_path(
    name: str,
    course: Course,
    rule: Paving,
    wide: float,
    kerb: bool,
    skin: Skin,
    stone: Material,
    inputs: Inputs,
) -> list[Solid]:
    """The paving of a path from knot to knot.

    Args:
        wide: metres; 0: as the path.
        kerb: whether its borders have kerbs.
    """
    surface, out = inputs.surface(), []
    for k, stretch in enumerate(course.stretches):
        inputs.check()
        way = Way(*stretch)
        if wide:
            way = way._replace(half=np.full(len(way.at), 0.5 * wide))
        title = f"paved {name} {k}"
        own = rule._replace(seed=rule.seed ^ int(stream(title)))
        told = [digest(a.tobytes()) for a in way]
        key = key_of(
            "paved path", VERSION, title, repr((own, kerb, skin, stone)), told, surface.key
        )
        make = partial(_stretch, title, key, way, own, kerb, skin, stone, surface)
        out.append(inputs.kept(key, make, lambda s: s.mesh.nbytes))
    return out


def _stretch(
    name: str,
    key: str,
    way: Way,
    rule: Paving,
    kerb: bool,
    skin: Skin,
    stone: Material,
    surface: Surface,
) -> Solid:
    kerb = kerb and float(way.half.min()) > 2.0 * KERB  # where it has room between them
    inner = way._replace(half=way.half - KERB) if kerb else way
    stones = paved(inner, rule)

    def laid(detail: int) -> Mesh:
        mesh = paving_mesh(inner, stones, rule, surface, skin, detail)
        return join([mesh, kerb_mesh(way, rule, surface, skin, detail)]) if kerb else mesh

    return _solid_of(name, key, laid, stone)


def _way(span: Span, o: Opening, reach: float, paths: Sequence[tuple[str, Curve]]) -> Way:
    """Where the path of an opening goes through it, or a straight way where it has none."""
    middle = 0.5 * (o.start + o.end)
    place = np.array(span.place(middle))
    before, behind = (np.array(span.place(middle + d)) for d in (-0.2, 0.2))
    ahead = (behind - before) / max(float(np.hypot(*(behind - before))), 1e-9)
    for name, path in paths:
        if not o.id.startswith(f"{name} "):
            continue
        at, away, other = along(path.line, place)
        if away > 0.5:
            continue
        sine = abs(ahead[0] * other[1] - ahead[1] * other[0])
        long = reach / max(sine, _LEAST_SINE)
        chain = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path.line, axis=0).T))])
        low, high = max(0.0, at - long), min(float(chain[-1]), at + long)
        if high - low > _STEP:
            s = np.linspace(low, high, max(2, round((high - low) / _STEP)) + 1)
            line = np.column_stack([np.interp(s, chain, path.line[:, c]) for c in range(2)])
            return way_of(line, np.interp(s, chain, path.half))
    across = np.array([-ahead[1], ahead[0]])
    s = np.linspace(-reach, reach, max(2, round(2.0 * reach / _STEP)) + 1)
    half = np.full(len(s), 0.5 * (o.end - o.start))
    return way_of(place + s[:, None] * across, half)


def _standing(span: Span, openings: Sequence[Opening], through: Through) -> list[object]:
    """The ground that a run and its sills take up, as polygons."""
    from shapely import LineString

    low, high = float(span.at[0]), float(span.at[-1])
    edges = [low, *(x for o in openings for x in (o.start, o.end)), high]
    parts = [(a, b, 0.0) for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a > 1e-6]
    if through.sill >= 0:
        parts += [
            (max(o.start, low), min(o.end, high), through.sill)
            for o in openings
            if has_sill(o, span)
        ]
    out: list[object] = []
    for a, b, before in parts:
        inside = span.at[(span.at > a) & (span.at < b)]
        line: Float64 = np.array([span.place(float(s)) for s in (a, *inside, b)])
        out.append(LineString(line).buffer(0.5 * through.thick + before, cap_style="flat"))
    return out


def _made(
    name: str,
    key: str,
    span: Span,
    openings: Sequence[Opening],
    way: Way,
    rule: Paving,
    through: Through,
    surface: Surface,
) -> Solid | None:
    stones = without(way, paved(way, rule), _standing(span, openings, through))
    if not len(stones):
        return None

    def laid(detail: int) -> Mesh:
        return paving_mesh(way, stones, rule, surface, through.skin, detail)

    return _solid_of(name, key, laid, through.stone)


def _solid_of(name: str, key: str, laid: Callable[[int], Mesh], stone: Material) -> Solid:
    mesh = laid(0)
    middle = mesh.positions.mean(axis=0)
    (tile,) = tile_of(middle[:1], middle[2:]).tolist()
    coarser = (partial(laid, 1), partial(laid, 2))
    used = {"stone": stone}
    return Solid(name, mesh, used, key, tile=(tile[0], tile[1]), coarser=coarser)
