"""``./plough bench``: one table of ratios. Every figure is a median; the yardstick beside it is measured in the same run.

``./plough bench view`` measures the picture in a real browser, ``./plough bench bake`` bakes.
"""

from __future__ import annotations

import math
import statistics
import subprocess
import sys
import time
from dataclasses import replace

import httpx
import numpy as np
from rich.console import Console
from rich.table import Table
from scipy.stats import qmc

from bench.fuse import fuse_rows
from bench.ground import ground_rows
from bench.hand import hand_rows
from bench.heaps import heap_rows
from bench.houses import house_rows
from bench.room import room_rows
from bench.table import median, row, table
from bench.trials import trial_rows
from bench.walls import wall_rows
from plough.core.cache import Cache
from plough.core.demo import demo_file, teasel_fen
from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.ground.conditions import Condition
from plough.core.ground.paths import path_curve
from plough.core.kinds import make
from plough.core.library import Library
from plough.core.mesh.sweep import Branches, sweep
from plough.core.place import ScatterRule, sample, scatter
from plough.core.place.pose import Pose
from plough.core.place.standing import Stand
from plough.core.presets import preset
from plough.core.scene import Evaluator
from plough.core.scene.document import with_layer
from plough.core.scene.facets import Ground
from plough.core.scene.senses import Senses
from plough.core.scene.weight import weigh


def many_branches(count: int, points: int, sides: int) -> Branches:
    """Bent branches side by side."""
    t = np.linspace(0, 1, points)
    bent = np.stack([0.3 * np.sin(3 * t), t, 0.2 * t**2], axis=1)
    place = np.random.default_rng(1).uniform(-9, 9, (count, 1, 3))
    total = count * points
    return Branches(
        np.arange(count + 1) * points,
        (bent[None] + place).reshape(-1, 3).astype(np.float32),
        np.tile(0.1 * (1.05 - t), count).astype(np.float32),
        np.zeros(total, np.float32),
        np.full(count, sides),
        np.zeros(count, np.float32),
        np.zeros((total, 4), np.uint8),
    )


def sweep_rows(into: Table) -> None:
    branches = many_branches(480, 20, 12)
    mesh = sweep(branches, "bark")
    source = np.empty(mesh.nbytes, np.uint8)
    copy = median(source.copy, 50)
    row(
        into,
        f"branches swept, {mesh.triangles:,} triangles",
        median(lambda: sweep(branches, "bark"), 30),
        "a copy of its bytes",
        copy,
        "≤ 6",
    )
    for name, aim in (
        ("old-orchard-standard", "≤ 40 ms"),
        ("field-standard", ""),
        ("clipped-hedge", ""),
        ("cow-parsley", ""),
        ("field-boulder", "≤ 60 ms"),
        ("gritstone-tor", "≤ 60 ms"),
        ("water-jar", ""),
    ):
        p = preset(name)
        grown = make(p.kind, p.parameters, p.seed)
        seeds = iter(range(1, 1000))
        blank = np.empty(grown.mesh.nbytes, np.uint8)
        again = median(lambda p=p, seeds=seeds: make(p.kind, p.parameters, next(seeds)), 15)
        row(
            into,
            f"{name} regrown, {grown.mesh.triangles:,} triangles",
            again,
            "a copy of its bytes",
            median(blank.copy, 50),
            aim,
        )
    orchard = make("tree", preset("old-orchard-standard").parameters, 27)
    pixels = np.empty((512, 512, 4), np.uint8)
    for slot, material in orchard.materials.items():
        if material.maps is not None:
            row(
                into,
                f"maps of {slot} drawn, 512 px",
                median(material.maps.draw, 9),
                "a copy of their pixels",
                median(pixels.copy, 50),
                "≤ 60 ms",
            )


def sampling_rows(into: Table) -> None:
    side = 400.0
    points = sample(1, 1.0, (0, 0, side, side))
    ours = median(lambda: sample(1, 1.0, (0, 0, side, side))) / points.x.size
    small = 40.0

    def engine():
        return qmc.PoissonDisk(2, radius=1.0 / small, rng=np.random.default_rng(1)).fill_space()

    theirs = median(engine, 3) / len(engine())
    row(
        into,
        "sampling, a thousand points, maximal",
        ours * 1e3,
        "scipy.stats.qmc.PoissonDisk",
        theirs * 1e3,
        "< 1",
    )
    count = sample(1, 1.15, (-256, -256, 256, 256), 0.7).x.size
    row(
        into,
        f"sampling, {count:,} points at 70 % fill",
        median(lambda: sample(1, 1.15, (-256, -256, 256, 256), 0.7)),
        "one pass of numpy.sqrt over 10 M",
        sqrt_pass(),
    )


