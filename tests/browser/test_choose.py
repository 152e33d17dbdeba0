"""Placements chosen and changed together, groups, what is wrong and its mending, and walking, as a person does it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import httpx
import numpy as np
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, differing, picture
from tests.browser.test_hand import Hand, layer_of
from tests.core.test_trouble import scene as of_things
from tests.core.test_trouble import thing

pytestmark = pytest.mark.browser

VIEW = {"id": "v", "name": "Low", "eye": [30, 14, 62], "target": [30, 0, 40]}
THINGS = [
    thing("a", "willow", at=[24, 38], size=0.4),
    thing("b", "willow", at=[29, 36], size=0.4, turn=90),
    thing("c", "willow", at=[34, 38], size=0.5, turn=180),
    thing("far", "sedge", at=[-40, -40]),
]


@pytest.fixture
def meadow(sedge: httpx.Client) -> Iterator[Callable[..., str]]:
    """Makes small scenes in which things are set down."""
    made: list[str] = []

    def make(*things: dict[str, Any]) -> str:
        document = of_things(*things, viewpoints=[VIEW])
        document["assets"] = [a for a in document["assets"] if a["id"] != "stone"]
        own = next(x for x in document["layers"] if x["id"] == "set")["parameters"]
        own["mix"] = [m for m in own["mix"] if m["asset"] != "stone"]
        answer = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document})
        assert answer.status_code == 201, answer.text
        made.append(str(answer.json()["id"]))
        return made[-1]

    yield make
    for scene in made:
        sedge.delete(f"/api/scenes/{scene}")


def opened(page: Page, scene: str) -> Hand:
    page.sign_in("sedge")
    page.open_scene(scene)
    page.one('[data-packet="set"]').click()
    page.button("Low").click()
    picture(page)
    return Hand(page)


def placed(client: httpx.Client, scene: str) -> dict[str, dict[str, Any]]:
    return {t["id"]: t for t in layer_of(client, scene, "by_hand")["parameters"]["placed"]}


def lasso(hand: Hand, *spots: tuple[float, float]) -> None:
    """Draw about a part of the view with Shift."""
    driver = hand.page.driver
    ActionChains(driver).key_down(Keys.SHIFT).perform()
    hand.at(*spots[0]).click_and_hold().perform()
    for spot in spots[1:]:
        hand.at(*spot).perform()
    ActionChains(driver).release().key_up(Keys.SHIFT).perform()


def type_in(page: Page, label: str, value: str) -> None:
    """Type a number into a ruler of the panel of the chosen."""
    field = page.one(f'[aria-label="the chosen"] input[aria-label^="{label}"]')
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(value, Keys.ENTER)


def test_a_lasso_takes_in_many_and_numbers_are_added_to_each(
    page: Page, sedge: httpx.Client, meadow: Callable[..., str]
) -> None:
    scene = meadow(*THINGS)
    hand = opened(page, scene)
    before = placed(sedge, scene)
    page.button("choose").click()
    lasso(hand, (0.05, 0.2), (0.95, 0.2), (0.95, 0.9), (0.05, 0.9))
    page.until(lambda: "3 chosen" in page.text(), "three of them")
    type_in(page, "East", "1.5")
    page.until(lambda: placed(sedge, scene)["a"]["at"][0] != before["a"]["at"][0], "them moved")
    type_in(page, "Turn", "30")
    page.until(lambda: placed(sedge, scene)["b"]["turn"] == pytest.approx(120, abs=0.1), "turned")
    now = placed(sedge, scene)
    for name in "abc":
        assert now[name]["at"] == pytest.approx(
            [before[name]["at"][0] + 1.5, before[name]["at"][1]], abs=1e-3
        )
        assert now[name]["turn"] == pytest.approx((before[name].get("turn", 0) + 30) % 360, abs=0.1)
    assert now["far"] == before["far"]
    # one number for all of them
    page.until(lambda: "3 chosen" in page.text(), "they stay chosen")
    page.driver.find_element(By.XPATH, "//label[contains(., 'add to each')]").click()
    type_in(page, "Size", "60")
    page.until(lambda: {placed(sedge, scene)[n]["size"] for n in "abc"} == {0.6}, "one size")
    for _ in range(3):
        page.chord(Keys.CONTROL, "z")
    page.until(lambda: placed(sedge, scene) == before, "all undone")
    # by the wheel: seen before it is kept
    page.one('section[aria-label="view"] canvas').click()
    lasso(hand, (0.05, 0.2), (0.95, 0.2), (0.95, 0.9), (0.05, 0.9))
    page.until(lambda: "3 chosen" in page.text(), "chosen again")
    hand.wheel("y", 6)
    page.until(lambda: "keep it" in page.text(), "a draft")
    largest = (
        "return Math.max(...window.plough.world.standing('set', () => true).map((t) => t.size))"
    )
    page.until(lambda: page.driver.execute_script(largest) > 0.6, "it is seen")
    assert placed(sedge, scene) == before
    page.keys(Keys.ENTER)
    hand.at(0.5, 0.95).click().perform()
    page.until(lambda: placed(sedge, scene)["a"]["size"] > 0.5, "kept")
    assert not page.errors()


def test_a_group_is_made_edited_and_set_down_again(
    page: Page, sedge: httpx.Client, meadow: Callable[..., str]
) -> None:
    scene = meadow(*THINGS)
    hand = opened(page, scene)
    page.button("choose").click()
    lasso(hand, (0.05, 0.2), (0.95, 0.2), (0.95, 0.9), (0.05, 0.9))
    page.until(lambda: "3 chosen" in page.text(), "three of them")
    before = picture(page)
    page.button("Group…").click()
    page.one('[aria-label="name of the group"]').send_keys("Holt", Keys.ENTER)
    page.until(lambda: len(placed(sedge, scene)) == 2, "one in place of three")
    document = sedge.get(f"/api/scenes/{scene}").json()
    group = next(a for a in document["assets"] if a["kind"] == "group")
    assert group["name"] == "Holt" and len(group["parameters"]["parts"]) == 3
    assert group["id"] in placed(sedge, scene)
    page.loaded()
    page.keys(Keys.ESCAPE)
    assert differing(before, picture(page)) < 4, "they stand where they stood"

    # on the bench one of them is taken out
    base = page.driver.current_url.split("#")[0]
    page.driver.get(f"{base}#/scene/{scene}/asset/{group['id']}")
    page.until(lambda: page.all('[aria-label^="take Willow out"]'), "its parts", 60)[0].click()
    parts = lambda: next(  # noqa: E731
        a for a in sedge.get(f"/api/scenes/{scene}").json()["assets"] if a["id"] == group["id"]
    )["parameters"]["parts"]
    page.until(lambda: len(parts()) == 2, "two parts")

    # and it is set down once more
    page.open_scene(scene)
    page.one('[data-packet="set"]').click()
    page.button("Low").click()
    picture(page)
    hand = Hand(page)
    page.button("set down").click()
    page.one('[aria-label="in hand"] [aria-label="Holt"]').click()
    hand.at(0.7, 0.75).perform()
    hand.at(0.72, 0.76).click().perform()
    page.until(lambda: len(placed(sedge, scene)) == 3, "another")
    assert sum(t["asset"] == group["id"] for t in placed(sedge, scene).values()) == 2
    assert not page.errors()


def test_what_is_wrong_is_flown_to_mended_and_left(
    page: Page, sedge: httpx.Client, meadow: Callable[..., str]
) -> None:
    scene = meadow(thing("up", "sedge", at=[30, 40], lift=2), thing("way", "willow", at=[0, -8]))
    opened(page, scene)
    flag = lambda: page.text('[data-packet="set"]')  # noqa: E731
    page.until(lambda: flag().startswith("2"), "two on the packet")
    eye = "const c = window.plough.stage.camera.position; return [c.x, c.y, c.z]"
    first = page.driver.execute_script(eye)
    page.keys("n")
    page.until(lambda: "stands" in page.text('[aria-label="what is wrong here"]'), "the first")
    page.rested()
    there = page.driver.execute_script(eye)
    assert np.hypot(there[0] - 0, there[2] + 8) < 12 and np.hypot(first[0], first[2] + 8) > 30
    page.keys("n")
    page.until(lambda: "floats" in page.text('[aria-label="what is wrong here"]'), "the second")
    page.button("Drop it").click()
    page.until(lambda: abs(placed(sedge, scene)["up"].get("lift", 0)) < 0.2, "dropped")
    page.until(lambda: flag().startswith("1"), "one is left")
    # the list, and what is left as it is
    page.driver.find_element(
        By.XPATH, "//button[starts-with(normalize-space(.), 'Trouble')]"
    ).click()
    page.until(lambda: "In people’s way" in page.text('[aria-label="trouble"]'), "the list")
    page.one('[data-finding="blocking-path"] button').click()
    page.button("Leave it").click()
    page.until(lambda: "Nothing is wrong" in page.text('[aria-label="trouble"]'), "none")
    assert "1 left as it is" in page.text('[aria-label="trouble"]')
    page.button("Look again").click()
    page.until(lambda: page.all('[data-finding="blocking-path"]'), "it again")
    page.until(lambda: flag().startswith("1"), "on the packet, too")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: "Nothing is wrong" in page.text('[aria-label="trouble"]'), "left again")
    assert not page.errors()


def test_walking_into_a_stem_one_is_stopped(
    page: Page, sedge: httpx.Client, meadow: Callable[..., str]
) -> None:
    scene = meadow(thing("tree", "willow", at=[30, 40]))
    opened(page, scene)
    driver = page.driver
    # stand before the tree and look at it
    driver.execute_script(
        """const {stage, world} = window.plough; const y = world.height(30, 46) + 1.7;
        stage.look({x: 30, y, z: 46}, {x: 30, y, z: 40});"""
    )
    where = """const {stage, world} = window.plough, c = stage.camera.position;
        return [c.x, c.y - world.height(c.x, c.z), c.z]"""
    page.keys("v")
    page.until(lambda: "look about" in page.text(), "walking")
    east, up, south = driver.execute_script(where)
    assert (east, up, south) == pytest.approx((30, 1.7, 46), abs=0.02)
    for _ in range(30):
        ActionChains(driver).key_down(Keys.ARROW_UP).pause(0.4).key_up(Keys.ARROW_UP).perform()
        if "in the way" in page.text():
            break
    assert "Willow" in page.text('section[aria-label="view"]')
    east, up, south = driver.execute_script(where)
    near = float(np.hypot(east - 30, south - 40))
    assert south < 44, "it was walked"
    assert near > 0.3, "not into the stem"
    assert up == pytest.approx(1.7, abs=0.02)
    page.keys(Keys.ESCAPE)
    page.until(lambda: "look about" not in page.text(), "left off")
    assert not page.errors()
