"""Counter-based random numbers.

A value is a pure function of (seed, stream, index): no state, no order of calls. The mixing function is the finaliser of SplitMix64
(Steele, Lea and Flood 2014), applied three times. Every function exists for kernels (scalars) and for NumPy (arrays); the two agree bit for bit.
"""

from __future__ import annotations

from hashlib import blake2b

import numpy as np

from plough.core.arrays import Float64, UInt64
from plough.core.kernels import kernel

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MUL1 = np.uint64(0xBF58476D1CE4E5B9)
_MUL2 = np.uint64(0x94D049BB133111EB)
_S30, _S27, _S31, _S11 = np.uint64(30), np.uint64(27), np.uint64(31), np.uint64(11)
_UNIT = 1.0 / 9007199254740992.0  # 2^-53


def stream(name: str) -> np.uint64:
    """The stream for a purpose, such as ``stream("branch.angle")``: 64 bits of the BLAKE2b hash of its name."""
    return np.uint64(int.from_bytes(blake2b(name.encode(), digest_size=8).digest(), "little"))


@kernel
def mix(x: np.uint64) -> np.uint64:
    """Scramble 64 bits (a bijection)."""
    x = (x ^ (x >> _S30)) * _MUL1
    x = (x ^ (x >> _S27)) * _MUL2
    return x ^ (x >> _S31)


@kernel
def bits(seed: np.uint64, stream: np.uint64, index: np.uint64) -> np.uint64:
    """64 random bits for (seed, stream, index)."""
    h = mix(np.uint64(seed) + _GOLDEN)
    h = mix(h ^ np.uint64(stream))
    return mix(h + np.uint64(index) * _GOLDEN)


@kernel
def uniform(seed: np.uint64, stream: np.uint64, index: np.uint64) -> float:
    """A number in [0, 1)."""
    return float(bits(seed, stream, index) >> _S11) * _UNIT


@kernel
def symmetric(seed: np.uint64, stream: np.uint64, index: np.uint64) -> float:
    """A number in [-1, 1)."""
    return 2.0 * uniform(seed, stream, index) - 1.0


@kernel
def _bits_of(seed: np.uint64, stream: np.uint64, index: UInt64) -> UInt64:
    out = np.empty(index.shape[0], np.uint64)
    for k in range(index.shape[0]):
        out[k] = bits(seed, stream, index[k])
    return out


@kernel
def _uniform_of(seed: np.uint64, stream: np.uint64, index: UInt64) -> Float64:
    out = np.empty(index.shape[0])
    for k in range(index.shape[0]):
        out[k] = uniform(seed, stream, index[k])
    return out


def _flat(index: UInt64) -> UInt64:
    return np.ascontiguousarray(index, np.uint64).ravel()


def _word(seed: int) -> np.uint64:
    return np.uint64(int(seed) & 0xFFFFFFFFFFFFFFFF)


def bits_array(seed: int, stream: np.uint64, index: UInt64) -> UInt64:
    """64 random bits for each of `index` (n,) uint64; equals `bits` element by element."""
    return np.asarray(_bits_of(_word(seed), stream, _flat(index)).reshape(np.shape(index)))


def uniform_array(seed: int, stream: np.uint64, index: UInt64) -> Float64:
    """Numbers in [0, 1) for each of `index` (n,) uint64; equals `uniform` element by element."""
    return np.asarray(_uniform_of(_word(seed), stream, _flat(index)).reshape(np.shape(index)))


def symmetric_array(seed: int, stream: np.uint64, index: UInt64) -> Float64:
    """Numbers in [-1, 1) for each of `index` (n,) uint64; equals `symmetric` element by element."""
    return 2.0 * uniform_array(seed, stream, index) - 1.0


def seed_for(seed: int, purpose: str) -> np.uint64:
    """64 bits for a purpose that needs a seed of its own."""
    return np.uint64(bits_array(seed, stream(purpose), np.zeros(1, np.uint64))[0])
