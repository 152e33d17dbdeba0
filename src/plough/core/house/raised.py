"""A building, raised: walls with their openings and pieces, footing and steps, and what lies over it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.house.body import Covered, FaceOf, Storey, faces_of
from plough.core.house.facade import Cell, Edit, Filling, cells_of
from plough.core.house.forms import Drawing, placed
from plough.core.house.kits import Kit, RoleName
from plough.core.house.pieces import band, form_of, post, steps
from plough.core.house.plan import Ring, moved
from plough.core.house.roof import area_of, height_along
from plough.core.house.roofed import RoofLook, attic, flat, on_roof, shell
from plough.core.house.soup import Soup, upright
from plough.core.house.supports import supports


class Footing(NamedTuple):
    """What a building stands on; metres."""

    high: float  #: above the ground
    out: float  #: beyond the walls
    deep: float  #: below the ground


class Raised(NamedTuple):
    """A building's triangles, and what was made."""

    soup: Soup
    faces: list[FaceOf]
    cells: dict[str, list[Cell]]  #: by face
    why: list[str]  #: what could not be made as asked for


def raised(
    storeys: Sequence[Storey],
    covered: Sequence[Covered],
    kit: Kit,
    fillings: Mapping[RoleName, Filling],
    edits: Mapping[str, Edit],
    footing: Footing,
    look: RoofLook,
    door: float,
    seed: int,
    detail: int,
) -> Raised:
    """Raise a building.

    Args:
        door: where along its front the door is, a share.
        detail: 0: all; 1: pieces without bars, no ridges; 2: walls and roofs alone.
    """
    soup = Soup()
    faces = faces_of(storeys)
    by_storey = {s.number: [f for f in faces if f.storey == s.number] for s in storeys}
    cells: dict[str, list[Cell]] = {}
    for s in storeys:
        for face in by_storey[s.number]:
            own = edits.get(face.id, Edit())
            at = door if face.storey == 0 and (own.role or face.role) == "front" else None
            cells[face.id] = cells_of(face, fillings, kit, own, at, _buried(face, covered, look))
        _walls(soup, s, by_storey[s.number], cells, detail)
        if detail < 2:
            for face in by_storey[s.number]:
                _filled(soup, face, cells[face.id], kit, detail, footing)
            _corners(soup, s, kit)
    if detail < 2 and len(storeys) > 1:
        supports(soup, storeys, footing.deep)
    for n, c in enumerate(covered):
        if c.roof is None or c.eaves is None:
            flat(soup, c, look, f"roof {n}")
            continue
        attic(soup, c, f"attic {n}", fillings["gable"], kit, detail)
        shell(soup, c.eaves, c.low, look, f"roof {n}", detail)
        if detail < 2 and n == _main(covered):
            on_roof(soup, c, look, kit, seed)
    block(soup, base_of(storeys[0].ring, footing.out), -footing.deep, footing.high)
    return Raised(soup, faces, cells, [c.why for c in covered if c.why])


def _main(covered: Sequence[Covered]) -> int:
    areas = [sum(area_of(r) for r in c.region.rings) if c.roof else -1.0 for c in covered]
    return int(np.argmax(areas)) if areas else -1


def _buried(
    face: FaceOf, covered: Sequence[Covered], look: RoofLook
) -> Callable[[float, float], float]:
    """How high roofs of lower parts go up before a face, between two places along it."""
    a = face.origin[:2] + 0.03 * face.out
    b = a + face.wide * face.way
    lines = []
    for c in covered:
        if c.storey >= face.storey or c.roof is None:
            continue
        found = height_along(c.roof, a, b)
        if len(found):
            lines.append((found[:, 0], found[:, 1] + c.low + 1.3 * look.thick - face.origin[2]))

    def over(start: float, end: float) -> float:
        most = -1.0
        for s, h in lines:
            if s[-1] < start or s[0] > end:
                continue
            at = np.array([max(start, s[0]), min(end, s[-1]), *s[(s > start) & (s < end)]])
            most = max(most, float(np.interp(at, s, h).max()))
        return most

    return over


def _walls(
    soup: Soup, s: Storey, faces: Sequence[FaceOf], cells: Mapping[str, list[Cell]], detail: int
) -> None:
    """The closed body of a storey: its faces with what is cut into them, floor and ceiling."""
    owner, slot = f"storey {s.number}", "upper" if s.number else "wall"
    plan: list[Float64] = []
    for face in faces:
        quads: list[Float64] = []
        slots: list[str] = []
        for cell in cells[face.id]:
            plan.append(face.origin[:2] + cell.start * face.way)
            own, its = _cut(face, cell, slot, detail)
            quads += own
            slots += its
        corners = np.array(quads)
        soup.quads(placed(corners, face.origin, face.way, face.out), slots, owner)
    ring = np.array(plan)
    for up, under in ((s.low, True), (s.high, False)):
        points = np.column_stack([ring, np.full(len(ring), up)])
        soup.flat(points, [np.arange(len(ring))], slot, owner, under)


