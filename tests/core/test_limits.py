"""Limits: predicted before the work, and told by a field that exists."""

import resource
import subprocess
import sys
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.errors import ParameterError, TooLargeError
from plough.core.grow import covering
from plough.core.kinds import all_kinds, get_kind
from plough.core.mesh.checks import problems
from plough.core.parameters import build, describe, with_values
from tests.depth import examples
from tests.models import make

EXTREMES: list[tuple[str, dict[str, Any]]] = [
    ("tree", {"first": {"count": 120}, "second": {"count": 120}, "third": {"count": 120}}),
    ("tree", {"first": {"per_metre": 40}, "second": {"per_metre": 40}, "third": {"per_metre": 40}}),
    (
        "tree",
        {
            "stems": 12,
            "first": {"count": 120},
            "second": {"count": 60},
            "sides": 4,
            "leaves": False,
        },
    ),
    ("tree", {"leaf_count": 120, "leaf_form": "shaped", "first": {"count": 60}}),
    (
        "plant",
        {
            "stems": 40,
            "low": {"leaves": 80},
            "middle": {"leaves": 80},
            "head_parts": 400,
            "heads": 40,
        },
    ),
    ("shrub", {"height": 8, "width": 8, "depth": 8, "density": 400}),
    ("shrub", {"body": "hedge", "stems": 60, "branches": 40, "line": [[-50, 0], [50, 0]]}),
    ("tuft", {"blades": 100_000}),
]


def clipped(kind: str, values: dict[str, Any]) -> dict[str, Any]:
    """`values` with every number at most as large as its field allows."""
    high = {row.path: row.high for row in describe(get_kind(kind).parameters)}

    def clip(tree: dict[str, Any], prefix: str) -> dict[str, Any]:
        out: dict[str, Any] = {}
        for name, value in tree.items():
            path = f"{prefix}{name}"
            if isinstance(value, dict):
                out[name] = clip(value, f"{path}.")
            elif isinstance(value, int | float) and not isinstance(value, bool) and high.get(path):
                out[name] = min(value, type(value)(high[path]))
            else:
                out[name] = value
        return out

    return clip(values, "")


@pytest.mark.parametrize(
    ("kind", "values"), EXTREMES, ids=lambda v: v if isinstance(v, str) else ""
)
def test_what_is_too_much_is_refused_with_a_field_that_exists_or_is_made(
    kind: str, values: dict[str, Any]
) -> None:
    known = {row.path for row in describe(get_kind(kind).parameters)}
    try:
        product = make(kind, clipped(kind, values), 1)
    except TooLargeError as error:
        assert error.field in known, error
        assert "the limit is" in error.message or "more than" in error.message
    else:
        assert product.mesh.triangles <= 2 * covering.MOST_TRIANGLES


def test_some_extremes_are_refused() -> None:
    refused = 0
    for kind, values in EXTREMES:
        try:
            make(kind, clipped(kind, values), 1)
        except TooLargeError:
            refused += 1
    assert refused >= 4, "else the test above shows nothing"


def test_wood_is_counted_before_it_is_swept(monkeypatch: pytest.MonkeyPatch) -> None:
    swept = []
    monkeypatch.setattr("plough.core.grow.wood.sweep", lambda *a: swept.append(a))
    monkeypatch.setattr("plough.core.grow.wood.MOST_TRIANGLES", 4000)
    with pytest.raises(TooLargeError, match=r"^\w+\.count: the wood would have [\d,]+ triangles"):
        make("tree", {"leaves": False}, 1)
    assert not swept


HEDGE = """
import resource
resource.setrlimit(resource.RLIMIT_AS, (3 * 2**30, 3 * 2**30))
from plough.core.errors import TooLargeError
from plough.core.kinds import make
line = [[-50 + 100 * k / 11, (k % 2) * 4] for k in range(12)]
try:
    print(make("shrub", {"body": "hedge", "stems": 60, "line": line, "density": 10, "leaves": False}, 1).mesh.triangles)
except TooLargeError as error:
    print(error)
"""


def test_a_hedge_of_a_hundred_metres_with_sixty_stems_needs_no_more_than_its_share() -> None:
    done = subprocess.run(
        [sys.executable, "-c", HEDGE], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr[-400:]
    assert done.stdout.strip()


def numbers_of(kind: str) -> st.SearchStrategy[dict[str, Any]]:
    rows = [
        r
        for r in describe(get_kind(kind).parameters)
        if r.control in ("slider", "count") and r.low is not None
    ]

    def value(row: dict[str, Any]) -> st.SearchStrategy[Any]:
        ends = st.sampled_from([row.low, row.high])
        if row.control == "count":
            return ends.map(int) | st.integers(int(row.low), int(row.high))
        return ends | st.floats(row.low, row.high)

    return st.lists(st.sampled_from(rows), max_size=6, unique_by=lambda r: r.path).flatmap(
        lambda chosen: st.fixed_dictionaries({r.path: value(r) for r in chosen})
    )


@pytest.mark.parametrize("kind", all_kinds())
def test_any_numbers_within_their_limits_make_a_sound_mesh_or_are_refused(kind: str) -> None:
    known = {row.path for row in describe(get_kind(kind).parameters)}

    @given(numbers_of(kind), st.integers(0, 2**32 - 1))
    @settings(max_examples=examples(12) if get_kind(kind).slow else examples(40), deadline=None)
    def check(settings_: dict[str, Any], seed: int) -> None:
        values = with_values({"texture_size": "128"} if "texture_size" in known else {}, settings_)
        try:
            product = make(kind, values, seed, 1)
        except TooLargeError as error:
            assert error.field in known
            return
        except ParameterError as error:
            assert error.field.split(".")[0] in {p.split(".")[0] for p in known}
            return
        assert np.isfinite(product.mesh.positions).all()
        assert np.isfinite(product.mesh.normals).all()
        assert product.mesh.indices.max(initial=0) < max(1, product.mesh.vertices)

    check()
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert used < 4_000_000, "kilobytes, of this process at most"


@pytest.mark.parametrize("kind", all_kinds())
def test_defaults_lie_within_their_own_limits(kind: str) -> None:
    model = get_kind(kind).parameters
    whole = model().model_dump(mode="json")
    assert build(model, whole).model_dump(mode="json") == whole
    mesh = make(kind, whole, 3).mesh
    assert problems(mesh) == []
