"""``./plough bench view``: the picture in a real browser, at the demo's instances and at 200,000."""

from __future__ import annotations

import statistics
import time
from typing import Any

import httpx
from rich.console import Console
from rich.table import Table
from selenium import webdriver
from sqlalchemy import text

from bench.served import served
from bench.table import row, table
from plough.core.demo import teasel_fen
from plough.core.scene.document import write_document
from plough.service.db.session import Database
from tests.browser.conftest import Page, packet
from tests.conftest import signed_in

_TIMED = """
const [what, runs, done] = arguments;
const { stage } = window.plough;
const { renderer } = stage;
const empty = new stage.scene.constructor();
const works = {
  empty: () => renderer.sketch(empty, stage.camera, 1),
  moving: () => { stage.onPrepare(true); renderer.sketch(stage.scene, stage.camera, 1); },
  filled: () => stage.onPrepare(true), // without what the water mirrors
  hover: () => void window.plough.world.under({ x: stage.width * 0.4, y: stage.height * 0.6 }),
  click: () => window.plough.world.pick({ x: stage.width * 0.4, y: stage.height * 0.6 }),
  rest: () => {
    stage.atmosphere.light(renderer.plate.frames + 1, true);
    renderer.develop(stage.scene, stage.camera, 1, stage.lens);
  },
};
(async () => {
  const times = [];
  for (let k = 0; k <= runs; k++) {
    const began = performance.now();
    await works[what]();
    if (what === 'moving' || what === 'rest' || what === 'empty') await renderer.finished();
    if (k) times.push(performance.now() - began);
  }
  done(times);
})();
"""


_WATCHED = """
const { world } = window.plough;
const show = world.show.bind(world);
window.moves = [];
window.shows = [];
world.show = async (...given) => {
  const began = performance.now();
  if (await show(...given)) window.shows.push([began, performance.now()]);
};
addEventListener('pointermove', () => window.moves.push(performance.now()), true);
"""


def timed(page: Page, what: str, runs: int = 7) -> float:
    """Seconds, the median."""
    found: list[float] = page.driver.execute_async_script(_TIMED, what, runs)
    return statistics.median(found) / 1e3


def opening(page: Page, scene: str) -> tuple[float, float]:
    """Seconds from the address to the first picture of the whole scene, and to a picture at rest."""
    page.driver.get("about:blank")
    began = time.perf_counter()
    page.driver.get(f"{page.base}/#/scene/{scene}")
    page.one("[data-shown=true]")
    first = time.perf_counter() - began
    page.until(lambda: page.number("[data-developed]", "data-developed") == 1)
    return first, time.perf_counter() - began


def fenced() -> dict[str, Any]:
    """100,000 things beside a path that they keep clear of."""
    points = [[-450, 20], [-250, -40], [-60, 0], [60, 30], [250, -30], [450, 10]]
    clear = {"id": "clear", "of": "path", "between": [3, 1000], "fade": 2, "ids": ["way"]}
    rule = {"mix": [{"asset": "sedge"}], "spacing": 2.25, "fill": 70, "conditions": [clear]}
    return {
        "version": 4,
        "name": "Beside a path",
        "assets": [{"id": "sedge", "name": "Sedge", "kind": "tuft", "parameters": {"blades": 8}}],
        "settings": {
            "viewpoints": [{"id": "v", "name": "V", "eye": [0, 60, 90], "target": [0, 0, 0]}]
        },
        "layers": [
            {"id": "ground", "kind": "ground", "name": "Ground", "parameters": {"size": 1024}},
            {"id": "way", "kind": "path", "name": "Way", "parameters": {"points": points}},
            {"id": "sedges", "kind": "scatter", "name": "Sedges", "parameters": rule},
            {"id": "bake", "kind": "bake", "name": "Bake"},
        ],
    }


