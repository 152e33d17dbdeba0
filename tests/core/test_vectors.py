"""Vectors at right angles."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from plough.core.vectors import across, unit

axis = st.floats(-1, 1)


@given(st.lists(st.tuples(axis, axis, axis), min_size=1, max_size=30))
def test_across_gives_a_right_handed_frame_for_any_direction(rows: list[tuple[float, ...]]) -> None:
    v = np.array([r for r in rows if np.linalg.norm(r) > 1e-3] or [(0, -1, 0)], float)
    v = unit(v)
    one, other = across(v)
    for a, b in ((one, other), (one, v), (other, v)):
        assert np.abs((a * b).sum(axis=1)).max() < 1e-9
    assert np.allclose(np.linalg.norm(one, axis=1), 1)
    assert np.allclose(np.cross(one, other), v, atol=1e-9)


def test_the_length_of_nothing_is_nothing() -> None:
    assert np.array_equal(unit(np.zeros((2, 3))), np.zeros((2, 3)))
