"""Splat maps: the shares of ground classes as images, four classes in each."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64, UInt8
from plough.core.cache import Cache
from plough.core.ground.classes import GroundCover, as_shares
from plough.core.ground.surface import Samples, Surface
from plough.core.hashing import digest, key_of
from plough.core.mesh.value import Mesh
from plough.core.tiles import SIZE, TileList, code_of, combine, tiles_in

TEXELS = 128  #: a side of a square that is made, kept and sent at once
_BLOCK = 256  # pixels a side that are made at once: what is painted elsewhere is not looked at
_SQUARES = 8  # a side of the whole, at most about


@dataclass(frozen=True, slots=True)
class SplatSquare:
    """The shares of classes in one square of the map, from its north-west corner on."""

    x: int  #: squares east of the origin
    z: int  #: squares south of it
    hash: str  #: of the data
    data: UInt8  #: (images, `TEXELS`, `TEXELS`, 4) shares that add up to 255, row = z, column = x

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self.data.nbytes + 200


def square_side(surface: Surface) -> float:
    """Metres a side of the squares for a surface: a power of two, one tile or more."""
    x0, z0, x1, z1 = surface.bounds
    wanted = max(x1 - x0, z1 - z0, SIZE) / _SQUARES
    return float(SIZE * 2.0 ** max(0, math.ceil(math.log2(wanted / SIZE) - 1e-9)))


def in_fours(shares: UInt8) -> UInt8:
    """(n, 4 k) shares of classes (n, classes), with nothing in the places of classes that there are not."""
    out = np.zeros((len(shares), -4 * (-shares.shape[1] // 4)), np.uint8)
    out[:, : shares.shape[1]] = shares
    return out


def shares_at(cover: GroundCover, surface: Surface, x: Float64, z: Float64, paths: bool) -> UInt8:
    """(images, n, 4) shares of the classes at the places (x, z), four classes an image."""
    fours = in_fours(as_shares(cover.weights(surface.sample(x, z), paths)))
    return np.ascontiguousarray(fours.reshape(len(x), -1, 4).transpose(1, 0, 2))


def shares_of_mesh(cover: GroundCover, mesh: Mesh, paths: bool) -> UInt8:
    """(vertices, 4 k) shares of the classes at the vertices of a mesh that lies on the ground, as they face."""
    at = Samples(
        mesh.positions.astype(np.float64),
        mesh.normals.astype(np.float64),
        np.ones(mesh.vertices, bool),
    )
    return in_fours(as_shares(cover.weights(at, paths)))


def splat_squares(
    cover: GroundCover, surface: Surface, cache: Cache, check: Callable[[], None] = lambda: None
) -> list[SplatSquare]:
    """The classes over a whole surface, without the surfaces of paths; only squares that see a change are made again.

    Args:
        check: called between squares; may raise to stop.
    """
    side = square_side(surface)
    squares = tiles_in(surface.bounds, side)
    keys = _keys(cover, surface, squares, side)
    out = []
    for (x, z), key in zip(squares.tolist(), keys, strict=True):
        check()
        out.append(
            cache.get(
                ("splat", key),
                lambda x=x, z=z: _square(cover, surface, side, x, z),  # type: ignore[misc]
                lambda s: s.nbytes,
            )
        )
    return out


def _keys(cover: GroundCover, surface: Surface, squares: TileList, side: float) -> list[str]:
    """What each square sees, from what its tiles see."""
    per = round(side / SIZE)
    inner = np.stack(np.meshgrid(np.arange(per), np.arange(per)), axis=-1).reshape(-1, 2)
    tiles = (squares[:, None, :] * per + inner[None]).reshape(-1, 2)
    hashes = combine(cover.seen(tiles, paths=False), surface.tile_hashes(tiles))
    of_square = hashes.reshape(len(squares), -1)
    names = [c.key for c in cover.classes]
    return [
        key_of(names, int(code), side, digest(row.tobytes()))
        for code, row in zip(code_of(squares), of_square, strict=True)
    ]


def _square(cover: GroundCover, surface: Surface, side: float, x: int, z: int) -> SplatSquare:
    at = (np.arange(TEXELS) + 0.5) * (side / TEXELS)
    east, south = (a.ravel() for a in np.meshgrid(x * side + at, z * side + at))
    shares = shares_at(cover, surface, east, south, paths=False)
    return SplatSquare(x, z, digest(shares.tobytes()), shares.reshape(-1, TEXELS, TEXELS, 4))


def splat_maps(
    cover: GroundCover,
    surface: Surface,
    pixels: int,
    check: Callable[[], None] = lambda: None,
) -> UInt8:
    """(images, `pixels`, `pixels`, 4) the classes over the square about the origin that holds `surface`, north up, with the surfaces of paths.

    Args:
        check: called between blocks; may raise to stop.
    """
    half = max(abs(v) for v in surface.bounds)
    at = (np.arange(pixels) + 0.5) * (2.0 * half / pixels) - half
    out = np.zeros((-(-len(cover.classes) // 4), pixels, pixels, 4), np.uint8)
    for r in range(0, pixels, _BLOCK):
        for c in range(0, pixels, _BLOCK):
            check()
            rows, columns = slice(r, r + _BLOCK), slice(c, c + _BLOCK)
            east, south = (a.ravel() for a in np.meshgrid(at[columns], at[rows]))
            shares = shares_at(cover, surface, east, south, paths=True)
            out[:, rows, columns] = shares.reshape(len(out), len(at[rows]), -1, 4)
    return out
