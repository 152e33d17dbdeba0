"""What lies over a building: attics with their gables, roofs, ridges, chimneys, dormers, flat roofs with parapets."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from shapely import Polygon

from plough.core.arrays import Float64
from plough.core.house.body import Covered
from plough.core.house.facade import Filling
from plough.core.house.forms import Drawing, Form, placed
from plough.core.house.kits import Kit
from plough.core.house.pieces import form_of
from plough.core.house.plan import Ring, moved
from plough.core.house.roof import Roof, area_of, rim_of, sides_of, triangles_of
from plough.core.house.soup import Soup, upright
from plough.core.rng import stream, uniform

_PLACE = stream("house.place")
_RIDGE = (0.26, 0.09)  # metres wide and high


class RoofLook(NamedTuple):
    """What lies on roofs; metres."""

    thick: float
    parapet: float  #: of flat ones; 0: none
    chimneys: int
    dormers: int
    ridge: bool


def attic(
    soup: Soup,
    c: Covered,
    owner: str,
    filling: Filling,
    kit: Kit,
    detail: int,
) -> None:
    """The closed body under a roof: gables, slopes that the roof lies on, and its floor."""
    roof = c.roof
    assert roof is not None
    slot = "upper" if c.storey or not kit.posts else "wall"
    points = roof.nodes + np.array([0.0, 0.0, c.low])
    for face in roof.faces:
        if face.speed > 0:
            soup.flat(points, face.rings, "timber", owner)
            continue
        for ring in face.rings:
            _gable(soup, points[ring], slot, owner, filling, kit, detail)
    soup.flat(points, rim_of(roof.faces), slot, owner, under=True)


def _gable(
    soup: Soup,
    points: Float64,
    slot: str,
    owner: str,
    filling: Filling,
    kit: Kit,
    detail: int,
) -> None:
    """An upright part under a roof, with the piece of gables where one has room."""
    # from left to right seen from outside: its ring runs so along its foot
    low = int(np.argmin(points[:, 2]))
    a = points[low]
    far = points[int(np.argmax(np.linalg.norm(points[:, :2] - a[:2], axis=1)))]
    way = (far - a)[:2] / max(math.hypot(*(far - a)[:2]), 1e-9)
    flat = np.column_stack([(points[:, :2] - a[:2]) @ way, points[:, 2]])
    if area_of(flat) < 0:
        way, flat = -way, flat * [-1.0, 1.0]
    if area_of(flat) < 1e-7:
        return
    out = np.array([way[1], -way[0]])
    rings = [np.arange(len(flat))]
    name = filling.role.pieces[0][0] if filling.role.pieces else ""
    piece = kit.pieces.get(name)
    wide, high = float(np.ptp(flat[:, 0])), float(np.ptp(flat[:, 1]))
    corners = flat
    if piece is not None and piece.open and wide > 2.4 and high > 1.5 and detail < 2:
        cell = min(filling.role.wide, 0.5 * wide)
        tall = min(2.2, 1.2 * high)
        x0, x1, y0, y1 = piece.opening(cell, tall)
        peak = float(flat[np.argmax(flat[:, 1]), 0])
        left, foot = peak - 0.5 * cell, float(flat[:, 1].min())
        hole = np.array([[x0, y0], [x0, y1], [x1, y1], [x1, y0]]) + np.array([left, foot])
        if Polygon(flat).buffer(-0.25).contains(Polygon(hole)):
            corners = np.concatenate([flat, hole])
            rings.append(np.arange(len(flat), len(flat) + 4))
            base = np.array([*a[:2], 0.0])
            deep = np.column_stack([hole, np.full(4, -piece.depth)])
            near = np.column_stack([hole, np.zeros(4)])
            quads = [
                np.array([near[k], deep[k], deep[(k + 1) % 4], near[(k + 1) % 4]]) for k in range(4)
            ]
            quads.append(deep[::-1])
            soup.quads(placed(np.array(quads), base, way, out), [slot] * 4 + ["glass"], owner)
            form = form_of(piece)
            origin = np.array([*(a[:2] + left * way), foot])
            soup.form(form, (cell, tall), (origin, way, out), f"pieces {owner}")
    found = np.array(triangles_of(corners, rings), np.int64).reshape(-1, 3)
    hole = np.column_stack([corners[len(flat) :], np.zeros(len(corners) - len(flat))])
    # its outline is that of the slopes beside it, to the last bit
    inner = placed(hole, np.array([*a[:2], 0.0]), way, out)
    soup.triangles(np.concatenate([upright(points), inner])[found], slot, owner)


def shell(soup: Soup, roof: Roof, low: float, look: RoofLook, owner: str, detail: int) -> None:
    """The roof itself: closed, so thick across its slopes, its gables open to what is under it."""
    top = [face for face in roof.faces if face.speed > 0]
    steep = max(
        (math.hypot(1.0, 1.0 / f.speed) for f in top if math.isfinite(f.speed)), default=1.0
    )
    thick = look.thick * steep
    under = roof.nodes + np.array([0.0, 0.0, low + 0.004])
    over = under + np.array([0.0, 0.0, thick])
    for face in top:
        soup.flat(over, face.rings, "roof", owner)
        soup.flat(under, face.rings, "timber", owner, under=True)
    sides = np.array([[under[a], under[b], over[b], over[a]] for a, b in sides_of(top)]).reshape(
        -1, 4, 3
    )
    soup.quads(upright(sides), ["fascia"] * len(sides), owner)
    if look.ridge and detail == 0:
        for a, b in _ridges(roof):
            _rail(soup, over[a], over[b], f"ridge {owner}")


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
            for a, b in zip(ring.tolist(), np.roll(ring, -1).tolist(), strict=True):
                if (b, a) not in seen:
                    seen[a, b] = middle
                elif normal @ (seen[b, a] - roof.nodes[a]) < -1e-6:
                    out.append((a, b))
    return out


def _normal_of(points: Float64) -> Float64:
    """The unit normal of a flat ring, upwards."""
    after = np.roll(points, -1, axis=0)
    n = np.cross(points, after).sum(axis=0)
    n = n / max(float(np.linalg.norm(n)), 1e-12)
    return np.asarray(n if n[2] >= 0 else -n)


def _rail(soup: Soup, a: Float64, b: Float64, owner: str) -> None:
    """A cap along a ridge."""
    way = b - a
    long = float(np.linalg.norm(way))
    level = math.hypot(way[0], way[1])
    if long < 0.15 or level < 0.05:
        return
    way = way / long
    side = np.array([-way[1], way[0], 0.0]) / max(math.hypot(way[0], way[1]), 1e-9)
    up = np.cross(way, side)
    if up[2] < 0:
        up, side = -up, -side
    w, h = 0.5 * _RIDGE[0], _RIDGE[1]
    profile = [(-w, -0.5 * h), (w, -0.5 * h), (0.45 * w, 0.62 * h), (-0.45 * w, 0.62 * h)]
    ends = [[e + x * side + y * up for x, y in profile] for e in (a - 0.02 * way, b + 0.02 * way)]
    near, far = ends
    quads = [[near[k], near[(k + 1) % 4], far[(k + 1) % 4], far[k]] for k in range(4)]
    quads += [near[::-1], far]
    corners = np.array(quads)
    # outwards, whichever way the ridge runs
    middle = corners.reshape(-1, 3).mean(axis=0)
    for k in range(len(corners)):
        n = np.cross(corners[k, 1] - corners[k, 0], corners[k, 2] - corners[k, 0])
        if n @ (corners[k].mean(axis=0) - middle) < 0:
            corners[k] = corners[k, ::-1]
    soup.quads(upright(corners), ["cap"] * 6, owner)


def on_roof(soup: Soup, c: Covered, look: RoofLook, kit: Kit, seed: int) -> None:
    """Chimneys along the ridge, and dormers in the longest slopes."""
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
    shares = {1: (0.2,), 2: (0.0, 1.0), 3: (0.0, 0.5, 1.0)}.get(look.chimneys, ())
    long = math.dist(a, b)
    inset = min(0.9 / long, 0.5) if long > 0 else 0.5
    for k, share in enumerate(shares):
        moved_by = 0.08 * (uniform(np.uint64(seed), _PLACE, np.uint64(k)) - 0.5)
        at = a + (inset + (1 - 2 * inset) * min(1.0, max(0.0, share + moved_by))) * (b - a)
        drawing = Drawing()
        drawing.box((-0.42, 0.42), (-1.6, 1.05), (-0.32, 0.32), "chimney")
        drawing.box((-0.48, 0.48), (1.05, 1.17), (-0.38, 0.38), "chimney")
        drawing.box((-0.42, 0.42), (1.17, 1.25), (-0.32, 0.32), "chimney")
        for x in (-0.2, 0.2):
            drawing.box((x - 0.1, x + 0.1), (1.25, 1.58), (-0.1, 0.1), "pot")
        origin = np.array([at[0], at[1], c.low + at[2]])
        out = np.array([way[1], -way[0]])
        corners = placed(drawing.quads, origin, way, out)
        soup.quads(corners, drawing.slots, f"chimney {k}")
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
    soup.quads(placed(sides, *at), [slot] * n, owner)
    caps = np.array(triangles_of(near[:, :2], [np.arange(n)]), np.int64)
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

    def level(points: Float64, up: float) -> Float64:
        return np.column_stack([points, np.full(len(points), up)])

    def wall(low: Float64, top: Float64, slot: str) -> None:
        after = np.roll(np.arange(len(low)), -1)
        sides = np.stack([low, low[after], top[after], top], axis=1)
        soup.quads(upright(sides), [slot] * len(low), owner)

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
