"""Counter-based random numbers: pure, uniform, independent."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from plough.core.rng import bits, bits_array, mix, stream, uniform, uniform_array

U64 = st.integers(0, 2**64 - 1)


WORD = 2**64 - 1


def _mixed(x: int) -> int:
    """The finaliser of SplitMix64 in whole numbers of any size."""
    x = ((x ^ x >> 30) * 0xBF58476D1CE4E5B9) & WORD
    x = ((x ^ x >> 27) * 0x94D049BB133111EB) & WORD
    return x ^ x >> 31


def _told(seed: int, purpose: int, index: int) -> int:
    golden = 0x9E3779B97F4A7C15
    h = _mixed(_mixed((seed + golden) & WORD) ^ purpose)
    return _mixed((h + index * golden) & WORD)


@settings(deadline=None)
@given(seed=U64, indices=st.lists(U64, max_size=6))
def test_scalars_and_arrays_are_what_plain_numbers_tell(seed: int, indices: list[int]) -> None:
    purpose = stream("test")
    expected = [_told(seed, int(purpose), k) for k in indices]
    array = np.array(indices, np.uint64)
    assert [int(bits(np.uint64(seed), purpose, k)) for k in array] == expected
    assert bits_array(seed, purpose, array).tolist() == expected
    shares = [(k >> 11) / 2**53 for k in expected]
    assert [uniform(np.uint64(seed), purpose, k) for k in array] == shares
    assert uniform_array(seed, purpose, array).tolist() == shares
    assert uniform_array(seed, purpose, array[:, None]).shape == (len(indices), 1)


def test_uniform_over_consecutive_indices() -> None:
    values = uniform_array(7, stream("test"), np.arange(200_000, dtype=np.uint64))
    assert values.min() >= 0.0
    assert values.max() < 1.0
    assert stats.kstest(values, "uniform").pvalue > 1e-4
    counts = np.histogram2d(values[:-1], values[1:], bins=16)[0].ravel()
    assert stats.chisquare(counts).pvalue > 1e-4, "neighbouring indices must not be related"


def test_seeds_streams_and_indices_are_independent() -> None:
    index = np.arange(50_000, dtype=np.uint64)
    base = uniform_array(1, stream("a"), index)
    for other in (
        uniform_array(2, stream("a"), index),
        uniform_array(1, stream("b"), index),
        uniform_array(1, stream("a"), index + np.uint64(1)),
    ):
        assert abs(np.corrcoef(base, other)[0, 1]) < 0.02


def test_mix_is_a_bijection_on_a_sample() -> None:
    values = np.array([int(mix(np.uint64(k))) for k in range(50_000)], np.uint64)
    assert np.unique(values).size == values.size
    ones = np.unpackbits(values.view(np.uint8)).mean()
    assert abs(ones - 0.5) < 0.003
