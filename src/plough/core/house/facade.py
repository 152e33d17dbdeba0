"""Façades: a face in cells, and what each is filled with."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from plough.core.house.body import FaceOf
from plough.core.house.kits import Kit, Role, RoleName
from plough.core.house.pieces import Brought, PieceParameters, reach_of
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
    piece: PieceParameters | Brought | None
    name: str  #: of the piece
    left: float  #: metres from the face's left where the piece begins
    wide: float  #: metres that the piece is wide
    high: float  #: metres that it is high

    @property
    def opening(self) -> tuple[float, float, float, float]:
        """Left, right, low and high of what its piece cuts out, metres from the face's foot at the left."""
        assert self.piece is not None
        x0, x1, y0, y1 = self.piece.opening(self.wide, self.high)
        return self.left + x0, self.left + x1, max(y0, 0.03), y1


def cells_of(
    face: FaceOf,
    fillings: Mapping[RoleName, Filling],
    kit: Kit,
    edit: Edit,
    door: float | None,
    buried: Callable[[float, float], float],
    clear: tuple[float, float] = (0.0, 0.0),
) -> list[Cell]:
    """The cells of a face, from the left.

    Args:
        door: where along the face its door is, a share; None: it has none.
        buried: metres above its foot, between two places along it, that a roof before it covers.
        clear: metres from its left end and its right that what is cut into it keeps, where a corner is built up.
    """
    role = edit.role or face.role
    filling = fillings[role]
    edges = _edges(face.wide, edit.splits, filling.role.wide)
    count = len(edges) - 1
    at_door = -1 if door is None else min(count - 1, max(0, int(door * count)))
    out = []
    for k in range(count):
        start, end = edges[k], edges[k + 1]
        name = edit.pieces.get(k, filled_with(filling, face, k, role))
        if k == at_door and k not in edit.pieces:
            name = kit.door
        piece = kit.pieces.get(name)
        wide = end - start
        if piece is not None and piece.open:
            covered = buried(start, end)
            low = piece.opening(1.0, face.high)[2]
            first, last = _room(
                piece,
                (start, end),
                filling,
                face.high,
                (
                    clear[0] if k == 0 else start + 0.5 * kit.posts,
                    face.wide - clear[1] if k == count - 1 else end - 0.5 * kit.posts,
                ),
            )
            wide = last - first
            if wide < LEAST or (covered > 0 and (piece.what != "window" or covered > low - 0.15)):
                name = filling.role.rest
                piece = kit.pieces.get(name)
                first, last = start, end
        else:
            first, last = start, end
        own = last - first if filling.stretched else min(last - first, filling.role.wide)
        left = first + 0.5 * (last - first - own)
        out.append(Cell(k, start, end, piece, name if piece else "", left, own, face.high))
    return out


def _room(
    piece: PieceParameters | Brought,
    cell: tuple[float, float],
    filling: Filling,
    high: float,
    free: tuple[float, float],
) -> tuple[float, float]:
    """From where to where a piece has room in a cell, so that it keeps within what is `free`."""
    start, end = cell
    own = end - start if filling.stretched else min(end - start, filling.role.wide)
    left = start + 0.5 * (end - start - own)
    least, most = reach_of(piece, own, high)
    fits = left + least >= free[0] and left + most <= free[1]
    return (start, end) if fits else (max(start, free[0]), min(end, free[1]))


def _edges(wide: float, splits: Sequence[float], about: float) -> list[float]:
    inner = sorted({round(s, 4) for s in splits if 0.1 < s < wide - 0.1})
    if inner:
        return [0.0, *inner, wide]
    count = min(MOST_CELLS, max(1, round(wide / about)))
    return [wide * k / count for k in range(count + 1)]


_called = lru_cache(maxsize=256)(stream)


def filled_with(filling: Filling, face: FaceOf, cell: int, role: str | None = None) -> str:
    """What a cell takes as its role has it: the same as long as the weights are."""
    return _chosen(filling.role, _seed(filling.seed, role or face.role, face.id), cell)


@lru_cache(maxsize=1024)
def _seed(seed: int, role: str, face: str) -> np.uint64:
    return stream(f"house {seed} {role} {face}")


def _chosen(role: Role, seed: np.uint64, cell: int) -> str:
    if not role.pieces or uniform(seed, _FILLED, np.uint64(cell)) >= role.filled:
        return role.rest
    # each runs against the others, so that one more changes only the cells that it wins
    waits = [
        -math.log(max(uniform(seed, _WHICH ^ _called(name), np.uint64(cell)), 1e-300)) / weight
        for name, weight in role.pieces
    ]
    return role.pieces[waits.index(min(waits))][0]
