"""Trials: values about the present one, each of which can be."""

from __future__ import annotations

import copy
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.errors import ParameterError
from plough.core.parameters import build, describe
from plough.core.scene.registry import all_layer_kinds
from plough.core.scene.trials import NUMBERS, trials_of
from tests.depth import examples

SLOPE = {"id": "dry", "of": "slope", "between": [0, 12], "fade": 4}
REED = {"asset": "reed", "weight": 1, "size": [80, 120]}
BEGUN: dict[str, dict[str, Any]] = {
    "area": {"corners": [[0, 0], [9, 0], [0, 9]]},
    "path": {"points": [[0, 0], [30, 0]]},
    "air": {"points": [[0, 0]]},
    "pile": {"points": [[0, 0]]},
    "climber": {"points": [[0, 0]]},
    "wall": {"points": [[0, 0], [30, 0]]},
    "bricks": {"points": [[0, 0], [30, 0]]},
    "fence": {"points": [[0, 0], [30, 0]]},
    "hedge": {"points": [[0, 0], [30, 0]]},
}
NUMBERED = [
    (kind.name, row.path)
    for kind in all_layer_kinds().values()
    for row in describe(kind.parameters)
    if row.control in NUMBERS and "." not in row.path
]


@pytest.mark.parametrize(("kind", "path"), NUMBERED)
@pytest.mark.parametrize("count", [3, 5])
def test_every_number_of_every_kind_can_be_tried_and_each_trial_be_kept(
    kind: str, path: str, count: int
) -> None:
    begun = BEGUN.get(kind, {})
    model = all_layer_kinds()[kind].parameters
    row, found = trials_of(kind, begun, path, count)
    assert row.path == path and 1 < len(found) <= count
    assert [t.now for t in found].count(True) == 1
    values = [t.value for t in found]
    assert len({str(v) for v in values}) == len(values)
    if row.control != "seed":
        assert values == sorted(values)
    for trial in found:
        made = build(model, {**begun, **trial.parameters}).model_dump(mode="json")
        assert made[path] == trial.value
        assert {k: v for k, v in made.items() if k != path} == {
            k: v for k, v in build(model, begun).model_dump(mode="json").items() if k != path
        }


@given(now=st.floats(0.1, 200), count=st.sampled_from([3, 5]))
@settings(max_examples=examples(60), deadline=None)
def test_values_lie_about_the_present_one_which_is_among_them(now: float, count: int) -> None:
    _, found = trials_of("scatter", {"spacing": now}, "spacing", count)
    values = [t.value for t in found]
    assert now in values and len(values) == count
    assert all(0.1 <= v <= 200 for v in values)
    if 0.4 < now < 50:
        at = values.index(now)
        assert at == count // 2
        assert values[0] == pytest.approx(now / 2, abs=0.03)
        assert values[-1] == pytest.approx(now * 2, abs=0.03)


def test_an_end_that_is_open_stays_open_and_both_others_move_together() -> None:
    low = {"id": "low", "of": "height", "between": [-2, 9000], "fade": 1}
    _, found = trials_of("scatter", {"conditions": [low]}, "conditions#low.between", 5)
    assert len(found) == 5
    spans = [t.value for t in found]
    assert all(high == 9000 for _, high in spans)
    assert [a for a, _ in spans] == sorted(a for a, _ in spans) and [-2, 9000] in spans
    _, sizes = trials_of("scatter", {"size": [80, 120]}, "size", 3)
    assert [t.value for t in sizes] == [[40, 60], [80, 120], [160, 240]]


def test_numbers_of_conditions_and_of_a_mix_are_tried_in_their_place() -> None:
    parameters = {
        "conditions": [SLOPE, {**SLOPE, "id": "b"}],
        "mix": [REED, {**REED, "asset": "fern"}],
    }
    before = copy.deepcopy(parameters)
    row, found = trials_of("scatter", parameters, "conditions#dry.fade", 3)
    assert row.unit == "°" and row.step == 0.5
    for trial in found:
        (name,) = trial.parameters
        one, other = trial.parameters["conditions"]
        assert name == "conditions" and one["fade"] == trial.value and other["fade"] == 4
    _, found = trials_of("scatter", parameters, "mix#fern.size", 5)
    assert [t.parameters["mix"][1]["size"] for t in found] == [t.value for t in found]
    assert all(t.parameters["mix"][0]["size"] == [80, 120] for t in found)
    assert parameters == before


@pytest.mark.parametrize(
    "path",
    [
        "",
        "mix",
        "pattern",
        "nothing",
        "conditions#gone.fade",
        "conditions#dry.of",
        "mix#reed",
        "areas#a.b",
    ],
)
def test_what_is_no_number_is_refused(path: str) -> None:
    with pytest.raises(ParameterError, match="path"):
        trials_of("scatter", {"conditions": [SLOPE], "mix": [REED]}, path, 3)
