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
from plough.core.rng import bits, stream, uniform

_ASSET, _SEED = stream("place.asset"), stream("place.seed")


@dataclass(frozen=True, slots=True)
class Choices:
    """Assets with weights, and the seeds of each; variants are numbered through, asset by asset."""

    assets: UInt64  #: (a,) hash of each asset's id
    weights: Float64  #: (a,)
    first: Int64  #: (a + 1,) first variant of each
    seeds: UInt64  #: (v,) seed of each variant

    @staticmethod
    def of(entries: Sequence[tuple[str, float, Sequence[int]]]) -> Choices:
        """From (asset id, weight, seeds) of each."""
        counts = [len(seeds) for _, _, seeds in entries]
        return Choices(
            np.array([stream(f"asset {name}") for name, _, _ in entries], np.uint64),
            np.array([weight for _, weight, _ in entries], np.float64),
            np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
            np.array([s for _, _, seeds in entries for s in seeds], np.uint64),
        )

    def choose(self, ids: UInt64) -> UInt32:
        """(n,) the variant of each placement."""
        return _choose(ids, self.assets, self.weights, self.first, self.seeds)


@kernel
def _choose(ids: UInt64, assets: UInt64, weights: Float64, first: Int64, seeds: UInt64) -> UInt32:
    out = np.empty(ids.shape[0], np.uint32)
    for i in range(ids.shape[0]):
        best, chosen = math.inf, 0
        for a in range(assets.shape[0]):
            cost = -math.log1p(-uniform(assets[a], _ASSET, ids[i])) / weights[a]
            if cost < best:
                best, chosen = cost, a
        least, row = np.uint64(0xFFFFFFFFFFFFFFFF), first[chosen]
        if first[chosen + 1] - first[chosen] > 1:
            for v in range(first[chosen], first[chosen + 1]):
                draw = bits(assets[chosen] ^ seeds[v], _SEED, ids[i])
                if draw < least:
                    least, row = draw, v
        out[i] = row
    return out
