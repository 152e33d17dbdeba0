"""What could give way: each gain is what the scene then weighs less, whatever the profile."""

from __future__ import annotations

import pytest

from plough.core.library import Library
from plough.core.scene import Evaluator
from plough.core.scene.document import LayerGame, SceneDocument, with_layer
from plough.core.scene.gains import LEAST, gains_of
from plough.core.scene.weight import PROFILES, Profile, Weight, weigh
from tests.core.test_scene import small

EYE = (0.0, 2.0, 0.0)


def total(evaluator: Evaluator, document: SceneDocument) -> Weight:
    out = Weight()
    for w in weigh(evaluator.evaluate(document), evaluator.library, EYE).values():
        out += w
    return out


@pytest.fixture
def evaluator() -> Evaluator:
    return Evaluator(Library())


@pytest.mark.parametrize("what", ["triangles", "instances"])
@pytest.mark.parametrize("share", [0.97, 0.8, 0.3])
def test_a_gain_is_what_it_says(
    evaluator: Evaluator, monkeypatch: pytest.MonkeyPatch, what: str, share: float
) -> None:
    document = small()
    now = total(evaluator, document)
    limits = {"triangles": 10**9, "instances": 10**9, "draw_calls": 10**6, "bytes": 10**12}
    limits[what] = int(share * getattr(now, what))
    monkeypatch.setitem(PROFILES, "console", Profile("console", "tight", **limits))
    over, gains = gains_of(evaluator, document, EYE)
    assert over == {what: getattr(now, what) - limits[what]}
    assert gains
    saved = [getattr(g.saves, what) for g in gains]
    assert saved == sorted(saved, reverse=True)
    for gain in gains:
        layer = next(x for x in document.layers if x.id == gain.layer)
        assert 100 * LEAST - 5 <= gain.share < 100
        lighter = with_layer(
            document, layer.model_copy(update={"game": LayerGame(console=gain.share)})
        )
        then = total(evaluator, lighter)
        assert getattr(now, what) - getattr(then, what) == getattr(gain.saves, what) > 0
    # where one layer can give way for all, it is offered by as much as is needed
    best = gains[0]
    if best.share > 100 * LEAST:
        assert getattr(now, what) - getattr(best.saves, what) <= limits[what]


def test_what_is_light_enough_needs_nothing(evaluator: Evaluator) -> None:
    assert gains_of(evaluator, small(), EYE) == ({}, [])


def test_what_fewer_placements_do_not_help_is_told_without_gains(
    evaluator: Evaluator, monkeypatch: pytest.MonkeyPatch
) -> None:
    tight = Profile("console", "tight", 10**9, 10**9, 1, 10**12)
    monkeypatch.setitem(PROFILES, "console", tight)
    over, gains = gains_of(evaluator, small(), EYE)
    assert list(over) == ["draw_calls"]
    assert gains == []


def test_it_goes_on_from_what_is_kept_already(
    evaluator: Evaluator, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = small()
    for layer in document.layers:
        if layer.id in ("willows", "sedges"):
            document = with_layer(
                document, layer.model_copy(update={"game": LayerGame(console=50.0)})
            )
    now = total(evaluator, document)
    tight = Profile("console", "tight", now.triangles // 2, 10**9, 10**6, 10**12)
    monkeypatch.setitem(PROFILES, "console", tight)
    _, gains = gains_of(evaluator, document, EYE)
    assert gains
    assert all(g.share < 50 for g in gains)
