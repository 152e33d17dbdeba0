"""A building, raised: walls with their openings and pieces, footing and steps, and what lies over it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.house.body import Covered, FaceOf, Storey, faces_of
from plough.core.house.facade import Cell, Edit, Filling, cells_of
from plough.core.house.forms import Drawing, Drawn
from plough.core.house.kits import Kit, RoleName
from plough.core.house.pieces import BEHIND, Brought, band, form_of, post, steps
from plough.core.house.plan import Ring, moved
from plough.core.house.roof import area_of, height_along
from plough.core.house.roofed import (
    RoofLook,
    attic,
    flat,
    gable_cell,
    gables_of,
    on_roof,
    shell,
)
from plough.core.house.soup import Hung, Soup, level
from plough.core.house.supports import supports
from plough.core.kernels import kernel

_ROUNDS = (
    (0.0, 0.28),
    (0.35, 0.52),
    (0.62, 0.9),
)  #: of a cornice: from where up, and how far out, shares of its height
_QUOIN = 0.44  # metres, the long side


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
    outlines: dict[str, tuple[tuple[float, float], ...]]  #: of gables, by face
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
    cornice: float = 0.0,
) -> Raised:
    """Raise a building.

    Args:
        door: where along its front the door is, a share.
        detail: 0: all; 1: pieces without bars, no ridges; 2: walls and roofs alone.
        cornice: metres high, round the top of the highest storey; 0: none.
    """
    soup = Soup()
    faces = faces_of(storeys)
    by_storey = {s.number: [f for f in faces if f.storey == s.number] for s in storeys}
    cells: dict[str, list[Cell]] = {}
    outlines: dict[str, tuple[tuple[float, float], ...]] = {}
    room = {"none": 0.0, "post": 1.25 * kit.posts + 0.02, "quoins": _QUOIN + 0.02}[kit.corner]
    for s in storeys:
        built = _built_up(s.ring) if kit.corner != "none" else set()
        for face in by_storey[s.number]:
            edit = edits.get(face.id, Edit())
            at = door if face.storey == 0 and (edit.role or face.role) == "front" else None
            covers = _buried(face, covered, look)
            k = s.ring.edge(face.edge)
            ends = (room if k in built else 0.0, room if (k + 1) % len(s.ring) in built else 0.0)
            cells[face.id] = cells_of(face, fillings, kit, edit, at, covers, ends)
        _walls(soup, s, by_storey[s.number], cells, detail)
        if detail < 2:
            for face in by_storey[s.number]:
                _filled(soup, face, cells[face.id], kit, detail, footing)
            _corners(soup, s, kit, built)
    if cornice and detail < 2:
        _cornice(soup, storeys[-1], cornice)
    if detail < 2 and len(storeys) > 1:
        supports(soup, storeys, footing.deep)
    for n, c in enumerate(covered):
        if c.roof is None or c.eaves is None:
            flat(soup, c, look, f"roof {n}")
            continue
        gables = gables_of(c)
        own = [gable_cell(g, fillings["gable"], kit, edits.get(g.face.id, Edit())) for g in gables]
        attic(
            soup, c, f"attic {n}", kit, [x if detail < 2 else x._replace(piece=None) for x in own]
        )
        named = [(g.face, x) for g, x in zip(gables, own, strict=True) if g.face.edge]
        faces += [face for face, _ in named]
        cells |= {face.id: [x] for face, x in named}
        outlines |= {g.face.id: tuple(map(tuple, g.flat.tolist())) for g in gables}
        shell(soup, c.eaves, c.low, look, f"roof {n}", detail)
        if detail < 2 and n == main_of(covered):
            on_roof(soup, c, look, kit, seed)
    block(soup, base_of(storeys[0].ring, footing.out), -footing.deep, footing.high)
    return Raised(soup, faces, cells, outlines, [c.why for c in covered if c.why])


def main_of(covered: Sequence[Covered]) -> int:
    """The row of what has the largest roof: it bears chimneys and dormers."""
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
        own = cells[face.id]
        soup.drawn(*cut_of(face, own, slot, detail), owner, (face.origin, face.way, face.out))
        starts = np.array([cell.start for cell in own])
        plan.append(face.origin[:2] + starts[:, None] * face.way)
    ring = np.concatenate(plan)
    for up, under in ((s.low, True), (s.high, False)):
        soup.flat(level(ring, up), [np.arange(len(ring))], slot, owner, under)


def cut_of(
    face: FaceOf, cells: Sequence[Cell], slot: str, detail: int
) -> tuple[Float64, list[str]]:
    """Cells of a face (q, 4, 3), each with its opening: about it, its reveals, and what closes it; and the slot of each quad."""
    h = face.high
    rows = np.zeros((len(cells), 7))
    slots: list[str] = []
    for row, cell in zip(rows, cells, strict=True):
        piece = cell.piece
        if piece is None or not piece.open:
            row[:2] = cell.start, cell.end
            slots.append(slot)
            continue
        row[:] = cell.start, cell.end, *cell.opening, piece.depth
        slots += [slot] * (1 if detail > 1 else 8)
        slots.append("door" if piece.what == "door" else "glass")
    return _cut(rows, h, detail > 1, len(slots)), slots


@kernel
def _cut(cells: Float64, high: float, far: bool, many: int) -> Float64:
    """Quads (many, 4, 3) of cells (c, 7): from and to, left, right, low and high of an opening where it has one, and its depth.

    Args:
        far: an opening is only a patch on the wall.
    """
    out = np.empty((many, 4, 3))
    rings = np.zeros((3, 4, 3))  # the cell's, the opening's, and that of what closes it
    q = 0
    for c in range(cells.shape[0]):
        a, b, x0, x1, y0, y1, deep = cells[c]
        rings[0, 0, 0] = rings[0, 3, 0] = a
        rings[0, 1, 0] = rings[0, 2, 0] = b
        rings[0, 2:, 1] = high
        rings[1:, 0, 0] = rings[1:, 3, 0] = x0
        rings[1:, 1, 0] = rings[1:, 2, 0] = x1
        rings[1:, :2, 1] = y0
        rings[1:, 2:, 1] = y1
        rings[2, :, 2] = 0.015 if far else -deep
        if far or x1 <= x0:
            out[q] = rings[0]
            q += 1
        else:
            for r in range(2):
                for k in range(4):
                    m = (k + 1) % 4
                    out[q, 0], out[q, 1] = rings[r, k], rings[r, m]
                    out[q, 2], out[q, 3] = rings[r + 1, m], rings[r + 1, k]
                    q += 1
        if x1 > x0:
            out[q] = rings[2]
            q += 1
    return out


def _filled(
    soup: Soup, face: FaceOf, cells: Sequence[Cell], kit: Kit, detail: int, footing: Footing
) -> None:
    """The pieces of a face, and what runs along it."""
    owner = f"pieces {face.id}"

    def drawn(drawing: Drawn, x: float, y: float) -> None:
        origin = face.origin + np.array([*(x * face.way), y])
        soup.drawn(*drawing, owner, (origin, face.way, face.out))

    for cell in cells:
        if cell.piece is None:
            continue
        origin = face.origin + np.array([*(cell.left * face.way), 0.0])
        piece = cell.piece
        if isinstance(piece, Brought):
            foot = origin + np.array([*(0.5 * cell.wide * face.way), 0.0])
            size = piece.size(cell.wide, cell.high)
            soup.hung.append(Hung(piece.name, foot, face.way, face.out, size, face.id, cell.number))
            continue
        if detail:
            piece = piece.model_copy(update={"across": 1, "up": 1, "boards": 1, "shutters": False})
        form = form_of(piece)
        if len(form.slots):
            soup.form(form, (cell.wide, cell.high), (origin, face.way, face.out), owner)
        if piece.what == "door" and face.storey == 0 and footing.high > 0.08:
            x0, x1, _, _ = cell.opening
            drawn(steps(x1 - x0 + 0.3, footing.high), 0.5 * (x0 + x1), 0.03)
    high, out, slot = kit.band
    if kit.posts:
        for a, b in pairwise(cells):
            if a.end == b.start:
                drawn(post(kit.posts, face.high, 0.03), a.end, 0.0)
        drawn(band(face.wide, high, out, slot), 0.0, 0.0)
    if high:
        drawn(band(face.wide, high, out, slot), 0.0, face.high - high)


def _built_up(ring: Ring) -> set[int]:
    """Rows of corners that go out."""
    way = np.roll(ring.corners, -1, axis=0) - ring.corners
    way /= np.hypot(way[:, 0], way[:, 1])[:, None]
    come = np.roll(way, 1, axis=0)
    return set(np.nonzero(come[:, 0] * way[:, 1] - come[:, 1] * way[:, 0] >= 0.5)[0].tolist())


def _corners(soup: Soup, s: Storey, kit: Kit, built: set[int]) -> None:
    """Posts or quoins where two faces meet in a corner that goes out."""
    for k in sorted(built):
        a, b = s.ring.ends(k - 1)
        come = (b - a) / math.hypot(*(b - a))
        owner = f"corner {s.ring.names[k]}-{s.number}"
        at = (np.array([*b, s.low]), come, np.array([come[1], -come[0]]))
        soup.drawn(*_corner(kit.corner, kit.posts, s.high - s.low), owner, at)


@lru_cache(maxsize=64)
def _corner(kind: str, posts: float, high: float) -> Drawn:
    """A corner that is built up, about its edge."""
    drawing = Drawing()
    if kind == "post":
        w = 1.25 * posts
        drawing.box((-w, 0.035), (0.0, high), (-w, 0.035), "timber")
    else:
        rows = max(2, round(high / 0.24))
        rows += rows % 2
        for r in range(rows):
            long, short = (_QUOIN, 0.22) if r % 2 else (0.22, _QUOIN)
            y = high * r / rows
            drawing.box(
                (-long, 0.018), (y + 0.004, y + high / rows - 0.004), (-short, 0.018), "chimney"
            )
    return drawing.drawn


def _cornice(soup: Soup, s: Storey, high: float) -> None:
    """Rounds of stone or wood at the top of a storey, each out over the one below, closed and mitred."""
    inner = base_of(s.ring, -BEHIND)
    top = s.high - 0.002
    low = max(top - high, s.low + 0.1)
    for k, (share, out) in enumerate(_ROUNDS):
        outer = base_of(s.ring, out * (top - low))
        up = low + share * (top - low)
        over = top if k + 1 == len(_ROUNDS) else low + _ROUNDS[k + 1][0] * (top - low)
        if len(outer) != len(inner) or over - up < 1e-3:
            return
        rings = [level(r, z) for r, z in ((inner, up), (outer, up), (outer, over), (inner, over))]
        for a, b in ((0, 1), (1, 2), (2, 3), (3, 0)):
            soup.belt(rings[a], rings[b], "lintel", f"cornice {k}")


def base_of(ring: Ring, out: float) -> Float64:
    """(n, 2) the outline of a footing that stands out so far."""
    wider = moved(ring, lambda _: out)
    return wider.corners if wider.sound else ring.corners


def block(soup: Soup, corners: Float64, low: float, high: float) -> None:
    """Add a footing over an outline (n, 2) from a height to another."""
    rows = [np.arange(len(corners))]
    bottom, top = level(corners, low), level(corners, high)
    soup.belt(bottom, top, "plinth", "footing")
    soup.flat(top, rows, "plinth", "footing")
    soup.flat(bottom, rows, "plinth", "footing", under=True)
