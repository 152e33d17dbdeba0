"""What is painted and set down by hand, as a person does it."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.actions.wheel_input import ScrollOrigin
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, add, differing, picture
from tests.conftest import SMALL

pytestmark = pytest.mark.browser

VIEW = {"id": "v", "name": "Low", "eye": [-30, 14, 52], "target": [0, 2, 8]}
RUSH = {"id": "rush", "name": "Rush", "kind": "tuft", "parameters": {"blades": 9}, "seeds": [5]}


@pytest.fixture
def meadow(sedge: httpx.Client) -> Iterator[str]:
    """A small scene with three assets and nothing that stands."""
    document = copy.deepcopy(SMALL)
    document["assets"].append(RUSH)
    document["layers"] = [x for x in document["layers"] if x["kind"] in ("ground", "bake")]
    document["settings"] = {"viewpoints": [VIEW]}
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document})
    assert made.status_code == 201, made.text
    yield str(made.json()["id"])
    sedge.delete(f"/api/scenes/{made.json()['id']}")


class Hand:
    """A pointer over the view."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.canvas = page.one("section canvas")

    def at(self, x: float, y: float) -> ActionChains:
        """Moved to a share of the view's width and height."""
        size = self.canvas.size
        east, south = int((x - 0.5) * size["width"]), int((y - 0.5) * size["height"])
        chain = ActionChains(self.page.driver, duration=20)
        return chain.move_to_element_with_offset(self.canvas, east, south)

    def stroke(self, x: float, y: float, dx: int, dy: int = 0, steps: int = 8) -> None:
        chain = self.at(x, y).click_and_hold()
        for _ in range(steps):
            chain.move_by_offset(dx, dy)
        chain.release().perform()

    def wheel(self, key: str, clicks: int) -> None:
        """Turn the wheel while a key is held."""
        driver = self.page.driver
        ActionChains(driver).key_down(key).perform()
        origin = ScrollOrigin.from_element(self.canvas, 0, 60)
        for _ in range(abs(clicks)):
            down = 100 if clicks < 0 else -100
            ActionChains(driver).scroll_from_origin(origin, 0, down).perform()
        ActionChains(driver).key_up(key).perform()


def layer_of(client: httpx.Client, scene: str, kind: str) -> dict[str, Any]:
    layers = client.get(f"/api/scenes/{scene}").json()["layers"]
    return next((x for x in layers if x["kind"] == kind), {"id": "", "parameters": {}})


def counts(client: httpx.Client, scene: str, layer: str) -> dict[str, int]:
    """How many of each asset stand."""
    layers = client.get(f"/api/scenes/{scene}/evaluation").json()["layers"]
    placed = next(x["placements"] for x in layers if x["id"] == layer)
    out: dict[str, int] = {}
    for variant in placed["variants"]:
        out[variant["asset"]] = out.get(variant["asset"], 0) + variant["count"]
    return out


