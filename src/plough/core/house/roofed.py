"""What lies over a building: attics with their gables, roofs, ridges, chimneys, dormers, flat roofs with parapets."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from shapely import Polygon

from plough.core.arrays import Float64
from plough.core.house.body import Covered, FaceOf
from plough.core.house.facade import Cell, Edit, Filling, filled_with
from plough.core.house.forms import Drawing, Form, placed
from plough.core.house.kits import Kit
from plough.core.house.pieces import Brought, PieceParameters, form_of
from plough.core.house.plan import Ring, moved
from plough.core.house.roof import Roof, area_of, rim_of, sides_of, triangles_of
from plough.core.house.soup import Hung, Soup, level, upright
from plough.core.kernels import kernel
from plough.core.rng import stream, uniform

_PLACE = stream("house.place")
_RIDGE = (0.26, 0.09)  # metres wide and high
_LOWER = (1.0, 0.85, 0.7, 0.55)  # of its height that a piece may be, to have room in a gable
_CAP = np.array(
    [[k, (k + 1) % 4, (k + 1) % 4 + 4, k + 4] for k in range(4)] + [[3, 2, 1, 0], [4, 5, 6, 7]]
)  # the sides of a bar between two sections, seen from outside


class RoofLook(NamedTuple):
    """What lies on roofs; metres."""

    thick: float
    parapet: float  #: of flat ones; 0: none
    chimneys: int
    dormers: int
    ridge: bool


class Gable(NamedTuple):
    """An upright part under a roof, seen from outside."""

    face: FaceOf  #: from the foot of its lowest corner
    flat: Float64  #: (n, 2) its outline, counter-clockwise: metres to the right of its face's origin, and up
    points: Float64  #: (n, 3) the same corners: east, north and up


@lru_cache(maxsize=64)
def gables_of(c: Covered) -> tuple[Gable, ...]:
    """The upright parts under a roof; what leans on a wall of the house has no edge of the plan."""
    assert c.roof is not None
    points = c.roof.nodes + np.array([0.0, 0.0, c.low])
    found = [
        _gable(points[ring], c.region.names[face.edge], c.storey)
        for face in c.roof.faces
        if face.speed == 0
        for ring in face.rings
    ]
    out: list[Gable] = []
    for gable in found:
        same = sum(g.face.edge == gable.face.edge for g in out)
        id_ = f"{gable.face.id}.{same + 1}" if same else gable.face.id
        out.append(gable._replace(face=replace(gable.face, id=id_)))
    return tuple(out)


def _gable(points: Float64, edge: str, storey: int) -> Gable:
    # from left to right seen from outside: its ring runs so along its foot
    a = points[int(np.argmin(points[:, 2]))]
    far = points[int(np.argmax(np.linalg.norm(points[:, :2] - a[:2], axis=1)))]
    way = (far - a)[:2] / max(math.hypot(*(far - a)[:2]), 1e-9)
    flat = np.column_stack([(points[:, :2] - a[:2]) @ way, points[:, 2] - a[2]])
    if area_of(flat) < 0:
        way, flat = -way, flat * [-1.0, 1.0]
    left = float(flat[:, 0].min())
    origin = np.array([*(a[:2] + left * way), a[2]])
    flat = flat - [left, 0.0]
    wide, high = flat.max(axis=0).tolist()
    face = FaceOf(
        f"{edge}-gable{storey}",
        edge,
        storey,
        "gable",
        origin,
        way,
        np.array([way[1], -way[0]]),
        wide,
        high,
    )
    return Gable(face, flat, points)


def gable_cell(gable: Gable, filling: Filling, kit: Kit, edit: Edit) -> Cell:
    """The one cell of a gable, below its peak: with a piece where one has room, by hand or as its role has it."""
    face = gable.face
    wide = min(filling.role.wide, 0.5 * face.wide)
    left = float(gable.flat[np.argmax(gable.flat[:, 1]), 0]) - 0.5 * wide
    room = {name: _room(gable, piece, left, wide) for name, piece in kit.pieces.items()}
    fitting = tuple(x for x in filling.role.pieces if room.get(x[0]))
    own = filling._replace(role=replace(filling.role, pieces=fitting))
    name = edit.pieces.get(0, filled_with(own, face, 0))
    high = room.get(name, 0.0)
    piece = kit.pieces[name] if high else None
    return Cell(0, left, left + wide, piece, name if piece else "", left, wide, high)


def _room(gable: Gable, piece: PieceParameters | Brought, left: float, wide: float) -> float:
    """Metres high that a piece, as wide as told, can be in a gable; 0 where it has no room."""
    face, flat = gable.face, gable.flat
    if not face.edge or face.wide <= 2.4 or face.high <= 1.5:
        return 0.0
    if not piece.open and not isinstance(piece, Brought):
        return 0.0
    for share in _LOWER:
        high = share * min(2.2, 1.2 * face.high)
        fits = not piece.open or _within(flat, _hole(piece, left, wide, high), 0.25)
        if isinstance(piece, Brought):
            x, y = piece.size(wide, high)
            low, top = np.array(piece.box).reshape(2, 2) * [x, y] + [left + 0.5 * wide, 0.0]
            low[1] = max(low[1], 0.06)  # it may stand on the floor
            fits = fits and low[1] < top[1] and _within(flat, _box(low, top), 0.05)
        if fits:
            return high
    return 0.0


def _box(low: Float64, high: Float64) -> Float64:
    (x0, y0), (x1, y1) = low.tolist(), high.tolist()
    return np.array([[x0, y0], [x0, y1], [x1, y1], [x1, y0]])


def _hole(piece: PieceParameters | Brought, left: float, wide: float, high: float) -> Float64:
    """(4, 2) what a piece cuts out of a gable, clockwise."""
    x0, x1, y0, y1 = piece.opening(wide, high)
    return _box(np.array([left + x0, max(y0, 0.03)]), np.array([left + x1, y1]))


def attic(soup: Soup, c: Covered, owner: str, kit: Kit, cells: Sequence[Cell]) -> None:
    """The closed body under a roof: gables, each with its cell, slopes that the roof lies on, and its floor."""
    slot = "upper" if c.storey or not kit.posts else "wall"
    soup.add(_attic(c, owner, slot, tuple(cells)))


@lru_cache(maxsize=64)
def _attic(c: Covered, owner: str, slot: str, cells: tuple[Cell, ...]) -> Soup:
    roof = c.roof
    assert roof is not None
    soup = Soup()
    points = roof.nodes + np.array([0.0, 0.0, c.low])
    for face in roof.faces:
        if face.speed > 0:
            soup.flat(points, face.rings, "timber", owner)
    for gable, cell in zip(gables_of(c), cells, strict=True):
        _filled(soup, gable, cell, slot, owner)
    soup.flat(points, rim_of(roof.faces), slot, owner, under=True)
    return soup


def bare_gable(soup: Soup, gable: Gable, slot: str, owner: str) -> None:
    """An upright part under a roof, with nothing in it."""
    _filled(soup, gable, Cell(0, 0.0, 0.0, None, "", 0.0, 0.0, 0.0), slot, owner)


def _filled(soup: Soup, gable: Gable, cell: Cell, slot: str, owner: str) -> None:
    """An upright part under a roof, with what fills its cell."""
    face, flat, piece = gable.face, gable.flat, cell.piece
    if area_of(flat) < 1e-7:
        return
    rings, hole = [np.arange(len(flat))], np.empty((0, 2))
    at = (face.origin, face.way, face.out)
    if piece is not None and piece.open:
        hole = _hole(piece, cell.left, cell.wide, cell.high)
        rings.append(np.arange(len(flat), len(flat) + 4))
        near, deep = (np.column_stack([hole, np.full(4, z)]) for z in (0.0, -piece.depth))
        after = np.roll(np.arange(4), -1)
        quads = np.stack([near, deep, deep[after], near[after]], axis=1)
        soup.drawn(np.concatenate([quads, deep[None, ::-1]]), [slot] * 4 + ["glass"], owner, at)
    foot = face.origin + np.array([*(cell.left * face.way), 0.0])
    if isinstance(piece, Brought):
        middle = foot + np.array([*(0.5 * cell.wide * face.way), 0.0])
        size = piece.size(cell.wide, cell.high)
        soup.hung.append(Hung(piece.name, middle, face.way, face.out, size, face.id, 0))
    elif piece is not None:
        place = (foot, face.way, face.out)
        soup.form(form_of(piece), (cell.wide, cell.high), place, f"pieces {owner}")
    found = triangles_of(np.concatenate([flat, hole]), rings)
    # its outline is that of the slopes beside it, to the last bit
    inner = placed(np.column_stack([hole, np.zeros(len(hole))]), *at)
    soup.triangles(np.concatenate([upright(gable.points), inner])[found], slot, owner)


def shell(soup: Soup, roof: Roof, low: float, look: RoofLook, owner: str, detail: int) -> None:
    """The roof itself: closed, so thick across its slopes, its gables open to what is under it."""
    soup.add(_shell(roof, low, look.thick, owner, look.ridge and detail == 0))


@lru_cache(maxsize=64)
def _shell(roof: Roof, low: float, thick: float, owner: str, ridged: bool) -> Soup:
    soup = Soup()
    top = [face for face in roof.faces if face.speed > 0]
    steep = max(
        (math.hypot(1.0, 1.0 / f.speed) for f in top if math.isfinite(f.speed)), default=1.0
    )
    thick *= steep
    under = roof.nodes + np.array([0.0, 0.0, low + 0.004])
    over = under + np.array([0.0, 0.0, thick])
    for face in top:
        soup.flat(over, face.rings, "roof", owner)
        soup.flat(under, face.rings, "timber", owner, under=True)
    sides = np.array([[under[a], under[b], over[b], over[a]] for a, b in sides_of(top)]).reshape(
        -1, 4, 3
    )
    soup.quads(upright(sides), ["fascia"] * len(sides), owner)
    if ridged:
        for a, b in _ridges(roof):
            _rail(soup, over[a], over[b], f"ridge {owner}")
    return soup


@lru_cache(maxsize=64)
def _ridges(roof: Roof) -> list[tuple[int, int]]:
    """Sides of two slopes that both fall away from them: ridges and hips."""
    seen: dict[tuple[int, int], Float64] = {}
    out = []
    for face in roof.faces:
        if not 0 < face.speed < math.inf:
            continue
        for ring in face.rings:
            points = roof.nodes[ring]
            normal, middle = _normal_of(points), points.mean(axis=0)
            for a, b in pairwise([*ring.tolist(), int(ring[0])]):
                if (b, a) not in seen:
                    seen[a, b] = middle
                elif normal @ (seen[b, a] - roof.nodes[a]) < -1e-6:
                    out.append((a, b))
    return out


@kernel
def _within(ring: Float64, places: Float64, far: float) -> bool:
    """Whether the hull of some places (k, 2), which has no corner of a ring (n, 2) in it, lies inside and so far from its edges."""
    n = ring.shape[0]
    for p in range(places.shape[0]):
        x, y, inside = places[p, 0], places[p, 1], False
        for k in range(n):
            m = k + 1 if k + 1 < n else 0
            ax, ay, bx, by = ring[k, 0], ring[k, 1], ring[m, 0], ring[m, 1]
            if (ay > y) != (by > y) and x < ax + (y - ay) / (by - ay) * (bx - ax):
                inside = not inside
            dx, dy = bx - ax, by - ay
            t = min(max(((x - ax) * dx + (y - ay) * dy) / max(dx * dx + dy * dy, 1e-18), 0.0), 1.0)
            if (x - ax - t * dx) ** 2 + (y - ay - t * dy) ** 2 < far * far:
                return False
        if not inside:
            return False
    low, high = places[0].copy(), places[0].copy()
    for p in range(places.shape[0]):
        for c in range(2):
            low[c], high[c] = min(low[c], places[p, c]), max(high[c], places[p, c])
    for k in range(n):
        x, y = ring[k, 0], ring[k, 1]
        if low[0] < x < high[0] and low[1] < y < high[1]:
            return False
    return True


@kernel
def _normal_of(points: Float64) -> Float64:
    """The unit normal of a flat ring, upwards."""
    out = np.zeros(3)
    for k in range(points.shape[0]):
        m = k + 1 if k + 1 < points.shape[0] else 0
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            out[c] += points[k, d] * points[m, e] - points[k, e] * points[m, d]
    long = max(math.sqrt(out[0] ** 2 + out[1] ** 2 + out[2] ** 2), 1e-12)
    return out / long if out[2] >= 0.0 else -out / long


def _rail(soup: Soup, a: Float64, b: Float64, owner: str) -> None:
    """A cap along a ridge."""
    way = b - a
    long, level = math.sqrt(way @ way), math.hypot(way[0], way[1])
    if long < 0.15 or level < 0.05:
        return
    way = way / long
    side = np.array([-way[1], way[0], 0.0]) * (long / level)
    up = np.array([-way[2] * side[1], way[2] * side[0], way[0] * side[1] - way[1] * side[0]])
    w, h = 0.5 * _RIDGE[0], _RIDGE[1]
    profile = np.array([(-w, -0.5 * h), (w, -0.5 * h), (0.45 * w, 0.62 * h), (-0.45 * w, 0.62 * h)])
    section = profile[:, :1] * side + profile[:, 1:] * up
    box = np.concatenate([a - 0.02 * way + section, b + 0.02 * way + section])
    soup.quads(upright(box)[_CAP], ["cap"] * 6, owner)


class Chimney(NamedTuple):
    """Where one stands."""

    origin: Float64  #: (3,) on its ridge
    way: Float64  #: (2,) along that


def chimneys_of(c: Covered, count: int, seed: int) -> list[Chimney]:
    """Chimneys along the ridge."""
    assert c.roof is not None
    nodes = c.roof.nodes
    level = [(a, b) for a, b in _ridges(c.roof) if abs(nodes[a, 2] - nodes[b, 2]) < 1e-6]
    ridge = max(level, key=lambda e: math.dist(nodes[e[0]], nodes[e[1]]), default=None)
    if ridge is not None:
        a, b = (nodes[k] for k in ridge)
    else:
        top = nodes[int(np.argmax(nodes[:, 2]))]
        a, b = top - np.array([0.3, 0, 0]), top + np.array([0.3, 0, 0])
    if a[0] > b[0] or (a[0] == b[0] and a[1] > b[1]):
        a, b = b, a
    way = (b - a)[:2] / max(math.hypot(*(b - a)[:2]), 1e-9)
    shares = {1: (0.2,), 2: (0.0, 1.0), 3: (0.0, 0.5, 1.0)}.get(count, ())
    long = math.dist(a, b)
    inset = min(0.9 / long, 0.5) if long > 0 else 0.5
    out = []
    for k, share in enumerate(shares):
        moved_by = 0.08 * (uniform(np.uint64(seed), _PLACE, np.uint64(k)) - 0.5)
        at = a + (inset + (1 - 2 * inset) * min(1.0, max(0.0, share + moved_by))) * (b - a)
        out.append(Chimney(np.array([at[0], at[1], c.low + at[2]]), way))
    return out


def on_roof(soup: Soup, c: Covered, look: RoofLook, kit: Kit, seed: int) -> None:
    """Chimneys along the ridge, and dormers in the longest slopes."""
    for k, (origin, way) in enumerate(chimneys_of(c, look.chimneys, seed)):
        drawing = Drawing()
        drawing.box((-0.42, 0.42), (-1.6, 1.05), (-0.32, 0.32), "chimney")
        drawing.box((-0.48, 0.48), (1.05, 1.17), (-0.38, 0.38), "chimney")
        drawing.box((-0.42, 0.42), (1.17, 1.25), (-0.32, 0.32), "chimney")
        for x in (-0.2, 0.2):
            drawing.box((x - 0.1, x + 0.1), (1.25, 1.58), (-0.1, 0.1), "pot")
        out = np.array([way[1], -way[0]])
        soup.drawn(*drawing.drawn, f"chimney {k}", (origin, way, out))
    if look.dormers:
        _dormers(soup, c, look, kit)


def _dormers(soup: Soup, c: Covered, look: RoofLook, kit: Kit) -> None:
    """Dormers, shared out over the longest slopes: each a small closed house with a roof of its own."""
    assert c.roof is not None
    slopes: list[tuple[float, Float64, Float64, float, float]] = []
    for face in c.roof.faces:
        if not 0.2 < face.speed < 2.5 or face.piece:
            continue
        points = c.roof.nodes[face.rings[0]]
        foot = points[np.abs(points[:, 2]) < 1e-6]
        if len(foot) >= 2:
            a, b = foot[0], foot[-1]
            if len(foot) > 2:
                spread = np.linalg.norm(foot - foot[0], axis=1)
                b = foot[int(np.argmax(spread))]
            rise = float(points[:, 2].max())
            if rise > 2.2:
                slopes.append((math.dist(a, b), a, b, face.speed, rise))
    slopes.sort(key=lambda s: (-round(s[0], 3), tuple(s[1].round(3))))
    slopes = slopes[: min(2, look.dormers)]
    for k in range(look.dormers):
        if not slopes:
            return
        long, a, b, speed, rise = slopes[k % len(slopes)]
        many = (look.dormers + len(slopes) - 1 - k % len(slopes)) // len(slopes)
        place = (k // len(slopes) + 0.5) / many
        way = (b - a)[:2] / long
        inward = np.array([-way[1], way[0]])
        normal = c.roof.nodes[:, :2].mean(axis=0) - a[:2]
        if normal @ inward < 0:
            way, inward, a = -way, -inward, b
        wide, high, peak = 1.3, 1.15, 0.55
        up = 0.35 * min(rise - high - peak, 1.4)
        if up < 0.05 or long / many < wide + 0.8:
            continue
        middle = a[:2] + place * long * way + up * speed * inward
        origin = np.array([*(middle - 0.5 * wide * way), c.low + up])
        owner = f"dormer {k}"
        back = -(high + peak) * speed - 0.25
        front = [(0.0, 0.0), (wide, 0.0), (wide, high), (0.5 * wide, high + peak), (0.0, high)]
        at = (origin, way, -inward)
        _extruded(soup, front, (back, 0.0), at, "upper", owner)
        thick, eave, verge = 0.7 * look.thick, 0.14, 0.16
        eaves = high - peak * eave / (0.5 * wide)
        below = [(-eave, eaves), (0.5 * wide, high + peak), (wide + eave, eaves)]
        over = [(x, y + thick) for x, y in below[::-1]]
        _extruded(soup, below + over, (back, verge), at, "roof", f"{owner} roof")
        piece = kit.pieces.get(next((n for n, _ in kit.roles["upper"].pieces), ""))
        if piece is not None and piece.open:
            form = Form.of(_light)
            soup.form(form, (wide, high), at, f"pieces {owner}")


def _extruded(
    soup: Soup,
    profile: Sequence[tuple[float, float]],
    z: tuple[float, float],
    at: tuple[Float64, Float64, Float64],
    slot: str,
    owner: str,
) -> None:
    """A closed body with a profile (counter-clockwise seen from outside), from behind a wall to before it."""
    n = len(profile)
    far, near = (np.array([[x, y, depth] for x, y in profile]) for depth in z)
    sides = np.stack([far, np.roll(far, -1, 0), np.roll(near, -1, 0), near], axis=1)
    soup.drawn(sides, [slot] * n, owner, at)
    caps = triangles_of(near[:, :2], [np.arange(n)])
    soup.triangles(placed(near[caps], *at), slot, owner)
    soup.triangles(placed(far[caps[:, ::-1]], *at), slot, owner)


def _light(d: Drawing, w: float, h: float) -> None:
    """A window on a wall: a frame, panes and a bar."""
    x0, x1, y0, y1, f = 0.22 * w, 0.78 * w, 0.25 * h, 0.92 * h, 0.06
    d.box((x0, x1), (y0, y1), (0.0, 0.02), "glass", "back")
    d.box((x0 - f, x0), (y0 - f, y1 + f), (0.0, 0.05), "frame", "back")
    d.box((x1, x1 + f), (y0 - f, y1 + f), (0.0, 0.05), "frame", "back")
    d.box((x0, x1), (y1, y1 + f), (0.0, 0.05), "frame", "back left right")
    d.box((x0, x1), (y0 - f, y0), (0.0, 0.08), "frame", "back left right")
    d.box((0.5 * w - 0.02, 0.5 * w + 0.02), (y0, y1), (0.02, 0.04), "frame", "back")


def flat(soup: Soup, c: Covered, look: RoofLook, owner: str) -> None:
    """A flat roof: a slab with a parapet, closed; on what is narrow a ledge."""
    ring = Ring(c.region.rings[0], tuple(str(k) for k in range(len(c.region.rings[0]))))
    high, wide = (look.parapet, 0.24) if look.parapet > 0 else (0.0, 0.0)
    out = moved(ring, lambda _: 0.05)
    outer = out.corners if out.sound else ring.corners
    inner = moved(Ring(outer, ring.names), lambda _: -wide).corners if high else outer
    holes = c.region.rings[1:]
    if high:
        room = Polygon(inner)
        fits = room.is_valid and all(room.contains(Polygon(h).buffer(0.1)) for h in holes)
        if not fits or area_of(inner) < 0.4 * area_of(outer):
            high, inner = 0.0, outer
    base, slab = c.low + 0.004, c.low + 0.12
    n = len(outer)
    rows = np.arange(n)

    def wall(low: Float64, top: Float64, slot: str) -> None:
        soup.belt(low, top, slot, owner)

    every = np.concatenate([outer, *holes]) if holes else outer
    rings, start = [rows], n
    for hole in holes:
        rings.append(np.arange(start, start + len(hole)))
        start += len(hole)
    soup.flat(level(every, base), rings, "timber", owner, under=True)
    for hole in holes:
        wall(level(hole, base), level(hole, slab), "lintel")
    if not high:
        wall(level(outer, base), level(outer, slab), "lintel")
        soup.flat(level(every, slab), rings, "roof", owner)
        return
    crest = slab + high
    wall(level(outer, base), level(outer, crest), "lintel")
    crown = np.concatenate([level(outer, crest), level(inner, crest)])
    after = np.roll(rows, -1)
    quads = np.stack([crown[rows], crown[after], crown[n + after], crown[n + rows]], axis=1)
    soup.quads(upright(quads), ["cap"] * n, owner)
    wall(level(inner[::-1], slab), level(inner[::-1], crest), "lintel")
    inside = np.concatenate([inner, *holes]) if holes else inner
    soup.flat(level(inside, slab), rings, "roof", owner)