def sqrt_pass() -> float:
    values = np.random.default_rng(1).random(10_000_000)
    return median(lambda: np.sqrt(values))


def evaluation_rows(into: Table) -> None:
    document = teasel_fen()

    def cold() -> Evaluator:
        evaluator = Evaluator(Library(load=demo_file))
        weigh(evaluator.evaluate(document), evaluator.library, (0, 2, 0))
        return evaluator

    whole = median(cold, 3)
    warm = cold()
    row(
        into,
        "demo evaluated again, nothing changed",
        median(lambda: warm.evaluate(document)),
        "demo evaluated cold",
        whole,
    )
    pears = next(x for x in document.layers if x.kind == "scatter")
    spacing = iter(np.linspace(6, 9, 200))

    def change() -> None:
        parameters = {**pears.parameters, "spacing": float(next(spacing))}
        warm.evaluate(with_layer(document, pears.model_copy(update={"parameters": parameters})))

    row(into, "demo evaluated, one layer changed", median(change), "demo evaluated cold", whole)


def million(knots: list[tuple[float, float]], field: HeightField, spacing: float) -> ScatterRule:
    """Four rules over the whole of `field`: height, slope, clear of a path, apart from what stands."""
    ground = Ground(field, traced={"path": path_curve(knots)})
    return ScatterRule(
        seed=11,
        spacing=spacing,
        fill=0.95,
        conditions=Senses(ground, Cache()).weighted(
            [
                Condition.model_validate({"id": of, "of": of, "between": between, "fade": fade})
                for of, between, fade in (
                    ("height", (-9.0, 40.0), 2),
                    ("slope", (0, 35), 0),
                    ("path", (6, 1000), 0),
                )
            ]
        ),
        apart=2.0,
        pose=Pose(lean=0.3, size_low=0.8, size_high=1.2),
    )


def placing_rows(into: Table) -> None:
    field = make_terrain(TerrainParameters(size=2048, resolution=4, relief=30, feature=220, seed=3))
    knots = [(-1000 + 100.0 * k, 60.0 * math.sin(k)) for k in range(21)]
    moved = [*knots[:10], (knots[10][0], knots[10][1] + 12.0), *knots[11:]]
    trees = scatter(ScatterRule(seed=5, spacing=14.0, fill=0.6), field)
    passes = sqrt_pass()
    for spacing, aims in (
        (62.0, ("", "", "")),
        (19.6, ("", "", "")),
        (5.15, ("", "≤ 150 ms", "≤ 100 ms")),
        (1.65, ("≤ 1.5 s", "", "≤ 100 ms")),
    ):
        cache, rule = Cache(), million(knots, field, spacing)
        began = time.perf_counter()
        tiles = scatter(rule, field, [Stand(trees)], cache)
        cold = time.perf_counter() - began
        count = sum(t.placements.count for t in tiles)
        row(
            into,
            f"{count:,} placed, four rules, cold",
            cold,
            "one pass of numpy.sqrt over 10 M",
            passes,
            aims[0],
        )
        lines = iter([moved, knots] * 20)
        farther = iter(np.linspace(2.1, 4, 200))
        warm = median(
            lambda c=cache, r=rule, f=farther: scatter(
                replace(r, apart=float(next(f))), field, [Stand(trees)], c
            ),
            9,
        )
        name = f"{count:,} placed, a rule changed everywhere"
        row(into, name, warm, "the same, cold", cold, aims[1])
        again = median(
            lambda c=cache, s=spacing, lines=lines: scatter(
                million(next(lines), field, s), field, [Stand(trees)], c
            ),
            7,
        )
        row(into, f"{count:,} placed, one knot moved", again, "the same, cold", cold, aims[2])


