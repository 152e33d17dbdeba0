"""Pieces that fill the cells of a façade: windows, doors, panels with braces, posts, bands, balconies, steps, chimneys."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

from plough.core.house.forms import Drawing, Drawn, Form
from plough.core.matters import Matters, among
from plough.core.parameters import Parameters, choice, count, flag, number

PieceName = Literal["window", "door", "panel", "balcony"]
BEHIND = 0.02  #: metres behind the wall's face that what lies on it begins
_SEEN = 0.004  # metres, of what is drawn at all


class PieceParameters(Parameters):
    """What a cell of a façade is filled with."""

    stages: ClassVar[tuple[str, ...]] = ("Opening", "Frame", "About it", "Timber")
    matters: ClassVar[Matters] = {
        "wide high sill depth frame": among("what", "window", "door", "balcony"),
        "across": among("what", "window", "door", "balcony"),
        "up": among("what", "window", "balcony"),
        "shutters": among("what", "window"),
        "ledge": among("what", "window"),
        "boards": among("what", "door"),
        "brace": among("what", "panel"),
        "timber": among("what", "panel"),
    }

    what: PieceName = choice(
        "window",
        "What it is",
        {"window": "Window", "door": "Door", "panel": "Panel", "balcony": "Balcony"},
        group="Opening",
    )
    wide: float = number(
        0.62, "Wide", (0.1, 1), unit="of the cell", group="Opening", help="Of its opening."
    )
    high: float = number(0.52, "High", (0.1, 1), unit="of the storey", group="Opening")
    sill: float = number(0.32, "Above the floor", (0, 0.8), unit="of the storey", group="Opening")
    depth: float = number(0.12, "Set back", (0.02, 0.6), unit="m", group="Opening")
    frame: float = number(0.06, "Frame", (0.02, 0.2), unit="m", group="Frame")
    across: int = count(2, "Lights across", (1, 6), group="Frame")
    up: int = count(3, "Panes up", (1, 8), group="Frame")
    boards: int = count(4, "Boards of the door", (1, 10), group="Frame")
    shutters: bool = flag(False, "Shutters", group="About it")
    ledge: float = number(0.06, "Ledge stands out", (0, 0.4), unit="m", group="About it")
    head: float = number(
        0.14, "Lintel", (0, 0.5), unit="m", group="About it", help="0: none is seen."
    )
    brace: Literal["none", "left", "right", "cross", "chevron"] = choice(
        "none",
        "Brace",
        {
            "none": "None",
            "left": "Down to the left",
            "right": "Down to the right",
            "cross": "Crossed",
            "chevron": "From the middle down",
        },
        group="Timber",
    )
    timber: float = number(0.16, "Timber", (0.04, 0.4), unit="m", group="Timber")
    stands: float = number(
        0.02, "Timber stands out", (0.0, 0.12), unit="m", group="Timber", help="Before the wall."
    )

    @property
    def open(self) -> bool:
        """Whether it has an opening."""
        return self.what != "panel"

    def opening(self, wide: float, high: float) -> tuple[float, float, float, float]:
        """Its opening in a cell: left, right, low and high, metres from the cell's foot at the left."""
        half = 0.5 * self.wide
        low = 0.0 if self.what != "window" else min(self.sill, 1.0 - 0.98 * self.high)
        high_ = self.high if self.what == "window" else max(self.high, 0.6)
        return (0.5 - half) * wide, (0.5 + half) * wide, low * high, min(low + high_, 0.98) * high


@dataclass(frozen=True, eq=False)
class Brought:
    """A piece that is a thing of its own, hung in its cell; its foot is on the storey's floor, its front looks out."""

    name: str
    box: tuple[float, float, float, float]  #: left, low, right and high of it, metres
    fit: Literal["own", "wide", "cell"]
    cut: (
        tuple[float, float, float, float] | None
    )  #: wide, high, sill and deep, metres, of the opening behind it

    what = "window"

    @property
    def open(self) -> bool:
        """Whether it has an opening."""
        return self.cut is not None

    @property
    def depth(self) -> float:
        """Metres that its opening is set back."""
        return self.cut[3] if self.cut else 0.0

    def size(self, wide: float, high: float) -> tuple[float, float]:
        """How many times as wide and as high as its own it is in a cell."""
        left, low, right, top = self.box
        x = wide / max(right - left, 0.01) if self.fit != "own" else 1.0
        return x, high / max(top - low, 0.01) if self.fit == "cell" else 1.0

    def opening(self, wide: float, high: float) -> tuple[float, float, float, float]:
        """As that of a kit's piece."""
        across, up, sill, _ = self.cut or (0.0, 0.0, 0.0, 0.0)
        x, y = self.size(wide, high)
        half = min(0.5 * x * across, 0.49 * wide)
        low = min(sill * y, 0.9 * high)
        return 0.5 * wide - half, 0.5 * wide + half, low, min(low + up * y, 0.98 * high)


