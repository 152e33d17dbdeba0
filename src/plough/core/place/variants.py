"""Which variant each placement is: weighted rendezvous hashing (Thaler and Ravishankar 1998; Schindelhauer and Schomaker 2005).

Every asset draws a number for every placement, from its own name and the placement's id; the least
of -ln(1 - u) / weight wins. Then the seeds of that asset draw in the same way. Hence an asset that
is added, removed or reweighed takes or gives up only its own share, and so does a seed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64, Int64, UInt32, UInt64
from plough.core.kernels import kernel
from plough.core.rng import bits, stream, uniform, uniform_array

NONE = np.uint32(0xFFFFFFFF)
_ASSET, _SEED = stream("place.asset"), stream("place.seed")
_MIRRORED = stream("place.mirrored")


@dataclass(frozen=True, slots=True)
class Choices:
    """Assets with weights, and the seeds of each; variants are numbered through, asset by asset.

    Where some are mirrored, the mirrored variants follow all others, in the same order.
    """

    assets: UInt64  #: (a,) hash of each asset's id
    weights: Float64  #: (a,)
    first: Int64  #: (a + 1,) first variant of each
    seeds: UInt64  #: (v,) seed of each variant that is not mirrored
    mirrored: float = 0.0  #: share of those that are, 0 to 1

    @staticmethod
    def of(entries: Sequence[tuple[str, float, Sequence[int]]], mirrored: float = 0.0) -> Choices:
        """From (asset id, weight, seeds) of each, and the share that is mirrored."""
        counts = [len(seeds) for _, _, seeds in entries]
        return Choices(
            np.array([stream(f"asset {name}") for name, _, _ in entries], np.uint64),
            np.array([weight for _, weight, _ in entries], np.float64),
            np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
            np.array([s for _, _, seeds in entries for s in seeds], np.uint64),
            mirrored,
        )

    def told(self) -> list[list[float]]:
        """All that decides what is chosen, for a key."""
        arrays = (self.assets, self.weights, self.first, self.seeds)
        return [*(a.tolist() for a in arrays), [self.mirrored]]

    def each(self, of_entries: Sequence[float]) -> Float64:
        """(variants,) for every variant what `of_entries` has for its asset."""
        once = np.repeat(np.array(of_entries, np.float64), np.diff(self.first))
        return np.tile(once, 2) if self.mirrored else once

    def choose(self, ids: UInt64, shares: Float64 | None = None) -> UInt32:
        """(n,) the variant of each placement; `NONE` where no asset may stand.

        Args:
            shares: (n, assets) by which the weight of each is multiplied there; 0: not here.
        """
        whole = np.ones((1, len(self.assets))) if shares is None else shares
        chosen = _choose(ids, self.assets, self.weights, whole, self.first, self.seeds)
        if not self.mirrored:
            return chosen
        over = (uniform_array(0, _MIRRORED, ids) < self.mirrored) & (chosen != NONE)
        return np.where(over, chosen + np.uint32(len(self.seeds)), chosen)

    def asset_of(self, variant: UInt32) -> Int64:
        """(n,) the row of the asset that each variant is of."""
        once = variant % max(1, len(self.seeds))
        return np.searchsorted(self.first, once, side="right").astype(np.int64) - 1


@kernel
def _choose(
    ids: UInt64, assets: UInt64, weights: Float64, shares: Float64, first: Int64, seeds: UInt64
) -> UInt32:
    alike = shares.shape[0] == 1 and ids.shape[0] != 1
    out = np.empty(ids.shape[0], np.uint32)
    for i in range(ids.shape[0]):
        best, chosen = math.inf, -1
        for a in range(assets.shape[0]):
            weight = weights[a] * shares[0 if alike else i, a]
            if weight <= 0.0:
                continue
            cost = -math.log1p(-uniform(assets[a], _ASSET, ids[i])) / weight
            if cost < best:
                best, chosen = cost, a
        if chosen < 0:
            out[i] = NONE
            continue
        least, row = np.uint64(0xFFFFFFFFFFFFFFFF), first[chosen]
        if first[chosen + 1] - first[chosen] > 1:
            for v in range(first[chosen], first[chosen + 1]):
                draw = bits(assets[chosen] ^ seeds[v], _SEED, ids[i])
                if draw < least:
                    least, row = draw, v
        out[i] = row
    return out