def test_three_assets_are_painted_and_one_of_them_is_erased(
    page: Page, sedge: httpx.Client, meadow: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(meadow)
    page.button("Low").click()
    bare, hand = picture(page), Hand(page)
    add(page, "Brush", "Willow", "Sedge", "Rush")
    tray = page.until(lambda: page.all("[aria-label='on the brush'] button"), "the tray")
    assert [b.get_attribute("aria-pressed") for b in tray] == ["true"] * 3
    layer = page.until(lambda: layer_of(sedge, meadow, "brush")["id"], "the layer")
    strokes = lambda: layer_of(sedge, meadow, "brush")["parameters"].get("strokes", [])  # noqa: E731

    hand.at(0.5, 0.6).perform()
    hand.wheel("y", -4)
    hand.stroke(0.3, 0.6, 25)
    page.until(lambda: len(strokes()) == 1, "a stroke")
    assert strokes()[0]["radius"] < 12 and strokes()[0]["does"] == "paint"
    stood = counts(sedge, meadow, layer)
    assert all(stood[a] > 3 for a in ("willow", "sedge", "rush")), stood
    assert differing(bare, picture(page)) > 0.01, "they are seen"

    page.button("Erase").click()
    names = [b.get_attribute("aria-label") for b in tray]
    for other in ("Sedge", "Rush"):
        ActionChains(page.driver).send_keys(str(names.index(other) + 1)).perform()
    page.until(
        lambda: (
            [
                n
                for n, b in zip(names, tray, strict=True)
                if b.get_attribute("aria-pressed") == "true"
            ]
            == ["Willow"]
        ),
        "what is laid aside",
    )
    hand.stroke(0.3, 0.6, 25)
    page.until(lambda: len(strokes()) == 2, "another stroke")
    left = counts(sedge, meadow, layer)
    assert left.get("willow", 0) < 0.4 * stood["willow"]
    assert (left["sedge"], left["rush"]) == (stood["sedge"], stood["rush"])

    page.chord(Keys.CONTROL, "z")
    page.until(lambda: len(strokes()) == 1, "the stroke undone")
    assert counts(sedge, meadow, layer) == stood
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[aria-label='on the brush']"), "no brush in hand")
    assert not page.errors()


def test_things_are_set_down_by_four_keys_with_pins_and_steps_of_ones_own(
    page: Page, sedge: httpx.Client, meadow: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(meadow)
    page.button("Low").click()
    bare, hand = picture(page), Hand(page)
    add(page, "By hand", "Willow", "Sedge")
    page.until(lambda: page.all("[aria-label='in hand'] button"), "the tray")
    placed = lambda: layer_of(sedge, meadow, "by_hand")["parameters"].get("placed", [])  # noqa: E731
    chosen = lambda css: page.one(css).get_attribute("aria-pressed")  # noqa: E731
    if chosen("[aria-label='in hand'] [aria-label='Willow']") != "true":
        page.one("[aria-label='in hand'] [aria-label='Willow']").click()

    def fill(field: str, value: str) -> None:
        box = page.one(f"[data-field='hand.{field}'] input")
        box.send_keys(Keys.CONTROL, "a")
        box.send_keys(value, Keys.ENTER)

    page.button("How far a notch goes…").click()
    fill("steps.turn", "30")
    fill("steps.lift", "50")
    for name in ("turn", "seed"):
        page.one(f"[aria-label='pin the {name}']").click()
    fill("turn", "0")
    hand.at(0.45, 0.6).perform()
    hand.wheel("t", 2)
    hand.wheel("u", 3)
    hand.wheel("i", 1)
    fine = ActionChains(page.driver).key_down(Keys.SHIFT)
    fine.perform()
    hand.wheel("u", 1)
    ActionChains(page.driver).key_up(Keys.SHIFT).perform()
    assert differing(bare, picture(page)) > 0.002, "what is in hand is seen before it is kept"
    assert placed() == []
    hand.at(0.45, 0.6).click().perform()
    page.until(lambda: len(placed()) == 1, "the first")
    hand.at(0.6, 0.62).click().perform()
    page.until(lambda: len(placed()) == 2, "the second")
    first, second = placed()
    assert first["asset"] == second["asset"] == "willow"
    assert (first["turn"], second["turn"]) == (60, 60), "pinned"
    assert first["seed"] == second["seed"], "pinned"
    assert first["lift"] == pytest.approx(1.55, abs=0.01)
    assert second["lift"] == pytest.approx(0, abs=0.01), "drawn anew"
    assert first["size"] != second["size"] and 0.85 <= second["size"] <= 1.15

    # by keys alone: the arrows move a cross, and in place of the wheel they turn
    chain = ActionChains(page.driver).send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    chain.key_down("t").send_keys(Keys.ARROW_UP, Keys.ARROW_UP).key_up("t").perform()
    page.keys(" ")
    page.until(lambda: len(placed()) == 3, "a third")
    assert placed()[2]["turn"] == 120 and placed()[2]["at"] != second["at"]
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: len(placed()) == 2, "the third undone")

    # taken up and put back, moved, taken away
    hand.at(0.6, 0.6).context_click().perform()
    page.until(lambda: "put it back" in page.text(), "it is in hand")
    page.keys(Keys.ESCAPE)
    page.until(lambda: "put it back" not in page.text(), "it is back")
    assert placed() == [first, second]
    hand.at(0.6, 0.6).context_click().perform()
    page.until(lambda: "put it back" in page.text(), "it is in hand again")
    hand.at(0.7, 0.66).click().perform()
    page.until(lambda: placed()[1]["at"] != second["at"], "it has moved")
    moved = placed()[1]
    assert {k: v for k, v in moved.items() if k not in ("at", "lift")} == {
        k: v for k, v in second.items() if k not in ("at", "lift")
    }
    hand.at(0.7, 0.64).context_click().perform()
    page.until(lambda: "put it back" in page.text(), "it is in hand a third time")
    page.keys(Keys.DELETE)
    page.until(lambda: len(placed()) == 1, "it is gone")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: len(placed()) == 2, "it is back")
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[aria-label='in hand'] button"), "nothing in hand")
    assert not page.errors()


