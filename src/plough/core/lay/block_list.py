"""Lists of laid blocks, for those who build them."""

from __future__ import annotations

import csv
import io
import json
import math
from dataclasses import asdict, dataclass

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.lay.bricks import ROLES, Bricks

COLUMNS = (
    "number",
    "course",
    "role",
    "east m",
    "up m",
    "south m",
    "turn °",
    "long m",
    "high m",
    "wide m",
)


@dataclass(frozen=True, slots=True)
class Plane:
    """On which a block is laid: the middle of its underside, and the directions of its length and width."""

    origin: list[float]
    along: list[float]
    across: list[float]


@dataclass(frozen=True, slots=True)
class Block:
    """A block in metres and degrees; places are east, up and south."""

    number: int
    course: int
    role: str
    middle: list[float]
    turn: float
    size: list[float]
    plane: Plane


@dataclass(frozen=True, eq=False)
class Blocks:
    """Blocks in the order in which they are laid: course by course from below, and along the line."""

    course: Int64  #: (n,) from 1
    role: Int64  #: (n,) rows of `ROLES`
    middle: Float64  #: (n, 3) metres east, up and south
    turn: Float64  #: (n,) radians of their length, clockwise seen from above, from east
    size: Float64  #: (n, 3) metres long, high and wide

    @staticmethod
    def of(bricks: Bricks) -> Blocks:
        """Of a run."""
        order = np.lexsort((bricks.id, bricks.at, bricks.span, bricks.course))
        b = bricks.taken(order)
        first = int(b.course[0]) if len(b) else 0
        turn = np.mod(b.turn + math.pi, math.tau) - math.pi
        return Blocks(b.course - first + 1, b.role, b.middle, turn, b.size)

    def __len__(self) -> int:
        return len(self.turn)

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return sum(a.nbytes for a in (self.course, self.role, self.middle, self.turn, self.size))

    def rows(self, first: int = 0, many: int | None = None) -> list[Block]:
        """Some of them as plain values."""
        end = len(self) if many is None else min(len(self), first + many)
        return [self._row(k) for k in range(first, end)]

    def _row(self, k: int) -> Block:
        east, up, south = self.middle[k].tolist()
        turn = float(self.turn[k])
        c, s = round(math.cos(turn), 6), round(math.sin(turn), 6)
        under = up - 0.5 * float(self.size[k, 1])
        plane = Plane([round(v, 4) for v in (east, under, south)], [c, 0.0, s], [-s, 0.0, c])
        return Block(
            number=k + 1,
            course=int(self.course[k]),
            role=ROLES[int(self.role[k])],
            middle=[round(v, 4) for v in (east, up, south)],
            turn=round(math.degrees(turn), 3),
            size=[round(v, 4) for v in self.size[k].tolist()],
            plane=plane,
        )

    def as_csv(self) -> str:
        """A table with a line for each, in metres and degrees."""
        out = io.StringIO()
        table = csv.writer(out, lineterminator="\r\n")
        table.writerow(COLUMNS)
        for b in self.rows():
            table.writerow([b.number, b.course, b.role, *b.middle, b.turn, *b.size])
        return out.getvalue()

    def as_json(self) -> str:
        """The same with the plane of each."""
        return json.dumps(
            {
                "unit": "m",
                "axes": ["east", "up", "south"],
                "blocks": [asdict(b) for b in self.rows()],
            }
        )