@lru_cache(maxsize=512)
def form_of(p: PieceParameters) -> Form:
    """What of a piece is not the wall itself: for a cell so wide and high, its foot at the left at 0."""
    draw = {"window": _window, "door": _door, "panel": _panel, "balcony": _balcony}[p.what]
    return Form.of(lambda d, w, h: draw(p, d, w, h))


@lru_cache(maxsize=1024)
def reach_of(piece: PieceParameters | Brought, wide: float, high: float) -> tuple[float, float]:
    """From where to where, metres from the left of a cell so wide, a piece with an opening reaches."""
    left, right, _, _ = piece.opening(wide, high)
    if isinstance(piece, Brought):
        x, _ = piece.size(wide, high)
        return min(left, 0.5 * wide + x * piece.box[0]), max(right, 0.5 * wide + x * piece.box[2])
    across = form_of(piece).sized(wide, high)[..., 0]
    return min(left, float(across.min())), max(right, float(across.max()))


def _frame(p: PieceParameters, d: Drawing, x0: float, x1: float, y0: float, y1: float) -> None:
    z, f = (-p.depth, -p.depth + 0.5 * p.frame + 0.03), p.frame
    d.box((x0, x0 + f), (y0, y1), z, "frame", "back left")
    d.box((x1 - f, x1), (y0, y1), z, "frame", "back right")
    d.box((x0 + f, x1 - f), (y1 - f, y1), z, "frame", "back top left right")
    d.box((x0 + f, x1 - f), (y0, y0 + f), z, "frame", "back under left right")


def _lights(
    p: PieceParameters, d: Drawing, x0: float, x1: float, y0: float, y1: float, up: int
) -> None:
    """Mullions and bars between panes."""
    z, thin = (-p.depth, -p.depth + 0.03), 0.4 * p.frame
    for k in range(1, p.across):
        x = x0 + k * (x1 - x0) * (1.0 / p.across)
        d.box((x - 0.4 * p.frame, x + 0.4 * p.frame), (y0, y1), z, "frame", "back top under")
    for k in range(1, up):
        y = y0 + k * (y1 - y0) * (1.0 / up)
        d.box(
            (x0, x1),
            (y - 0.5 * thin, y + 0.5 * thin),
            (z[0], z[1] - 0.008),
            "frame",
            "back left right",
        )


def _head(p: PieceParameters, d: Drawing, x0: float, x1: float, y1: float) -> None:
    if p.head > _SEEN:
        ends = (x0 - 0.12, x1 + 0.12)
        d.box(ends, (y1, y1 + p.head), (-BEHIND, 0.025), "lintel", "back")


def _window(p: PieceParameters, d: Drawing, w: float, h: float) -> None:
    x0, x1, y0, y1 = _affine(p, w, h)
    _frame(p, d, x0, x1, y0, y1)
    f = p.frame
    _lights(p, d, x0 + f, x1 - f, y0 + f, y1 - f, p.up)
    if p.ledge > _SEEN:
        d.box((x0 - 0.06, x1 + 0.06), (y0 - 0.06, y0), (-p.depth, p.ledge), "ledge", "back")
    _head(p, d, x0, x1, y1)
    if p.shutters:
        half = 0.5 * (x1 - x0)
        for a, b in ((x0 - half, x0), (x1, x1 + half)):
            d.box((a + 0.01, b - 0.01), (y0, y1), (-BEHIND, 0.035), "door", "back")
            for at in (0.14, 0.86):
                y = y0 + at * (y1 - y0)
                d.box((a + 0.03, b - 0.03), (y - 0.045, y + 0.045), (0.035, 0.055), "door", "back")