def dragged(page: Page, client: httpx.Client, out: Table, scene: str) -> None:
    """Add the row of a knot that is dragged: from the hand's move to what then stands, ready to be drawn."""
    opening(page, scene)
    page.rested()
    packet(page, "way")
    knot = page.one("[data-mark='point 2']")
    page.driver.execute_script(_WATCHED)
    hand = webdriver.ActionChains(page.driver, duration=0).move_to_element(knot).click_and_hold()
    for k in range(9):
        hand.pause(2.5).move_by_offset(6, 4 if k % 2 else -4)
    hand.pause(2.5).perform()
    moves, shows = page.driver.execute_script("return [window.moves, window.shows]")
    webdriver.ActionChains(page.driver).release().perform()
    steps = [
        m
        for m, after in zip(moves, [*moves[1:], moves[-1] + 2500], strict=True)
        if after - m > 2000
    ]
    taken = [min(end for began, end in shows if began > m) - m for m in steps[-8:]]
    layers = client.get(f"/api/scenes/{scene}/evaluation", timeout=300).json()["layers"]
    count = next(x["placements"]["count"] for x in layers if x["id"] == "sedges")
    name = f"{count:,} beside a path: a knot dragged, until they stand in the view"
    empty = timed(page, "empty")
    row(out, name, statistics.median(taken) / 1e3, "an empty picture", empty, "≤ 250 ms")


def dense() -> dict[str, Any]:
    """The demo with so many tussocks that 200,000 things stand in it."""
    import orjson

    document: dict[str, Any] = orjson.loads(write_document(teasel_fen()))
    document["name"] = "Teasel Fen, dense"
    for layer in document["layers"]:
        if layer["id"] == "tussocks":
            layer["parameters"]["spacing"] = 0.44
    return document


def prepared(url: str) -> None:
    """Wait until the service has nothing left to prepare: what is measured runs alone."""
    store = Database(url)
    waiting = text("SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')")
    end = time.monotonic() + 900
    while time.monotonic() < end:
        with store.session() as db:
            if not db.scalar(waiting):
                break
        time.sleep(1)
    store.close()


def measured(page: Page, client: httpx.Client, out: Table, name: str, scene: str) -> None:
    """Add the rows of one scene to the table."""
    cold, _ = opening(page, scene)
    opened = [opening(page, scene) for _ in range(3)]
    warm, rest = (statistics.median(times) for times in zip(*opened, strict=True))
    page.rested()
    layers = client.get(f"/api/scenes/{scene}/evaluation", timeout=300).json()["layers"]
    count = sum(
        v["count"]
        for layer in layers
        if layer["placements"]
        for v in layer["placements"]["variants"]
    )
    told = f"{name}, {count:,} instances"
    empty = timed(page, "empty")
    row(out, f"{told}: opened cold", cold, "an empty picture", empty, "≤ 8 s")
    row(out, f"{told}: opened warm", warm, "an empty picture", empty, "≤ 2 s")
    row(out, f"{told}: at rest, warm", rest, "an empty picture", empty)
    for what, words in (
        ("moving", "a picture while moving"),
        ("filled", "its lists filled"),
        ("rest", "a frame at rest"),
        ("hover", "the layer under the pointer"),
        ("click", "the placement at a pixel"),
    ):
        row(out, f"{told}: {words}", timed(page, what), "an empty picture", empty)


def main() -> None:
    """Measure the view and print the table."""
    out = table()
    with served() as service:
        client = signed_in(service.base, "sedge")
        cards = client.get("/api/scenes").json()
        demo = next(card["id"] for card in cards if card["name"] == teasel_fen().name)
        page = Page(service.base)
        page.driver.set_script_timeout(600)
        page.sign_in("sedge")
        try:
            measured(page, client, out, "demo", demo)
            made = client.post(
                "/api/scenes", json={"name": "Dense", "document": dense()}, timeout=300
            )
            prepared(service.database_url)
            measured(page, client, out, "dense", made.raise_for_status().json()["id"])
            made = client.post("/api/scenes", json={"name": "Way", "document": fenced()})
            prepared(service.database_url)
            dragged(page, client, out, made.raise_for_status().json()["id"])
        finally:
            page.close()
    Console(width=170).print(out)
