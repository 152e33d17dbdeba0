"""What walls and roofs are clad with, drawn from a few numbers; each repeats seamlessly on both axes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from plough.core.kernels import together
from plough.core.mesh.material import Maps, as_bytes
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import cells, tile
from plough.core.rng import seed_for

Color = tuple[float, float, float]  #: sRGB, 0 to 1
Image = Any  #: (n, n) of floats


class _Look(NamedTuple):
    height: Image
    mix: Image  #: 0 the dark tone, 1 the light one
    rough: Image
    joint: Image  #: share of the colour of joints


@dataclass(frozen=True, slots=True)
class Cladding:
    """Render, bricks, flint, boards, tiles, shingles, thatch, turf or cast concrete."""

    stuff: str
    seed: int
    size: int  #: pixels a side
    light: Color
    dark: Color
    joint: Color
    relief: float  #: 0 smooth, 1 rough
    rows: int  #: courses, boards or rows in one repeat
    worn: float  #: 0 to 1: how much pieces differ

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        blotch, fine = together(
            lambda: self._noise("blotch", (4, 4), 5, 0.6),
            lambda: self._noise("fine", (48, 48), 4, 0.7),
        )
        look = _LOOKS[self.stuff](self, blotch, fine)
        dark, light, joint = (np.array(c) for c in (self.dark, self.light, self.joint))
        color = dark + (light - dark) * np.clip(look.mix, -0.3, 1.25)[..., None]
        color = color + look.joint[..., None] * (joint * (0.9 + 0.2 * fine)[..., None] - color)
        alpha = np.ones((n, n, 1))
        deep = np.clip(1.0 - look.height, 0.0, 1.0)
        surface = np.stack([1.0 - 0.6 * self.relief * deep, look.rough, np.zeros((n, n))], axis=2)
        return Maps(
            as_bytes(np.concatenate([color.clip(0.0, 1.0), alpha], axis=2)),
            normals_of_heights(look.height.astype(np.float32), n / 512 * 8.0),
            as_bytes(surface),
        )

    def _noise(self, name: str, repeat: tuple[int, int], octaves: int, gain: float) -> Image:
        return tile(
            seed_for(self.seed, f"cladding.{name}"), (self.size, self.size), repeat, octaves, gain
        )

    def _at(self) -> tuple[Image, Image]:
        """Across and down, each from 0 to 1."""
        at = (np.arange(self.size) + 0.5) / self.size
        return np.broadcast_to(at, (self.size,) * 2), np.broadcast_to(at[:, None], (self.size,) * 2)

    def _each(self, name: str, row: Image, column: Image, wide: int) -> Image:
        """A number from 0 to 1 for each piece."""
        rng = np.random.Generator(np.random.PCG64(int(seed_for(self.seed, f"cladding.{name}"))))
        table = rng.random((self.rows, max(wide, 1)))
        return table[row.astype(int) % self.rows, column.astype(int) % max(wide, 1)]

    def _pieces(self, wide: int, uneven: float) -> tuple[Image, Image, Image, Image]:
        """Rows of pieces, every second one moved by half of one: row, column, and how far across and down each."""
        across, down = self._at()
        drift = self._noise("drift", (5, 5), 3, 0.5) * uneven
        y = (down + drift * 0.2 / self.rows) * self.rows % self.rows
        row = np.floor(y)
        x = (across * wide + 0.5 * (row % 2) + drift * 0.3) % wide
        return row, np.floor(x), x % 1.0, y % 1.0

    def _render(self, blotch: Image, fine: Image) -> _Look:
        trowel = self._noise("trowel", (7, 3), 4, 0.55)
        line = np.clip(1.0 - np.abs(blotch + 0.4 * trowel) * 60.0, 0.0, 1.0)
        line *= (self._noise("where", (3, 3), 2, 0.5) > 0.25) * self.worn
        height = 0.7 + self.relief * (0.14 * trowel + 0.10 * fine) - 0.12 * line
        mix = 0.7 + 0.25 * self.worn * blotch + 0.12 * trowel + 0.10 * fine - 0.5 * line
        return _Look(height, mix, 0.93 + 0.05 * fine, 0.0 * height)

    def _brick(self, blotch: Image, fine: Image) -> _Look:
        wide = max(1, self.rows // 3)
        row, column, x, y = self._pieces(wide, 0.5)
        tone = self._each("tone", row, column, wide)
        high = 0.16  # of a course, the joint
        side = np.minimum(np.minimum(x, 1 - x) * 3.0, np.minimum(y, 1 - y)) - 0.5 * high
        side = side + 0.05 * fine
        body = np.clip(side * 18.0, 0.0, 1.0)
        height = 0.35 + 0.4 * body + self.relief * (0.10 * fine + 0.06 * (tone - 0.5)) * body
        mix = 0.5 + self.worn * 0.9 * (tone - 0.5) + 0.2 * blotch + 0.22 * fine
        return _Look(height, mix, 0.88 + 0.08 * fine, 1.0 - body)

    def _flint(self, blotch: Image, fine: Image) -> _Look:
        edge, own = cells(
            seed_for(self.seed, "cladding.flint"), (self.size,) * 2, (self.rows, self.rows), 0.85
        )
        body = np.clip((edge - 0.07 + 0.05 * fine) * 9.0, 0.0, 1.0)
        rind = np.clip(1.0 - np.abs(edge - 0.14) * 14.0, 0.0, 1.0)
        height = 0.3 + 0.45 * np.sqrt(body) + 0.06 * self.relief * fine
        mix = 0.25 + 0.8 * self.worn * (own - 0.4) + 0.55 * rind + 0.2 * fine + 0.1 * blotch
        return _Look(height, mix, 0.45 + 0.45 * (1.0 - body) + 0.2 * rind, 1.0 - body)

    def _boards(self, blotch: Image, fine: Image) -> _Look:
        """Boards that lie over those below, level."""
        _, down = self._at()
        y = down * self.rows % self.rows
        row = np.floor(y)
        tone = self._each("board", row, 0 * row, 1)
        at = y % 1.0
        grain = self._noise("grain", (3, 26 * max(1, self.rows // 4)), 5, 0.65)
        lap = np.clip((0.97 - at) * 40.0, 0.0, 1.0)
        check = np.clip((self._noise("check", (2, 30), 4, 0.6) - 0.42) * 6.0, 0.0, 1.0)
        height = (0.45 + 0.35 * at) * lap + 0.1 * self.relief * grain - 0.2 * self.relief * check
        mix = 0.55 + 0.4 * grain + self.worn * 0.6 * (tone - 0.5) + 0.25 * blotch - 0.6 * check
        return _Look(height, mix, 0.86 + 0.08 * grain, 1.0 - lap)

    def _tiles(self, blotch: Image, fine: Image) -> _Look:
        """Tiles that hang, each row over the one below."""
        wide = self.rows
        row, column, x, y = self._pieces(wide, 0.35)
        tone = self._each("tile", row, column, wide)
        tilt = self._each("tilt", row, column, wide)
        foot = 0.94 - 0.05 * self.worn * tilt
        gap = np.clip(np.minimum(x, 1 - x) * 26.0, 0.0, 1.0)
        lap = np.clip((foot - y) * 22.0, 0.0, 1.0)
        body = gap * lap
        height = (0.3 + 0.5 * y + 0.1 * self.worn * (tilt - 0.5)) * body + 0.05 * fine
        moss = np.clip((blotch + 0.4 * fine - 0.25) * 2.0, 0.0, 1.0) * 0.25 * self.worn
        mix = 0.5 + self.worn * 0.9 * (tone - 0.5) + 0.15 * blotch + 0.2 * fine - moss
        return _Look(height, mix, 0.9 + 0.06 * fine, 0.85 * (1.0 - body))

    def _shingles(self, blotch: Image, fine: Image) -> _Look:
        look = self._tiles(blotch, fine)
        grain = self._noise("grain", (60, 4), 4, 0.65)
        return _Look(
            look.height + 0.08 * self.relief * grain,
            look.mix + 0.35 * grain,
            look.rough,
            look.joint,
        )

    def _thatch(self, blotch: Image, fine: Image) -> _Look:
        straw = self._noise("straw", (90, 5), 4, 0.75)
        comb = self._noise("comb", (26, 3), 4, 0.6)
        _, down = self._at()
        y = (down * self.rows + 0.18 * comb) % 1.0
        layer = np.clip((1.0 - y) * 7.0, 0.0, 1.0)
        height = 0.45 + 0.25 * y * layer + self.relief * (0.30 * straw + 0.15 * comb)
        mix = 0.5 + 0.6 * straw + 0.25 * comb + 0.25 * blotch - 0.3 * (1.0 - layer)
        return _Look(height, mix, 0.97 + 0.0 * straw, 0.35 * (1.0 - layer))

    def _turf(self, blotch: Image, fine: Image) -> _Look:
        blade = self._noise("blade", (70, 40), 4, 0.8)
        height = 0.5 + self.relief * (0.30 * blade + 0.12 * fine) + 0.1 * blotch
        bare = np.clip((blotch - 0.32) * 3.0, 0.0, 1.0) * self.worn
        return _Look(height, 0.5 + 0.7 * blade + 0.4 * blotch, 0.98 + 0.0 * blade, 0.6 * bare)

    def _concrete(self, blotch: Image, fine: Image) -> _Look:
        """Cast between boards, whose marks it keeps."""
        _, down = self._at()
        y = down * self.rows % self.rows
        tone = self._each("cast", np.floor(y), 0 * y, 1)
        at = y % 1.0
        seam = np.clip(1.0 - np.minimum(at, 1 - at) * 30.0, 0.0, 1.0)
        grain = self._noise("grain", (3, 40), 4, 0.6)
        run = np.clip(self._noise("run", (30, 2), 4, 0.6) - 0.1, 0.0, 1.0) * self.worn
        hole = np.clip((self._noise("hole", (36, 36), 2, 0.5) - 0.62) * 9.0, 0.0, 1.0)
        height = 0.7 + 0.08 * seam + self.relief * (0.08 * grain + 0.05 * fine) - 0.3 * hole
        mix = 0.65 + 0.25 * (tone - 0.5) + 0.15 * blotch + 0.1 * grain + 0.08 * fine
        return _Look(height, mix - 0.9 * run - 0.5 * hole, 0.9 + 0.06 * fine, 0.0 * seam)


_LOOKS: dict[str, Callable[[Cladding, Image, Image], _Look]] = {
    "render": Cladding._render,
    "brick": Cladding._brick,
    "flint": Cladding._flint,
    "boards": Cladding._boards,
    "tiles": Cladding._tiles,
    "shingles": Cladding._shingles,
    "thatch": Cladding._thatch,
    "turf": Cladding._turf,
    "concrete": Cladding._concrete,
}
