"""What a brush lets stand, stroke by stroke.

A stroke that paints puts its assets where nothing of the layer stands yet, one that erases takes them away, each as far in the fill as it is
worth at a place. So strokes only say which of a layer's candidates stand, and never where: the distance between them holds whatever is
painted, painting once more where it is painted changes nothing, a stroke taken back leaves what was before, and what lies beyond a
stroke's radius is never touched.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from plough.core.arrays import Bool, Float64, Int64, UInt32, UInt64
from plough.core.ground.brushed import Brushed, Strokes
from plough.core.parameters import Id
from plough.core.place.candidates import Candidates
from plough.core.place.variants import NONE, Choices
from plough.core.tiles import TileList

MOST_STROKES = 1000


class BrushStroke(Brushed):
    """One stroke of a brush that places."""

    does: Literal["paint", "erase"] = "paint"
    assets: tuple[Id, ...] = Field(
        (),
        max_length=32,
        description="Of the layer's mix, which of them it acts on; none: all.",
    )


def _before(share: Float64, end: Float64) -> Bool:
    """Whether each lies before an end of the fill; the end of all comes after everything."""
    return np.asarray((share < end) | (end >= 1.0))


@dataclass(frozen=True, eq=False)
class Brushwork:
    """The strokes of a layer over its mix."""

    strokes: Strokes[BrushStroke]
    paints: tuple[bool, ...]  #: of each stroke; else it erases
    on: tuple[Int64, ...]  #: of each, the rows of the assets that it acts on
    assets: int  #: of the mix
    alone: bool  #: nothing stands but where it is painted
    fill: float = 1.0  #: share of what fits that a whole mask lets stand

    @staticmethod
    def of(
        strokes: Sequence[BrushStroke], names: Sequence[str], alone: bool, fill: float = 1.0
    ) -> Brushwork:
        """`strokes` over a mix whose assets are chosen by `names`; those of assets that are gone do nothing."""
        every = np.arange(len(names))
        acting = [s for s in strokes if not s.assets or not set(names).isdisjoint(s.assets)]
        return Brushwork(
            Strokes(acting),
            tuple(s.does == "paint" for s in acting),
            tuple(every[np.isin(names, s.assets)] if s.assets else every for s in acting),
            len(names),
            alone,
            fill,
        )

    def masks(self, east: Float64, south: Float64) -> Float64:
        """(n, assets) the share of the fill that each may come to at each place, the others apart."""
        places = np.stack([east, south], axis=1)
        out = np.full((len(places), self.assets), 0.0 if self.alone else 1.0)
        for k in self.strokes.meeting(places):
            near = self.strokes.reached(k, places)
            worth, cells = self.strokes.worth(k, places[near])[:, None], np.ix_(near, self.on[k])
            if self.paints[k]:
                out[cells] = np.maximum(out[cells], worth)
            else:
                out[cells] = np.minimum(out[cells], 1.0 - worth)
        return out

    def standing(
        self,
        at: Candidates,
        share: Float64,
        choices: Choices,
        likes: Float64 | None,
        check: Callable[[], None] = lambda: None,
    ) -> UInt32:
        """(n,) the variant of each candidate that stands, `NONE` of the others.

        Args:
            share: (n,) of what fits that comes before each in the fill, 0 to 1.
            likes: (n, assets) by which the weight of each is multiplied there; None: all alike.
            check: called between strokes; may raise to stop.
        """
        places = np.stack([at.x, at.z], axis=1)
        out = np.full(len(places), NONE)
        if likes is None:
            likes = np.ones((len(places), self.assets))
        if not self.alone:
            out = choices.choose(at.ids, likes)
        for k in self.strokes.meeting(places):
            check()
            near, on = self.strokes.reached(k, places), self.on[k]
            if self.paints[k]:
                near = near[out[near] == NONE]
                worth = self.strokes.worth(k, places[near])
                near = near[_before(share[near], self.fill * worth)]
                only = np.zeros(self.assets)
                only[on] = 1.0
                out[near] = choices.choose(at.ids[near], likes[near] * only)
            else:
                near = near[out[near] != NONE]
                near = near[np.isin(choices.asset_of(out[near]), on)]
                worth = self.strokes.worth(k, places[near])
                out[near[~_before(share[near], self.fill * (1.0 - worth))]] = NONE
        return out

    def seen(self, tiles: TileList, check: Callable[[], None] = lambda: None) -> UInt64:
        """(t, 2) a hash of what is painted in each tile; 0 where nothing is."""
        return self.strokes.seen(tiles, check)