def _cut(face: FaceOf, cell: Cell, slot: str, detail: int) -> tuple[list[Float64], list[str]]:
    """A cell of a face, with its opening: about it, its reveals, and what closes it."""
    a, b, h = cell.start, cell.end, face.high

    def at(x: float, y: float, z: float = 0.0) -> Float64:
        return np.array([x, y, z])

    piece = cell.piece
    if piece is None or not piece.open or detail > 1:
        quads = [np.array([at(a, 0), at(b, 0), at(b, h), at(a, h)])]
        slots = [slot]
        if piece is not None and piece.open:
            # from afar it is a dark patch
            x0, x1, y0, y1 = _opening(cell, h)
            z = 0.015
            quads.append(np.array([at(x0, y0, z), at(x1, y0, z), at(x1, y1, z), at(x0, y1, z)]))
            slots.append("door" if piece.what == "door" else "glass")
        return quads, slots
    x0, x1, y0, y1 = _opening(cell, h)
    back = -piece.depth
    outer = [at(a, 0), at(b, 0), at(b, h), at(a, h)]
    inner = [at(x0, y0), at(x1, y0), at(x1, y1), at(x0, y1)]
    deep = [p + at(0, 0, back) for p in inner]
    quads = []
    for k in range(4):
        j = (k + 1) % 4
        quads.append(np.array([outer[k], outer[j], inner[j], inner[k]]))
    for k in range(4):
        j = (k + 1) % 4
        quads.append(np.array([inner[k], inner[j], deep[j], deep[k]]))
    quads.append(np.array(deep))
    return quads, [slot] * 8 + ["door" if piece.what == "door" else "glass"]


def _opening(cell: Cell, high: float) -> tuple[float, float, float, float]:
    assert cell.piece is not None
    x0, x1, y0, y1 = cell.piece.opening(cell.wide, high)
    return cell.left + x0, cell.left + x1, max(y0, 0.03), y1


def _filled(
    soup: Soup, face: FaceOf, cells: Sequence[Cell], kit: Kit, detail: int, footing: Footing
) -> None:
    """The pieces of a face, and what runs along it."""
    owner = f"pieces {face.id}"

    def drawn(drawing: Drawing, x: float, y: float) -> None:
        origin = face.origin + np.array([*(x * face.way), y])
        corners = placed(drawing.quads, origin, face.way, face.out)
        soup.quads(corners, drawing.slots, owner)

    for cell in cells:
        if cell.piece is None:
            continue
        origin = face.origin + np.array([*(cell.left * face.way), 0.0])
        piece = cell.piece
        if detail:
            piece = piece.model_copy(update={"across": 1, "up": 1, "boards": 1, "shutters": False})
        form = form_of(piece)
        if len(form.slots):
            soup.form(form, (cell.wide, face.high), (origin, face.way, face.out), owner)
        if piece.what == "door" and face.storey == 0 and footing.high > 0.08:
            x0, x1, _, _ = _opening(cell, face.high)
            drawn(steps(x1 - x0 + 0.3, footing.high), 0.5 * (x0 + x1), 0.03)
    high, out, slot = kit.band
    if kit.posts:
        for a, b in pairwise(cells):
            if a.end == b.start:
                drawn(post(kit.posts, face.high, 0.03), a.end, 0.0)
        drawn(band(face.wide, high, out, slot), 0.0, 0.0)
    if high:
        drawn(band(face.wide, high, out, slot), 0.0, face.high - high)


def _corners(soup: Soup, s: Storey, kit: Kit) -> None:
    """Posts or quoins where two faces meet in a corner that goes out."""
    if kit.corner == "none":
        return
    n = len(s.ring)
    for k in range(n):
        a, b = s.ring.ends(k - 1)
        _, c = s.ring.ends(k)
        come, go = (b - a) / math.hypot(*(b - a)), (c - b) / math.hypot(*(c - b))
        if come[0] * go[1] - come[1] * go[0] < 0.5:
            continue
        owner = f"corner {s.ring.names[k]}-{s.number}"
        out = np.array([come[1], -come[0]])
        drawing = Drawing()
        high = s.high - s.low
        if kit.corner == "post":
            w = 1.25 * kit.posts
            drawing.box((-w, 0.035), (0.0, high), (-w, 0.035), "timber")
        else:
            rows = max(2, round(high / 0.24))
            if rows % 2:
                rows += 1
            for r in range(rows):
                long, short = (0.44, 0.22) if r % 2 else (0.22, 0.44)
                y = high * r / rows
                drawing.box(
                    (-long, 0.018), (y + 0.004, y + high / rows - 0.004), (-short, 0.018), "chimney"
                )
        origin = np.array([*b, s.low])
        soup.quads(placed(drawing.quads, origin, come, out), drawing.slots, owner)


def base_of(ring: Ring, out: float) -> Float64:
    """(n, 2) the outline of a footing that stands out so far."""
    wider = moved(ring, lambda _: out)
    return wider.corners if wider.sound else ring.corners


def block(soup: Soup, corners: Float64, low: float, high: float) -> None:
    """Add a footing over an outline (n, 2) from a height to another."""
    n = len(corners)
    bottom, top = (np.column_stack([corners, np.full(n, up)]) for up in (low, high))
    after = np.roll(np.arange(n), -1)
    sides = np.stack([bottom, bottom[after], top[after], top], axis=1)
    soup.quads(upright(sides), ["plinth"] * n, "footing")
    soup.flat(top, [np.arange(n)], "plinth", "footing")
    soup.flat(bottom, [np.arange(n)], "plinth", "footing", under=True)
