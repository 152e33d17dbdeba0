"""Every screen for everybody: an automatic check by WCAG 2.2 AA over all of them, in both themes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, packet
from tests.browser.test_own_meshes import scan
from tests.library import Outside

AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"
RUN = """
const done = arguments[arguments.length - 1];
axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'],
                   rules: {region: {enabled: false}}})
   .then((found) => done(found.violations.map((v) => [v.id, v.nodes.map((n) => n.html.slice(0, 300))])));
"""


def faults(page: Page) -> list[str]:
    """What the check finds on the screen as it stands."""
    if not page.driver.execute_script("return 'axe' in window"):
        page.driver.execute_script(AXE.read_text())
    page.driver.set_script_timeout(60)
    found: list[Any] = page.driver.execute_async_script(RUN)
    return [f"{rule}: {html}" for rule, nodes in found for html in nodes]


def dialog(page: Page) -> None:
    """Wait until a dialog stands there, in its full colours."""
    opacity = "return getComputedStyle(arguments[0]).opacity"

    def there() -> bool:
        found = page.all("dialog[open]")
        return bool(found) and page.driver.execute_script(opacity, found[-1]) == "1"

    page.until(there, "a dialog")


def leave(page: Page) -> None:
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"), "the dialog's end")


class Report:
    """Faults by screen, so that one run tells all."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.found: list[str] = []

    def __call__(self, screen: str) -> None:
        title = self.page.driver.title
        assert title.endswith(" · Plough"), f"{screen} has the title {title!r}"
        known = {fault.split(": ", 1)[1] for fault in self.found}
        self.found += [f"{screen}: {f}" for f in faults(self.page) if f not in known]


@pytest.mark.parametrize("theme", ["light", "dusk"])
def test_no_screen_keeps_anybody_out(
    page: Page, scene_id: str, theme: str, tmp_path: Path, library: Outside
) -> None:
    check = Report(page)
    page.driver.get(page.base)
    page.one("input[autocomplete=username]")
    check("sign-in")
    page.sign_in("sedge")
    if theme == "dusk":
        page.one('button[aria-label="dusk theme"]').click()
    check("scenes")
    page.button("New scene").click()
    dialog(page)
    check("new scene")
    leave(page)

    page.open_scene(scene_id)
    page.rested()
    for layer in ("ground", "dyke", "willows", "bake"):
        packet(page, layer)
        check(f"board, {layer}")
    packet(page, "ground")
    for button in ("Begin with…", "Write the ground…"):
        page.button(button).click()
        dialog(page)
        check(button)
        leave(page)
    packet(page, "willows")
    page.one("[aria-label^='fill:']").click()
    check("a chip")
    page.keys(Keys.ESCAPE)
    page.button("clouds, mist and quality").click()
    page.button("Dyke").click()
    page.one("[aria-label=sky] input[aria-label^='Lens']")
    check("sky and lens")
    page.button("clouds, mist and quality").click()
    for button in ("Share", "Shelf and new assets…", "add a layer", "keys", "make a still"):
        page.button(button).click()
        dialog(page)
        check(button)
        leave(page)

    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/willow")
    page.loaded()
    page.until(lambda: len(page.all("[role=tab]")) >= 9, "the stages")
    for k in range(9):
        page.all("[role=tab]")[k].click()
        check(f"bench, {page.all('[role=tab]')[k].text}")
    for tray in ("Cousins", "Versions"):
        page.button(tray).click()
        page.until(lambda: not page.all("section[aria-label=tray] [aria-busy=true]"), "the tray")
        check(f"bench, {tray}")
    for button in ("Start from a preset…", "Write a file…"):
        page.button(button).click()
        dialog(page)
        check(button)
        leave(page)
    page.button("New note").click()
    check("bench, a note")
    page.button("Shelf").click()
    dialog(page)
    page.button("Bring in meshes…").click()
    page.button("From the library…").click()
    page.button("look at Cask").click()
    page.button("Take it")
    check("asset library")
    page.all("dialog[open] button[aria-label='Close']")[-1].click()
    chosen = page.driver.find_element(By.CSS_SELECTOR, "input[aria-label='meshes to bring in']")
    chosen.send_keys(str(scan(tmp_path)))
    page.one("[aria-label='pebble_scan.stl']")
    check("bring in meshes")
    page.button("Bring in one mesh").click()
    page.until(lambda: "pebble_scan.stl" in page.text("[data-field=source]"), "the mesh")
    page.loaded()
    for k in range(5):
        page.all("[role=tab]")[k].click()
        check(f"bench of a mesh, {page.all('[role=tab]')[k].text}")
    assert not check.found, "\n".join(["", *check.found])


def test_targets_and_edges_are_large_and_clear_enough(page: Page, scene_id: str) -> None:
    """All that is pressed measures 24 pixels a side or more, wherever it stands."""
    page.sign_in("sedge")
    for address in ("", f"scene/{scene_id}", f"scene/{scene_id}/asset/willow"):
        page.driver.get(f"{page.base}/#/{address}")
        if address:
            page.loaded()
            page.rested()
        small = page.driver.execute_script(
            """
            return [...document.querySelectorAll('button, select, a[href], [role=slider], g[role=button]')]
              .filter((e) => e.checkVisibility())
              .map((e) => [e.getBoundingClientRect(), e])
              .filter(([b, e]) => b.width > 0 && (b.width < 24 || b.height < 20))
              .filter(([, e]) => getComputedStyle(e).display !== 'inline')  // in a sentence
              .map(([b, e]) => `${Math.round(b.width)} x ${Math.round(b.height)} ${e.outerHTML.slice(0, 160)}`);
            """
        )
        assert not small, "\n".join(["", *small])
