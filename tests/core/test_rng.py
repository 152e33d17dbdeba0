"""Counter-based random numbers: pure, uniform, independent."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from plough.core.rng import bits, bits_array, mix, stream, uniform, uniform_array

U64 = st.integers(0, 2**64 - 1)


@given(seed=U64, index=U64)
def test_scalar_and_array_forms_agree(seed: int, index: int) -> None:
    purpose = stream("test")
    array = bits_array(seed, purpose, np.array([index], np.uint64))
    assert int(bits(np.uint64(seed), purpose, np.uint64(index))) == int(array[0])
    assert (
        uniform(np.uint64(seed), purpose, np.uint64(index))
        == uniform_array(seed, purpose, np.array([index], np.uint64))[0]
    )


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