# of the process itself: what getrusage tells begins with the size of whoever started it
_PEAK = """
from pathlib import Path
from bench.__main__ import *
{work}
status = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
print(int(status["VmHWM"].split()[0]) // 1024)
"""


def fresh_rows(into: Table) -> None:
    """Whole processes: seconds and peak memory."""
    demo = "e = Evaluator(Library(load=demo_file)); ev = e.evaluate(teasel_fen()); weigh(ev, e.library, (0, 2, 0))"
    placing = (
        "f = make_terrain(TerrainParameters(size=2048, resolution=4, relief=30, feature=220, seed=3));"
        "scatter(million([(-1000 + 100.0 * k, 60.0 * math.sin(k)) for k in range(21)], f, 1.65), f)"
    )
    empty = process("pass")[0]
    for what, work, aim in (
        ("demo evaluated and weighed", demo, "≤ 2.5 s beyond the start"),
        ("a million placed", placing, ""),
    ):
        seconds, peak = process(work)
        row(
            into,
            f"{what}, cold in a process of its own; {peak} MB at most",
            seconds - empty,
            "its start",
            empty,
            aim,
        )


def process(work: str) -> tuple[float, int]:
    """Seconds and peak megabytes of a process that imports this module and does `work`."""
    times, peak = [], 0
    for _ in range(3):
        began = time.perf_counter()
        code = _PEAK.format(work=work)
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        times.append(time.perf_counter() - began)
        peak = int(done.stdout)
    return statistics.median(times), peak


def latency_rows(into: Table) -> None:
    from bench.served import served

    with served() as service:
        client = httpx.Client(base_url=service.base, timeout=120)
        client.post("/api/session", json={"name": "sedge", "password": "water-mint"})
        ping = median(lambda: client.get("/api/health"), 30)
        height = iter(np.linspace(5, 9, 200))
        pear = teasel_fen().assets[0].parameters

        def body():
            return {
                "kind": "tree",
                "parameters": pear | {"height": float(next(height))},
                "seed": 27,
            }

        row(
            into,
            "ruler on the bench: new mesh through the API",
            median(lambda: client.post("/api/make", json=body()), 20),
            "a health request",
            ping,
            "≤ 60 ms",
        )
        orchard = preset("old-orchard-standard").parameters
        tall = iter(np.linspace(5, 9, 200))

        def tray() -> None:
            body = {
                "kind": "tree",
                "parameters": orchard | {"height": float(next(tall))},
                "seeds": list(range(1, 9)),
                "detail": 0,
            }
            client.post("/api/bench/pictures", json=body).raise_for_status()

        row(
            into,
            "tray: eight orchard trees grown and drawn",
            median(tray, 7),
            "a health request",
            ping,
            "≤ 1 s",
        )
        scene = client.get("/api/scenes").json()[0]["id"]
        client.get(f"/api/scenes/{scene}/evaluation")
        serial = iter(range(1, 1000))

        def draft() -> None:
            n = next(serial)
            client.post(
                f"/api/scenes/{scene}/draft",
                json={
                    "layer": "pears",
                    "parameters": {"spacing": 6 + n / 50},
                    "client": "bench",
                    "serial": n,
                },
            ).raise_for_status()

        row(
            into,
            "ruler on the board: a layer's draft through the API",
            median(draft, 15),
            "a health request",
            ping,
        )


def main() -> None:
    """Measure everything and print the table."""
    out = table()
    for rows in (
        sweep_rows,
        sampling_rows,
        placing_rows,
        room_rows,
        hand_rows,
        heap_rows,
        wall_rows,
        house_rows,
        fuse_rows,
        trial_rows,
        ground_rows,
        evaluation_rows,
        fresh_rows,
        latency_rows,
    ):
        rows(out)
    Console(width=170).print(out)
    starts = [
        median(
            lambda: subprocess.run(
                [sys.executable, "-m", "plough", "kinds"], capture_output=True, check=True
            ),
            3,
        )
    ]
    print(f"./plough kinds, second call: {starts[0]:.2f} s")


if __name__ == "__main__":
    if sys.argv[1:] == ["view"]:
        from bench.view import main as measure_view

        measure_view()
    elif sys.argv[1:] == ["bake"]:
        from bench.bake import main as measure_bake

        measure_bake()
    else:
        main()
