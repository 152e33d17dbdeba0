"""Façades: a face in cells, and what each is filled with."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from plough.core.house.body import FaceOf
from plough.core.house.kits import Kit, Role, RoleName
from plough.core.house.pieces import PieceParameters
from plough.core.rng import stream, uniform

_FILLED, _WHICH = stream("house.filled"), stream("house.which")
LEAST = 0.7  #: metres of a cell that has an opening
MOST_CELLS = 60  #: of a face


class Edit(NamedTuple):
    """What is done to a face by hand."""

    role: RoleName | None = None
    splits: tuple[float, ...] = ()  #: metres from its left, where cells end
    pieces: Mapping[int, str] = {}  #: by cell: a piece's name, or "" for none


class Filling(NamedTuple):
    """What the faces of a role are filled with; as a kit has it, or otherwise."""

    role: Role
    seed: int
    stretched: bool  #: pieces are as wide as their cell, else as wide as the role's cells are to be


class Cell(NamedTuple):
    """A part of a face, over its whole height."""

    number: int  #: from the left
    start: float  #: metres from the face's left
    end: float
    piece: PieceParameters | None
    name: str  #: of the piece
    left: float  #: metres from the face's left where the piece begins
    wide: float  #: metres that the piece is wide


def cells_of(
    face: FaceOf,
    fillings: Mapping[RoleName, Filling],
    kit: Kit,
    edit: Edit,
    door: float | None,
    buried: Callable[[float, float], float],
) -> list[Cell]:
    """The cells of a face, from the left.

    Args:
        door: where along the face its door is, a share; None: it has none.
        buried: metres above its foot, between two places along it, that a roof before it covers.
    """
    role = edit.role or face.role
    filling = fillings[role]
    edges = _edges(face.wide, edit.splits, filling.role.wide)
    count = len(edges) - 1
    at_door = -1 if door is None else min(count - 1, max(0, int(door * count)))
    seed = stream(f"house {filling.seed} {role} {face.id}")
    out = []
    for k in range(count):
        start, end = edges[k], edges[k + 1]
        name = edit.pieces.get(k, _chosen(filling.role, seed, k))
        if k == at_door and k not in edit.pieces:
            name = kit.door
        piece = kit.pieces.get(name)
        wide = end - start
        if piece is not None and piece.open:
            covered = buried(start, end)
            low = piece.opening(1.0, face.high)[2]
            if wide < LEAST or (covered > 0 and (piece.what != "window" or covered > low - 0.15)):
                name = filling.role.rest
                piece = kit.pieces.get(name)
        own = wide if filling.stretched else min(wide, filling.role.wide)
        out.append(
            Cell(k, start, end, piece, name if piece else "", start + 0.5 * (wide - own), own)
        )
    return out


def _edges(wide: float, splits: Sequence[float], about: float) -> list[float]:
    inner = sorted({round(s, 4) for s in splits if 0.1 < s < wide - 0.1})
    if inner:
        return [0.0, *inner, wide]
    count = min(MOST_CELLS, max(1, round(wide / about)))
    return [wide * k / count for k in range(count + 1)]


def _chosen(role: Role, seed: np.uint64, cell: int) -> str:
    """What a cell takes: the same as long as the weights are."""
    if not role.pieces or uniform(seed, _FILLED, np.uint64(cell)) >= role.filled:
        return role.rest
    at = uniform(seed, _WHICH, np.uint64(cell)) * sum(w for _, w in role.pieces)
    for name, weight in role.pieces:
        at -= weight
        if at < 0:
            return name
    return role.pieces[-1][0]
