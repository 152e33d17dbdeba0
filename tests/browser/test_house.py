"""A person builds a house: from a plan, by its faces, with other pieces, of another kit."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page
from tests.conftest import SMALL

pytestmark = pytest.mark.browser


def test_a_house_is_built_on_pulled_split_filled_and_of_another_kit(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}"
    values = {"storeys": 2, "long": 9}
    body = {"kind": "building", "name": "Mill", "parameters": values, "seeds": [1]}
    assert sedge.post(f"{address}/assets", json=body).status_code == 201

    def own() -> dict[str, Any]:
        assets = sedge.get(address).json()["assets"]
        return next(a for a in assets if a["kind"] == "building")["parameters"]  # type: ignore[no-any-return]

    asset = next(a for a in sedge.get(address).json()["assets"] if a["kind"] == "building")
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{asset['id']}")
    page.until(lambda: "triangles" in page.text("main"), "the house")
    page.button("Elevation").click()

    def cells(face: str) -> int:
        return len(page.all(f"[data-cell^='{face}/']"))

    page.until(lambda: cells("w0-0") == 5 and cells("w0-1") == 5, "its faces")
    # a cell of the front is filled otherwise
    page.one("[data-cell='w0-0/0']").click()
    Select(page.one("[aria-label='piece in this cell']")).select_by_value("brace left")
    page.until(
        lambda: own()["faces"][0]["cells"] == [{"cell": 0, "piece": "brace left"}], "another piece"
    )
    page.until(
        lambda: (
            "brace left" in (page.one("[data-cell='w0-0/0']").get_attribute("aria-label") or "")
        ),
        "it is seen",
    )
    # it is split, and the split is undone
    page.button("Split").click()
    page.until(lambda: cells("w0-0") == 6, "one cell more")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: cells("w0-0") == 5, "undone")
    # a gable is left without its window
    page.one("[data-cell='w1-gable1/0']").click()
    Select(page.one("[aria-label='piece in this cell']")).select_by_value("")
    gable = {"id": "w1-gable1", "cells": [{"cell": 0, "piece": ""}]}
    page.until(lambda: any(f.items() >= gable.items() for f in own()["faces"]), "a bare gable")
    page.until(
        lambda: (
            "nothing" in (page.one("[data-cell='w1-gable1/0']").get_attribute("aria-label") or "")
        ),
        "it is seen",
    )
    # the face over it is reached by an arrow and pulled out
    page.one("[data-cell='w0-0/0']").send_keys(Keys.ARROW_UP)
    field = page.one("[aria-label='Pulled out, value']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("0.5" + Keys.ENTER)
    page.until(
        lambda: {f["id"]: f["out"] for f in own()["faces"] if f["out"]} == {"w0-1": 0.5}, "pulled"
    )
    page.until(lambda: cells("w0-near-1") == 1, "its flanks")
    # a wing is built on behind
    page.button("Add a wing").click()
    page.until(lambda: own()["wings"], "a wing")
    page.until(lambda: cells("a-front-0") > 0, "the faces of the wing")
    # and all of it is of another kit at once, which has no such brace
    page.driver.find_element("xpath", "//button[normalize-space()='Kit']").click()
    Select(page.one("[data-field='kit'] select")).select_by_value("flint")
    page.until(lambda: own()["kit"] == "flint", "another kit")
    label = lambda: page.one("[data-cell='w0-0/0']").get_attribute("aria-label") or ""  # noqa: E731
    page.until(lambda: any(n in label() for n in ("sash", "shuttered", "blank")), "of that kit")
    page.button("Undo").click()
    page.until(lambda: "brace left" in label(), "and back")
    assert not page.errors()


def test_a_plan_is_drawn_corner_by_corner(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    address = f"/api/scenes/{scene_id}"
    body = {"kind": "building", "name": "Barn", "parameters": {"body": "drawn"}, "seeds": [1]}
    made = sedge.post(f"{address}/assets", json=body).json()
    asset = next(a for a in made["assets"] if a["kind"] == "building")
    corners = lambda: next(  # noqa: E731
        a for a in sedge.get(address).json()["assets"] if a["id"] == asset["id"]
    )["parameters"].get("corners", [])
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{asset['id']}")
    page.until(lambda: len(page.all("[data-corner]")) == 4, "the plan")
    page.drag(page.one("[data-corner='1']"), 24, 0)
    page.until(lambda: len(corners()) == 4 and corners()[1][0] > 4.9, "wider at one corner")
    page.one("[data-corner='2']").send_keys(Keys.ARROW_UP)
    page.until(lambda: corners()[2][1] < -2.75, "moved by the keyboard")
    # a corner too far across makes a plan that crosses itself: it is told, and the last good house stays
    before = page.text("main")
    page.drag(page.one("[data-corner='1']"), -280, -60)
    page.until(lambda: "cross each other" in page.text("aside"), "why not")
    assert "triangles" in before
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: "cross each other" not in page.text("aside"), "undone")
    # it is taken from an area of the scene, about its own middle
    holt = next(x for x in SMALL["layers"] if x["id"] == "holt")["parameters"]["corners"]
    Select(page.one("[aria-label='take the plan from an area']")).select_by_visible_text("Holt")
    wide = lambda points: max(p[0] for p in points) - min(p[0] for p in points)  # noqa: E731
    page.until(lambda: abs(wide(corners()) - wide(holt)) < 0.03, "the area's outline")
    assert len(corners()) == len(holt)
    assert min(p[0] for p in corners()) < 0 < max(p[0] for p in corners())
    page.until(lambda: len(page.all("[data-corner]")) == len(holt), "drawn")


def test_faces_are_chosen_pulled_and_split_in_the_view(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}"
    values = {"storeys": 2, "long": 9}
    body = {"kind": "building", "name": "Mill", "parameters": values, "seeds": [1]}
    made = sedge.post(f"{address}/assets", json=body).json()
    asset = next(a for a in made["assets"] if a["kind"] == "building")

    def edits() -> dict[str, dict[str, Any]]:
        assets = sedge.get(address).json()["assets"]
        own = next(a for a in assets if a["id"] == asset["id"])["parameters"]
        return {f["id"]: f for f in own.get("faces", [])}

    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{asset['id']}")
    page.until(lambda: "triangles" in page.text("main"), "the house")
    page.button("Elevation").click()
    page.until(lambda: page.all("[data-cell^='w0-1/']"), "its faces")
    page.rested()
    canvas = page.one("canvas")

    def spot(x: float, y: float, z: float) -> tuple[int, int]:
        """Of a place in metres, from the middle of the view."""
        told = page.driver.execute_script(
            "const {x, y} = window.plough.stage.project({x: arguments[0], y: arguments[1], z: arguments[2]});"
            "const box = window.plough.stage.canvas.getBoundingClientRect();"
            "return [x - box.width / 2, y - box.height / 2];",
            x,
            y,
            z,
        )
        return round(told[0]), round(told[1])

    def click(x: float, y: float, z: float) -> None:
        ActionChains(page.driver).move_to_element_with_offset(
            canvas, *spot(x, y, z)
        ).click().perform()

    # the upper floor's front, in the second cell from the left: it is chosen in the elevation too
    click(-2.2, 4.0, 2.75)
    chosen = lambda: [  # noqa: E731
        c.get_attribute("data-cell") for c in page.all("[data-cell][aria-pressed='true']")
    ]
    page.until(lambda: chosen() == ["w0-1/1"], "chosen in both")
    assert "pull the face" in page.text("[aria-label='turntable']")
    # its dot is dragged outwards, towards the one who looks
    dot = page.one("[data-mark='pull']")
    (ax, ay), (bx, by) = spot(0, 4.6, 3.0), spot(0, 4.6, 4.0)
    page.drag(dot, bx - ax, by - ay)
    page.until(lambda: edits().get("w0-1", {}).get("out", 0) > 0.7, "pulled out")
    assert edits()["w0-1"]["out"] < 1.3
    page.until(lambda: page.all("[data-cell^='w0-near-1/']"), "its flanks are there")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: not edits(), "undone")
    page.until(lambda: not page.all("[data-cell^='w0-near-1/']"), "and the flanks gone")
    # a number fills the cell, Delete gives it back to its role
    page.keys("2")
    page.until(lambda: edits().get("w0-1", {}).get("cells"), "filled by a number")
    page.keys(Keys.DELETE)
    page.until(lambda: not edits(), "as its role has it")
    # by S cells are split where they are clicked, until Escape
    page.rested()
    page.keys("s")
    page.until(lambda: page.button("split").get_attribute("aria-pressed") == "true", "splitting")
    click(-2.2, 1.4, 2.75)
    page.until(lambda: len(page.all("[data-cell^='w0-0/']")) == 6, "one cell more")
    page.keys(Keys.ESCAPE)
    page.until(lambda: page.button("choose").get_attribute("aria-pressed") == "true", "choosing")
    # beside the house nothing is chosen
    page.rested()
    click(-7.5, 5.5, 0)
    page.until(lambda: not chosen(), "let go")
    assert not page.errors()


def test_pieces_of_ones_own_stand_in_its_cells(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}"
    for kind, name, values in (
        ("building", "Mill", {"storeys": 2, "long": 15}),
        ("piece", "Wide light", {"across": 5}),
        ("vessel", "Jar", {"height": 0.6}),
    ):
        body = {"kind": kind, "name": name, "parameters": values, "seeds": [1]}
        assert sedge.post(f"{address}/assets", json=body).status_code == 201

    def assets() -> list[dict[str, Any]]:
        return sedge.get(address).json()["assets"]  # type: ignore[no-any-return]

    def called(name: str) -> dict[str, Any]:
        return next(a for a in assets() if a["name"] == name)

    def pieces() -> list[dict[str, Any]]:
        return called("Mill")["parameters"].get("pieces", [])  # type: ignore[no-any-return]

    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{called('Mill')['id']}")
    page.until(lambda: "triangles" in page.text("main"), "the house")
    page.button("Elevation").click()
    page.until(lambda: page.all("[data-cell^='w0-0/']"), "its cells")

    def filled(with_: str) -> int:
        labels = [c.get_attribute("aria-label") or "" for c in page.all("[data-cell]")]
        return sum(with_ in label for label in labels)

    casements = filled("casement")
    page.driver.find_element("xpath", "//button[@role='tab'][normalize-space()='Kit']").click()
    # a house piece in place of the kit's

    def choose(name: str) -> None:
        Select(page.one("[aria-label='asset to take as a piece']")).select_by_visible_text(name)

    choose("Wide light")
    page.button("Add").click()
    page.until(lambda: len(pieces()) == 1, "it is taken")
    Select(page.one("[aria-label='Wide light: Stands']")).select_by_value("casement")
    page.until(lambda: (pieces()[0]["name"], pieces()[0]["role"]) == ("casement", "none"), "for it")
    assert not page.all("[aria-label='Wide light: Sized']"), "it is drawn to its cell"
    page.until(lambda: filled("casement") == casements, "the cells stay")
    # any other asset beside them, then far more often
    choose("Jar")
    page.button("Add").click()
    page.until(lambda: len(pieces()) == 2, "two")
    field = page.one("input[aria-label='Share, value']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("40" + Keys.ENTER)
    page.until(lambda: pieces()[1]["share"] == 40, "often")
    page.until(lambda: filled("Jar") > 2, "they stand in its cells")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: pieces()[1]["share"] == 1, "undone")
    # the same once more has a name of its own, and what one stands for is not offered to another
    choose("Jar")
    page.button("Add").click()
    page.until(lambda: len(pieces()) == 3, "the same again")
    assert pieces()[2]["name"] == "Jar 2"
    stands = page.until(lambda: page.all("[aria-label='Jar: Stands']"), "its choices")[-1]
    assert "casement" not in [o.get_attribute("value") for o in Select(stands).options]
    Select(stands).select_by_value("panel")
    page.until(lambda: pieces()[2]["name"] == "panel", "for a panel")
    Select(page.all("[aria-label='Jar: Stands']")[-1]).select_by_value("")
    page.until(lambda: pieces()[2]["name"] == "Jar 2", "beside them again")
    page.all("[aria-label='take Jar out']")[-1].click()
    page.until(lambda: len(pieces()) == 2, "taken out")
    # a new one, which is then worked on
    page.button("New house piece").click()
    page.until(lambda: len(pieces()) == 3, "three")
    page.button("open Mill piece on the bench").click()
    page.until(lambda: page.driver.current_url.endswith(called("Mill piece")["id"]), "its bench")
    page.until(lambda: page.all("[data-triangles]"), "the piece")
    assert called("Mill piece")["kind"] == "piece"
    assert not page.errors()
