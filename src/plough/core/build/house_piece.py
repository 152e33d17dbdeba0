"""House piece: a window, a door, a panel or a balcony in a piece of wall, as buildings take it among their own pieces."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from plough.core.build.hulled import HulledParameters, hull_collider
from plough.core.grow.lamina import SIZES, TextureSize
from plough.core.house.body import FaceOf
from plough.core.house.facade import Cell
from plough.core.house.forms import Drawing
from plough.core.house.kits import KITS, KitName
from plough.core.house.pieces import PieceParameters, form_of
from plough.core.house.raised import cut_of
from plough.core.house.soup import Soup
from plough.core.kinds import Product, kind
from plough.core.parameters import choice, number, section

_THICK = 0.3  # metres of the wall about it


class HousePieceParameters(PieceParameters):
    """A piece of a house."""

    stages: ClassVar[tuple[str, ...]] = (*PieceParameters.stages, "Wall", "Game")

    cell_wide: float = number(
        1.8,
        "Wall wide",
        (0.7, 12),
        soft=(0.8, 4),
        unit="m",
        step=0.05,
        group="Wall",
        help="About it, here; in a house its cell is.",
    )
    cell_high: float = number(
        2.5, "Wall high", (1.6, 12), soft=(2, 5), unit="m", step=0.05, group="Wall"
    )
    kit: KitName = choice(
        "timber",
        "In the colours of",
        {name: k.title for name, k in KITS.items()},
        group="Wall",
        help="Here; in a house those of its kit.",
    )
    texture_size: TextureSize = choice("512", "Texture size", SIZES, group="Wall")
    game: HulledParameters = section(HulledParameters(), "Game", "Game")


@kind(
    "piece",
    "House piece",
    "A window, door, panel or balcony in a piece of wall; buildings take it among their pieces.",
    HousePieceParameters,
    seeded=False,
    hard=True,
    fills=True,
    version=3,
)
def make(p: HousePieceParameters, seed: int, detail: int) -> Product:
    """The piece in its wall, whose face is at the origin and looks to the front."""
    piece = PieceParameters(**{k: getattr(p, k) for k in PieceParameters.model_fields})
    w, h = p.cell_wide, p.cell_high
    way, out = np.array([1.0, 0.0]), np.array([0.0, -1.0])
    face = FaceOf("piece", "piece", 0, "front", np.array([-0.5 * w, 0.0, 0.0]), way, out, w, h)
    cell = Cell(0, 0.0, w, piece, "piece", 0.0, w, h)
    soup = Soup()
    at = (face.origin, way, out)
    soup.drawn(*cut_of(face, [cell], "wall", detail), "wall", at)
    back, thick = Drawing(), max(_THICK, piece.depth + 0.1) if piece.open else _THICK
    back.box((0.0, w), (0.0, h), (-thick, 0.0), "wall", "front")
    soup.drawn(*back.drawn, "wall", at)
    if detail < 2:
        if detail:
            piece = piece.model_copy(update={"across": 1, "up": 1, "boards": 1, "shutters": False})
        form = form_of(piece)
        if len(form.slots):
            soup.form(form, (w, h), at, "piece")
    covers = KITS[p.kit].covers
    mesh = soup.mesh({slot: covers[slot].repeat for slot in soup.slots})
    points = mesh.positions
    return Product(
        mesh,
        {slot: covers[slot].material(slot, int(p.texture_size)) for slot in sorted(soup.slots)},
        footprint_radius=0.5 * w,
        canopy_radius=float(np.hypot(points[:, 0], points[:, 2]).max()),
        height=float(points[:, 1].max()),
        collider=hull_collider(p.game, points, None if detail else mesh.indices),
        game=p.game,
        counts={"triangles": mesh.triangles},
    )
