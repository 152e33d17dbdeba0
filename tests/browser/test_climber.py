"""A person lets ivy grow up a pump house: sets where it starts on its walls, moves that, gives it leaves."""

from __future__ import annotations

import copy
from typing import Any

import httpx
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from plough.core.kinds import make
from plough.core.presets import preset
from tests.browser.conftest import Page, add, differing, picture
from tests.browser.test_placing import opened, sentence
from tests.conftest import SMALL

pytestmark = pytest.mark.browser

SPOT = """
const {stage, world} = window.plough;
const spot = stage.project({x: arguments[0], y: arguments[1], z: arguments[2]});
return [spot.x - stage.width / 2, spot.y - stage.height / 2];
"""


def test_a_climber_is_started_on_the_pump_house(page: Page, sedge: httpx.Client) -> None:
    document: dict[str, Any] = copy.deepcopy(SMALL)
    hut, leaf = preset("pump-house"), preset("oak-like-leaf")
    document["assets"] = [
        {"id": "hut", "name": "Hut", "kind": hut.kind, "parameters": hut.parameters},
        {"id": "leaf", "name": "Leaf", "kind": leaf.kind, "parameters": leaf.parameters},
    ]
    faces = make("building", hut.parameters, 1).faces
    front = max(f.at[1] for f in faces if f.looks == "south")
    ground = document["layers"][0] | {"parameters": {"made_from": "level", "size": 128}}
    placed = [{"id": "a", "asset": "hut", "seed": 1, "at": [0, 0]}]
    hand = {"mix": [{"asset": "hut"}], "placed": placed}
    house = {"id": "house", "kind": "by_hand", "name": "Pump house", "parameters": hand}
    document["layers"] = [ground, house, document["layers"][-1]]
    view = {"id": "v", "name": "Front", "eye": [9, 4, 17], "target": [0, 2.5, 0]}
    document["settings"] = {"viewpoints": [view]}
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document})
    assert made.status_code == 201, made.text
    scene = opened(page, sedge, made.json()["id"])
    page.button("Front").click()
    page.rested()
    bare = picture(page)

    def own() -> dict[str, Any]:
        return scene.of("climber")["parameters"]  # type: ignore[no-any-return]

    def stems() -> list[str]:
        layers = sedge.get(f"{scene.address}/evaluation").json()["layers"]
        made = next(x for x in layers if x["id"] == scene.of("climber")["id"])
        return sorted(s["mesh"] for s in made["solids"])

    # two starts, each clicked on a wall well above the ground: they are there, at that height
    add(page, "Climber", "Leaf")
    page.until(lambda: "finish" in page.text(), "what to draw")
    canvas = page.one("section canvas")
    for x in (-1.2, 1.2):
        spot = page.driver.execute_script(SPOT, x, 1.8, front)
        ActionChains(page.driver).move_to_element_with_offset(canvas, *spot).click().perform()
    page.keys(Keys.ENTER)
    page.until(lambda: len(own().get("points", [])) == 2, "the climber")
    assert own()["on"] == ["house"]
    for (x, z, up), wanted in zip(own()["points"], (-1.2, 1.2), strict=True):
        assert abs(x - wanted) < 0.5 and abs(z - front) < 0.5 and abs(up - 1.8) < 0.3
    page.until(lambda: len(stems()) == 2, "stems from both")
    page.until(lambda: "It climbs Pump house" in sentence(page), "in words")

    climber = scene.of("climber")["id"]
    page.until(lambda: scene.placed(climber) > 100, "leaves")
    assert differing(picture(page), bare) > 0.01, "they are seen"

    # begun in another way, it stays where it was
    page.button("Begin with…").click()
    page.until(lambda: page.all("dialog[open] img"), "pictures")
    page.button("begin with Bines").click()
    page.until(lambda: own().get("wander") == 0.15, "bines")
    assert own()["on"] == ["house"] and len(own()["points"]) == 2 and own()["mix"]
    page.until(lambda: len(stems()) == 2, "from where they were")

    # a start is dragged along the wall: the other's stems stay as they are
    before = stems()
    page.drag(page.until(lambda: page.all("[data-mark='point 0']"), "its marks")[0], 30, 0)
    page.until(lambda: len(set(stems()) & set(before)) == 1, "one grows elsewhere")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: stems() == before, "undone")
    assert not page.errors()