def test_one_tree_is_moved_and_stays_so_when_its_rule_runs_again(
    page: Page, sedge: httpx.Client, meadow: str
) -> None:
    rule = {"mix": [{"asset": "willow"}], "spacing": 9, "fill": 60, "apart": 0}
    made = sedge.post(
        f"/api/scenes/{meadow}/layers",
        json={"kind": "scatter", "name": "Willows", "parameters": rule},
    )
    assert made.status_code in (200, 201), made.text
    layer = layer_of(sedge, meadow, "scatter")["id"]
    page.sign_in("sedge")
    page.open_scene(meadow)
    page.button("Low").click()
    # it is named, and gone to by a key
    ActionChains(page.driver).double_click(page.button("Low")).perform()
    page.one("[aria-label='name of the viewpoint']").send_keys(Keys.CONTROL, "a")
    page.one("[aria-label='name of the viewpoint']").send_keys("Bank", Keys.ENTER)
    named = lambda: sedge.get(f"/api/scenes/{meadow}").json()["settings"]["viewpoints"][0]  # noqa: E731
    page.until(lambda: named()["name"] == "Bank", "its name")
    assert named()["eye"] == VIEW["eye"]
    page.one(f'[data-packet="{layer}"]').click()
    page.keys(Keys.PAGE_DOWN)
    page.until(
        lambda: page.button("Bank").get_attribute("aria-pressed") == "true", "the viewpoint by key"
    )
    hand = Hand(page)
    touches = lambda: layer_of(sedge, meadow, "scatter")["parameters"].get("touches", [])  # noqa: E731
    page.button("take up").click()
    picture(page)
    # where in the view some tree stands
    spot = page.driver.execute_script(
        """const {stage, world} = window.plough;
        for (let y = 0.75; y > 0.2; y -= 0.02) for (let x = 0.2; x < 0.8; x += 0.02)
          if (world.standsAt({x: x * stage.width, y: y * stage.height}, arguments[0])) return [x, y];""",
        layer,
    )
    hand.at(*spot).click().perform()
    page.until(lambda: "put it back" in page.text(), "a tree in hand")
    hand.at(0.55, 0.8).perform()
    hand.wheel("y", 3)
    before = picture(page)
    hand.at(0.55, 0.8).click().perform()
    page.until(lambda: len(touches()) == 1, "a touch")
    touch = touches()[0]
    assert touch["at"] and touch["size"] and touch["of"] == "willow" and not touch["removed"]
    assert differing(before, picture(page)) < 0.1, "it was seen there before it was kept"
    assert "moved" in page.text("[aria-label='touched by hand']")
    stand = counts(sedge, meadow, layer)["willow"]

    # the rule runs again, with more of them
    sedge.patch(
        f"/api/scenes/{meadow}/layers/{layer}",
        json={"version": layer_of(sedge, meadow, "scatter")["version"], "parameters": {"fill": 95}},
    ).raise_for_status()
    page.until(lambda: counts(sedge, meadow, layer)["willow"] > stand, "more of them")
    view = sedge.get(f"/api/scenes/{meadow}/evaluation").json()
    findings = next(x["findings"] for x in view["layers"] if x["id"] == layer)
    assert not findings and touches() == [touch]

    page.one("[aria-label^='drop what was done']").click()
    page.until(lambda: not touches(), "the touch dropped")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: touches() == [touch], "and back")
    assert not page.errors()
