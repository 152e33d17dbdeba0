"""Cloth: a sheet hung on a line, between poles, over a ridge or over a thing, and settled."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.build.draping import NO_BODY, Air, Body, Shape, Sheet, body_of, settled
from plough.core.build.group import GroupPart, alike, by_slot, parts_field, standing
from plough.core.build.turning import Shell, rod
from plough.core.build.ware import Ware
from plough.core.build.weave import Stuff, Weave
from plough.core.cache import Cache
from plough.core.collider import Collider, GameParameters
from plough.core.errors import TooLargeError
from plough.core.formats.images import Load
from plough.core.hashing import key_of
from plough.core.kinds import Product, kind, no_files
from plough.core.matters import Matters, above, among
from plough.core.mesh.material import Material, as_bytes
from plough.core.mesh.surface import crease_normals, split_corners
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part, join
from plough.core.parameters import (
    Color,
    Parameters,
    choice,
    color,
    count,
    flag,
    linear,
    number,
    parse_color,
    section,
)
from plough.core.rng import seed_for, stream, uniform

MOST_TRIANGLES = 400_000  #: that a sheet lies on
_EVERY = (1, 2, 4)  #: points of the settled grid from one that is kept to the next, by level
_SIDES = (10, 6, 4)  #: round poles, by level
_THINNEST = 0.2  # mm of what is not of one layer
_COARSE = 4  # the finest grid is so many times as fine as that on which it is settled first
_PHASE, _LEAN = stream("cloth.phase"), stream("cloth.lean")
_HEAVY = {"canvas": 0.45, "linen": 0.2, "net": 0.09}  # kg/m²
_TIGHT = {"canvas": 1.0, "linen": 0.9, "net": 0.22}
_THROUGH = {"canvas": 0.16, "linen": 0.4, "net": 0.1}


_bodies = Cache(40_000_000)
_settled = Cache(20_000_000)


class ClothGame(GameParameters):
    """What a sheet brings for a game."""

    collider: Literal["none", "each"] = choice(  # type: ignore[assignment]
        "each", "Collider", {"none": "None", "each": "Of what it lies on"}
    )


class ClothParameters(Parameters):
    """A sheet of cloth."""

    stages: ClassVar[tuple[str, ...]] = ("Sheet", "Hung", "Wind", "Edge", "Skin", "Game")
    matters: ClassVar[Matters] = {
        "fixings tied": among("hung", "line", "corners"),
        "low": among("hung", "corners"),
        "height": among("hung", "line", "corners", "ridge"),
        "poles": among("hung", "line", "corners", "ridge"),
        "spread": among("hung", "ridge"),
        "body body_* parts spans shown": among("hung", "over"),
        "body_*": among("body", "block", "round"),
        "parts spans shown": among("body", "things"),
        "pole_thick": among("poles", True),
        "gusts direction": above("wind"),
        "hem hem_wide": above("thickness"),
        "stripes": among("stuff", "canvas", "linen"),
        "stripe": above("stripes"),
        "dirt_color": above("dirt"),
    }

    wide: float = number(2.4, "Wide", (0.2, 20), soft=(0.5, 6), unit="m", step=0.05, group="Sheet")
    long: float = number(1.6, "Long", (0.2, 20), soft=(0.5, 6), unit="m", step=0.05, group="Sheet")
    points: int = count(
        40,
        "Points",
        (8, 64),
        soft=(16, 64),
        help="Along its longer side, on the first level.",
        group="Sheet",
    )
    stuff: Stuff = choice(
        "canvas", "Of", {"canvas": "Canvas", "linen": "Linen", "net": "Net"}, group="Sheet"
    )
    stiff: float = number(0.12, "Stiff", (0, 1), group="Sheet")
    hung: Literal["line", "corners", "ridge", "over"] = choice(
        "line",
        "Hung",
        {
            "line": "On a line",
            "corners": "Between four poles",
            "ridge": "Over a ridge pole",
            "over": "Over a thing",
        },
        group="Hung",
    )
    height: float = number(2.0, "High", (0.2, 20), soft=(0.5, 5), unit="m", step=0.05, group="Hung")
    low: float = number(0.8, "Its front", (0.1, 1.5), help="By how high its back is.", group="Hung")
    slack: float = number(6, "Slack", (0, 60), soft=(0, 30), unit="%", step=0.5, group="Hung")
    fixings: int = count(
        5,
        "Fixed at",
        (2, 40),
        soft=(2, 12),
        help="Places along its upper edge, or two sides.",
        group="Hung",
    )
    tied: bool = flag(False, "Lower corners tied", group="Hung")
    spread: float = number(
        0.75,
        "Sides pegged out",
        (0, 0.98),
        help="Of their length; they hang free at 0.",
        group="Hung",
    )
    body: Literal["block", "round", "things"] = choice(
        "block",
        "Over",
        {"block": "A block", "round": "A barrel", "things": "Things of the scene"},
        group="Hung",
    )
    parts: tuple[GroupPart, ...] = parts_field(
        "What it lies on, each where it stands.", 16, group="Hung"
    )
    spans: float = number(
        40,
        "Spans hollows",
        (0, 200),
        soft=(0, 100),
        unit="cm",
        step=1,
        help="Narrower hollows and gaps of it are not sunk into.",
        group="Hung",
    )
    shown: bool = flag(
        True,
        "With what it lies on",
        group="Hung",
        help="Drawn and blocking with it; else the sheet alone, to be set over what stands there.",
    )
    body_long: float = number(
        1.1, "Its length", (0.1, 10), soft=(0.3, 3), unit="m", step=0.05, group="Hung"
    )
    body_high: float = number(
        0.8, "Height", (0.05, 10), soft=(0.2, 2), unit="m", step=0.05, group="Hung"
    )
    body_wide: float = number(
        0.7,
        "Width",
        (0.1, 10),
        soft=(0.3, 3),
        unit="m",
        step=0.05,
        help="Across, if round.",
        group="Hung",
    )
    poles: bool = flag(True, "With poles", group="Hung")
    pole_thick: float = number(
        7, "Poles thick", (1, 40), soft=(2, 15), unit="cm", step=0.5, group="Hung"
    )
    wind: float = number(2, "Wind", (0, 25), soft=(0, 12), unit="m/s", step=0.1, group="Wind")
    direction: float = number(
        20, "From", (-180, 180), unit="°", step=1, help="0 is square to its rows.", group="Wind"
    )
    gusts: float = number(0.5, "Gusts", (0, 1), group="Wind")
    thickness: float = number(
        0,
        "Thick",
        (0, 60),
        soft=(0, 15),
        unit="mm",
        step=0.5,
        help="Of one layer at 0.",
        group="Edge",
    )
    hem: float = number(
        2.2, "Hem", (1, 6), soft=(1, 4), help="By how thick it is elsewhere.", group="Edge"
    )
    hem_wide: float = number(
        3, "Hem wide", (0.5, 30), soft=(1, 10), unit="cm", step=0.5, group="Edge"
    )
    light: Color = color("#cfc2a4", "Light", group="Skin")
    dark: Color = color("#a08f6d", "Dark", group="Skin")
    stripes: int = count(0, "Stripes", (0, 12), soft=(0, 6), help="A metre.", group="Skin")
    stripe: Color = color("#8c4a36", "Of stripes", group="Skin")
    threads: int = count(
        60, "Threads", (6, 160), soft=(12, 120), help="A metre; of a net: meshes.", group="Skin"
    )
    worn: float = number(0.4, "Bleached and stained", (0, 1), group="Skin")
    dirt: float = number(0.35, "Dirt at its lower edge", (0, 1), group="Skin")
    dirt_color: Color = color("#5a4c38", "Of dirt", group="Skin")
    game: ClothGame = section(ClothGame(), "Game", "Game")


def _grid(p: ClothParameters) -> tuple[int, int]:
    """Rows and columns of points on the first level."""
    longer = max(p.wide, p.long)
    sides = []
    for side in (p.long, p.wide):
        cells = max(2 * _COARSE, round(p.points * side / longer / _COARSE) * _COARSE)
        sides.append(cells + 1)
    return sides[0], sides[1]


def _fixed_at(many: int, columns: int) -> Int64:
    """The columns that are fixed, on every grid that it is settled on."""
    cells = (columns - 1) // _COARSE
    return (
        np.unique(np.rint(np.linspace(0, cells, min(many, cells + 1))).astype(np.int64)) * _COARSE
    )


def _sheet(p: ClothParameters, phase: float, things: Sequence[Product] = ()) -> Sheet:
    """The sheet as it is cut and fixed, over `things` where it is to lie on them: rows down it, columns along x."""
    rows, columns = _grid(p)
    u = np.linspace(-0.5, 0.5, columns)[None, :] + np.zeros((rows, 1))
    v = np.linspace(0.0, 1.0, rows)[:, None] + np.zeros((1, columns))
    tight = 1.0 - 0.01 * p.slack
    fixed = np.zeros((rows, columns), bool)
    at = np.empty((rows, columns, 3))
    at[..., 0] = u * p.wide
    shape, body = Shape(0, 0.0, 0.0, 0.0), NO_BODY
    if p.hung == "line":
        at[..., 0] *= tight
        at[..., 1] = p.height - v * p.long
        at[..., 2] = 0.01 * p.long * np.sin(math.pi * v)
        fixed[0, _fixed_at(p.fixings, columns)] = True
        # the line itself sags
        at[0, :, 1] -= 0.25 * (1.0 - tight) * p.wide * (1.0 - (2.0 * u[0]) ** 2)
        if p.tied:
            fixed[-1, [0, -1]] = True
            at[-1, :, 1] = np.maximum(0.05, p.height - tight * p.long)
    elif p.hung == "corners":
        at[..., 0] *= tight
        at[..., 1] = p.height * (1.0 + (p.low - 1.0) * v)
        fall = p.height * (p.low - 1.0)
        at[..., 2] = (v - 0.5) * math.sqrt(max(0.01, (tight * p.long) ** 2 - fall**2))
        own = _fixed_at(p.fixings, columns)
        fixed[0, own] = fixed[-1, [0, -1]] = True
        if p.tied:
            fixed[-1, own] = True
    elif p.hung == "ridge":
        shape = Shape(3, 1.2 * p.wide, p.height, 0.01 * p.pole_thick)
        half = 0.5 * p.long * tight
        middle = (rows - 1) // (2 * _COARSE) * _COARSE
        side = v - middle / (rows - 1)
        down = np.abs(side) * p.long * tight
        reach = p.spread * half
        drop = math.sqrt(max(0.0, half**2 - reach**2))
        steep = min(1.0, (p.height - 0.03) / drop) if drop > 0 else 1.0
        top = p.height + 0.5 * shape.wide + 0.01
        at[..., 1] = np.maximum(0.02, top - down / half * drop * steep)
        at[..., 2] = np.sign(side) * down / half * max(reach, 0.05)
        fixed[middle] = True
        at[middle, :, 1], at[middle, :, 2] = top, 0.0
        if p.spread > 0:
            own = _fixed_at(3, columns)
            fixed[0, own] = fixed[-1, own] = True
    else:
        at[..., 2] = (v - 0.5) * p.long
        if p.body != "things":
            what = 1 if p.body == "block" else 2
            shape = Shape(what, p.body_long, p.body_high, p.body_wide)
            at[..., 1] = p.body_high + 0.03
        elif things:
            told = [q.model_dump(mode="json") for q in p.parts]
            key = key_of("body", told, p.spans)
            body = _bodies.get(key, lambda: _body(things, p.spans), lambda b: b.away.nbytes)
            shape = Shape(4, 0.0, 0.0, 0.0)
            at[..., 1] = max(float(t.mesh.positions[:, 1].max()) for t in things) + 0.05
        else:
            at[..., 1] = 0.3
    way = math.radians(p.direction)
    air = Air(p.wind * math.sin(way), p.wind * math.cos(way), p.gusts, phase)
    heavy, tight = _HEAVY[p.stuff], _TIGHT[p.stuff]
    return Sheet(p.wide, p.long, at, fixed, heavy, tight, p.stiff, shape, air, body)


def _body(things: Sequence[Product], spans: float) -> Body:
    """What things come to that a sheet lies on; hollows narrower than `spans` centimetres are not there.

    Raises:
        TooLargeError: they have too many triangles.
    """
    total = sum(t.mesh.triangles for t in things)
    if total > MOST_TRIANGLES:
        raise TooLargeError(
            "parts",
            f"have {total:,} triangles; the limit is {MOST_TRIANGLES:,}: lay it over fewer, or over what has less detail",
            limit=f"{MOST_TRIANGLES:,} triangles",
            value=total,
        )
    return body_of(
        np.concatenate([t.mesh.positions.astype(np.float64)[t.mesh.indices] for t in things]),
        0.01 * spans,
    )


def _cells(rows: int, columns: int) -> Int64:
    """(t, 3) triangles of a grid, seen from where its columns go right and its rows down."""
    i, j = (
        a.ravel() for a in np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij")
    )
    a = i * columns + j
    b, c, d = a + 1, a + columns, a + columns + 1
    return np.stack([np.stack([a, c, d], 1), np.stack([a, d, b], 1)], 1).reshape(-1, 3)


def _smooth(points: Float64) -> Float64:
    """(n, m, 3) unit normals of a grid, towards where it is seen from with its columns going right and its rows down."""
    along, down = np.gradient(points, axis=1), np.gradient(points, axis=0)
    normal = np.cross(down, along)
    return np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), 1e-12))


def _tint(p: ClothParameters, points: Float64) -> Float64:
    """(n, m, 4) what the texture is multiplied by, linear, darker with dirt towards the lower edge."""
    rows = points.shape[0]
    v = np.linspace(0.0, 1.0, rows)[:, None]
    edge = np.abs(2 * v - 1) if p.hung in ("ridge", "over") else v
    amount = p.dirt * np.clip((edge - 0.55) / 0.45, 0.0, 1.0) ** 1.5 * np.ones(points.shape[:2])
    ground = 0.5 * (np.array(linear(p.light)) + np.array(linear(p.dark)))
    soil = (np.array(linear(p.dirt_color)) / np.maximum(ground, 0.02)).clip(0.0, 1.0)
    out = np.ones((*points.shape[:2], 4))
    out[..., :3] += amount[..., None] * (soil - 1.0)
    return out


def _hemmed(p: ClothParameters, rows: int, columns: int) -> Float64:
    """(rows, columns) metres of half its thickness."""
    u = np.minimum(np.arange(columns), np.arange(columns)[::-1]) * p.wide / (columns - 1)
    v = np.minimum(np.arange(rows), np.arange(rows)[::-1]) * p.long / (rows - 1)
    near = np.minimum(u[None, :], v[:, None])
    return np.asarray(
        0.0005
        * max(p.thickness, _THINNEST)
        * (1.0 + (p.hem - 1.0) * np.exp(-((near / (0.01 * p.hem_wide)) ** 2)))
    )


def _cloth(p: ClothParameters, points: Float64) -> Mesh:
    rows, columns = points.shape[:2]
    normal, faces = _smooth(points), _cells(rows, columns)
    u = np.linspace(0.0, p.wide, columns)[None, :] + np.zeros((rows, 1))
    v = np.linspace(0.0, p.long, rows)[:, None] + np.zeros((1, columns))
    uv, tint = np.stack([u, v], axis=2).reshape(-1, 2), as_bytes(_tint(p, points)).reshape(-1, 4)
    if p.thickness <= 0:
        position, normals = points.reshape(-1, 3), normal.reshape(-1, 3)
    else:
        half = _hemmed(p, rows, columns)[..., None]
        sides = [(points + s * half * normal).reshape(-1, 3) for s in (1.0, -1.0)]
        n = rows * columns
        ring = _border(rows, columns)
        after = np.roll(ring, -1)
        # the edge all around, its points once more
        edge = [np.concatenate([side[ring], side[after]]) for side in sides]
        m = len(ring)
        first = 2 * n
        a, b = first + np.arange(m), first + m + np.arange(m)
        c, d = a + 2 * m, b + 2 * m
        wall = np.stack([np.stack([a, c, d], 1), np.stack([a, d, b], 1)], 1).reshape(-1, 3)
        faces = np.concatenate([faces, faces[:, ::-1] + n, wall])
        position = np.concatenate([*sides, *edge])
        along = sides[0][after] - sides[0][ring]
        out = np.cross(along, normal.reshape(-1, 3)[ring])
        out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)
        flat = normal.reshape(-1, 3)
        normals = np.concatenate([flat, -flat, np.tile(out, (4, 1))])
        uv = np.concatenate([uv, uv, *(uv[np.concatenate([ring, after])] for _ in range(2))])
        tint = np.concatenate(
            [tint, tint, *(tint[np.concatenate([ring, after])] for _ in range(2))]
        )
    mesh = Mesh(
        position.astype(np.float32),
        normals.astype(np.float32),
        uv.astype(np.float32),
        faces.astype(np.uint32),
        (Part("cloth", 0, len(faces)),),
        colors=tint,
    )
    return with_tangents(mesh)


def _border(rows: int, columns: int) -> Int64:
    """Points of a grid all around: along its last row, up its last column and back, so that it lies to the left."""
    at = np.arange(rows * columns).reshape(rows, columns)
    return np.concatenate([at[:-1, 0], at[-1, :-1], at[:0:-1, -1], at[0, :0:-1]])


def _rods(p: ClothParameters, sheet: Sheet, seed: int, sides: int) -> list[Shell]:
    """Poles, and the line, that it hangs on."""
    r = 0.005 * p.pole_thick
    made: list[Shell] = []

    def pole(foot: tuple[float, float], top: tuple[float, float, float], number: int) -> None:
        lean = 0.04 * (uniform(np.uint64(seed), _LEAN, np.uint64(number)) - 0.5) * top[1]
        low = np.array([foot[0] + lean, -0.2, foot[1]])
        t = np.linspace(0.0, 1.0, 4)[:, None]
        line = low + t * (np.array([top[0], top[1] + 0.12, top[2]]) - low)
        thick = r * np.array([1.1, 1.0, 0.95, 0.85])
        made.append(rod(line, np.array([0.0, 0.0, 1.0]), thick, thick, sides))

    if p.hung == "line":
        end = 0.5 * p.wide + 0.15
        high = float(sheet.at[0, 0, 1])
        for k, side in enumerate((-1.0, 1.0)):
            pole((side * end, 0.0), (side * end, high, 0.0), k)
        x = np.concatenate([[-end], sheet.at[0, :, 0], [end]])
        y = np.concatenate([[high + 0.03], sheet.at[0, :, 1], [high + 0.03]])
        rope = np.stack([x, y, 0 * x], axis=1)
        thin = np.full(len(x), 0.006)
        made.append(rod(rope, np.array([0.0, 0.0, 1.0]), thin, thin, max(3, sides // 2)))
    elif p.hung == "corners":
        for k, (i, j) in enumerate(((0, 0), (0, -1), (-1, 0), (-1, -1))):
            east, up, south = (float(v) for v in sheet.at[i, j])
            pole((east, south), (east, up, south), k)
    elif p.hung == "ridge":
        end = 0.5 * p.wide + 0.12
        line = np.array([[x, p.height, 0.0] for x in (-end, -0.3 * end, 0.3 * end, end)])
        thick = np.full(4, r)
        made.append(rod(line, np.array([0.0, 0.0, 1.0]), thick, thick, sides))
        for k, side in enumerate((-1.0, 1.0)):
            at = side * (end - 1.5 * r)
            pole((at, 0.0), (at, p.height - 0.12 - r, 0.0), k)
        # what is pegged out above the ground is held by ropes
        thin = np.full(2, 0.005)
        for i, j in zip(*np.nonzero(sheet.fixed), strict=True):
            end = sheet.at[i, j]
            if i in (0, len(sheet.at) - 1) and end[1] > 0.06:
                foot = end * [1.0, 0.0, 1.0] + [0.0, 0.0, 0.7 * np.sign(end[2]) * end[1]]
                rope = np.stack([end, foot - [0.0, 0.05, 0.0]])
                made.append(rod(rope, np.array([1.0, 0.0, 0.0]), thin, thin, 3))
    return made


def _wood(shell: Shell) -> Mesh:
    normals = crease_normals(shell.positions, shell.faces, 50.0)
    first, indices = split_corners(shell.corners, normals, shell.uv)
    vertex = shell.corners[first]
    return with_tangents(
        Mesh(
            shell.positions[vertex].astype(np.float32),
            np.ascontiguousarray(normals[first]),
            np.ascontiguousarray(shell.uv[first]),
            indices.astype(np.uint32),
            (Part("wood", 0, len(shell.faces)),),
            colors=np.full((len(vertex), 4), 255, np.uint8),
        )
    )


@kind(
    "cloth",
    "Cloth",
    "Awnings, sails, nets and covers: a sheet hung up, settled, and lying in the wind.",
    ClothParameters,
    fetches=True,
    parts="cover",
)
def make(p: ClothParameters, seed: int, detail: int, load: Load = no_files) -> Product:
    """A sheet that hangs about the origin, with what holds it."""
    own = int(seed_for(seed, "cloth"))
    phase = math.tau * uniform(np.uint64(own), _PHASE, np.uint64(0))
    materials: dict[str, Material] = {}
    over = p.hung == "over" and p.body == "things"
    things = standing(p.parts, materials, 0, load) if over else []
    sheet = _sheet(p, phase, things)
    every = _EVERY[min(detail, 2)]
    points = _settled.get(sheet.key, lambda: settled(sheet), lambda at: at.nbytes)[::every, ::every]
    meshes = [_cloth(p, points)]
    skin = _skin(p, own)
    materials["cloth"] = Material("cloth", skin, cutout=True, translucency=_THROUGH[p.stuff])
    shown = things if p.shown else []
    if shown and detail:
        shown = standing(p.parts, materials, detail, load)
    meshes += [t.mesh for t in shown]
    if p.poles and p.hung != "over":
        meshes += [_wood(s) for s in _rods(p, sheet, own, _SIDES[min(detail, 2)])]
        bare = Ware("wood", own % 4, 256, (0.55, 0.47, 0.36), (0.33, 0.27, 0.2), 0.6, 14, 0.0)
        materials["wood"] = Material("wood", bare, roughness=1.0)
    mesh = by_slot(join(alike(meshes))) if shown else join(meshes)
    collider = Collider()
    if p.game.collider == "each":
        rods = tuple(c for t in shown for c in t.collider.capsules)
        pieces = tuple(piece for t in shown for piece in t.collider.pieces)
        collider = Collider(rods, pieces, p.game.movement, p.game.camera, p.game.shots)
    at = mesh.positions
    feet = at[at[:, 1] < 0.15]
    return Product(
        mesh,
        {x.material: materials[x.material] for x in mesh.parts},
        footprint_radius=float(np.hypot(feet[:, 0], feet[:, 2]).max()) if len(feet) else 0.1,
        canopy_radius=float(np.hypot(at[:, 0], at[:, 2]).max()),
        height=float(at[:, 1].max()),
        collider=collider,
        game=p.game,
        lamps=tuple(lamp for t in shown for lamp in t.lamps),
        counts={"triangles": mesh.triangles},
    )


def _skin(p: ClothParameters, seed: int) -> Weave:
    light, dark = parse_color(p.light), parse_color(p.dark)
    stripes = p.stripes if p.stuff != "net" else 0
    return Weave(
        p.stuff,
        seed % 4,
        512,
        light,
        dark,
        2 * round(p.threads / 2),
        stripes,
        parse_color(p.stripe),
        p.worn,
        _THROUGH[p.stuff],
    )