def _door(p: PieceParameters, d: Drawing, w: float, h: float) -> None:
    x0, x1, y0, y1 = _affine(p, w, h)
    _frame(p, d, x0, x1, y0, y1)
    a, b, top = x0 + p.frame, x1 - p.frame, y1 - p.frame
    wide = (b - a) * (1.0 / p.boards)
    for k in range(p.boards):
        x = a + k * wide
        d.box(
            (x + 0.004, x + wide - 0.004),
            (y0 + 0.02, top),
            (-p.depth, -p.depth + 0.035),
            "door",
            "back under",
        )
    for at in (0.16, 0.84):
        y = y0 + at * (y1 - y0)
        d.box(
            (a + 0.03, b - 0.25 * (b - a)),
            (y - 0.03, y + 0.03),
            (-p.depth + 0.035, -p.depth + 0.045),
            "iron",
            "back",
        )
    y, x = y0 + 0.48 * (y1 - y0), b - 0.09
    d.box(
        (x - 0.05, x + 0.05),
        (y - 0.02, y + 0.02),
        (-p.depth + 0.035, -p.depth + 0.09),
        "iron",
        "back",
    )
    d.box((x0 - 0.05, x1 + 0.05), (y0 - 0.05, y0 + 0.02), (-p.depth, 0.10), "ledge", "back")
    _head(p, d, x0, x1, y1)


def _panel(p: PieceParameters, d: Drawing, w: float, h: float) -> None:
    z, t = (-BEHIND, p.stands), p.timber
    if p.brace in ("left", "cross"):
        d.bar((0.5 * t, 0.5 * t), (w - 0.5 * t, h - 0.5 * t), t, z, "timber")
    if p.brace in ("right", "cross"):
        d.bar((w - 0.5 * t, 0.5 * t), (0.5 * t, h - 0.5 * t), t, (z[0], z[1] - 0.004), "timber")
    if p.brace == "chevron":
        d.bar((0.5 * t, 0.5 * t), (0.5 * w, h - 0.5 * t), t, z, "timber")
        d.bar((w - 0.5 * t, 0.5 * t), (0.5 * w, h - 0.5 * t), t, z, "timber")


def _balcony(p: PieceParameters, d: Drawing, w: float, h: float) -> None:
    x0, x1, y0, y1 = _affine(p, w, h)
    _frame(p, d, x0, x1, y0, y1)
    f = p.frame
    _lights(p, d, x0 + f, x1 - f, y0 + f, y1 - f, p.up)
    _head(p, d, x0, x1, y1)
    a, b, out = 0.04 * w, 0.96 * w, 0.9
    d.box((a, b), (-0.14, 0.0), (-BEHIND, out), "floor", "back")
    for x in (a + 0.12, b - 0.24):
        d.box((x, x + 0.12), (-0.30, -0.14), (-BEHIND, 0.8 * out), "timber", "back top")
    rail = 0.06
    for x in (a, b - rail):
        d.box((x, x + rail), (0.0, 1.0), (out - rail, out), "timber", "under")
        d.box((x, x + rail), (0.94, 1.0), (-BEHIND, out - rail), "timber", "back front")
    d.box((a + rail, b - rail), (0.94, 1.0), (out - rail, out), "timber", "left right")
    d.box((a + rail, b - rail), (0.08, 0.13), (out - 0.05, out - 0.015), "timber", "left right")
    for k in range(9):
        x = a + rail + (k + 0.5) * (b - a - 2 * rail) * (1.0 / 9)
        d.box(
            (x - 0.014, x + 0.014), (0.13, 0.94), (out - 0.045, out - 0.018), "timber", "top under"
        )
    for k in range(4):
        z = (k + 0.5) * (out - rail) / 4
        for x in (a, b - rail):
            d.box(
                (x + 0.015, x + 0.043), (0.0, 0.94), (z - 0.014, z + 0.014), "timber", "top under"
            )


def _affine(p: PieceParameters, w: float, h: float) -> tuple[float, float, float, float]:
    """As `opening`; for `Form.of`, which measures how corners go with width and height."""
    return p.opening(w, h)


@lru_cache(maxsize=256)
def post(wide: float, high: float, out: float) -> Drawn:
    """An upright timber about the middle of a place on a wall."""
    d = Drawing()
    d.box((-0.5 * wide, 0.5 * wide), (0.0, high), (-BEHIND, out), "timber", "back")
    return d.drawn


@lru_cache(maxsize=256)
def band(long: float, high: float, out: float, slot: str) -> Drawn:
    """A band along a wall, over its whole length."""
    d = Drawing()
    d.box((0.0, long), (0.0, high), (-BEHIND, out), slot, "back")
    return d.drawn


@lru_cache(maxsize=256)
def steps(wide: float, rise: float, tread: float = 0.3) -> Drawn:
    """Steps down from a sill, as many as a drop of `rise` metres needs."""
    d = Drawing()
    many = max(1, int(np.ceil(rise / 0.18)))
    for k in range(many):
        top = -k * rise / many
        d.box(
            (-0.5 * wide - 0.06 * k, 0.5 * wide + 0.06 * k),
            (-rise - 0.4, top - 0.03),
            (-0.05, 0.25 + tread * (k + 1)),
            "step",
            "back under",
        )
    return d.drawn
