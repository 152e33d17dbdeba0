"""Bakes made by processes: the same bytes as by threads, whoever dies; what is kept is not made again."""

from __future__ import annotations

import os
import pickle
import signal
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from plough.core.bake.bundle import Baker
from plough.core.bake.folder import FolderOpener, opened, workers_of
from plough.core.bake.graph import Graph, WorkersLost
from plough.core.bake.kept import Kept
from plough.core.bake.pieces import Damaged, Held, Stored, piece_of
from plough.core.bake.workers import Here, Task, Threads
from plough.core.errors import ParameterError, PloughError, Superseded
from plough.core.library import Library
from plough.core.scene import Evaluation, Evaluator
from tests.core.test_scene import small
from tests.depth import some

PLAIN = {"splat": "512", "tile_side": "32", "textures": False}
LAYOUTS = ("whole", "tiles", "tileset")


@pytest.fixture(scope="module")
def library() -> Library:
    return Library()


@pytest.fixture(scope="module")
def graph(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Graph, Kept]]:
    """Two processes, and the store that they share."""
    folder = tmp_path_factory.mktemp("pieces")
    graph = Graph(FolderOpener(folder, None), workers=2)
    yield graph, Kept(folder)
    graph.close()


def evaluated(library: Library, **asked: Any) -> Evaluation:
    return Evaluator(library).evaluate(small(bake={**PLAIN, **asked}))


def made(baker: Baker) -> dict[str, bytes]:
    for _ in baker.run():
        pass
    return baker.contents


def forget(kept: Kept) -> None:
    """Leave nothing in a store."""
    for folder in ("pieces", "files"):
        for path in (kept._folder / folder).iterdir():
            path.unlink()


@pytest.mark.parametrize("layout", some(LAYOUTS, 1))
def test_processes_make_the_same_bytes_as_threads(
    layout: str, graph: tuple[Graph, Kept], library: Library
) -> None:
    workers, kept = graph
    forget(kept)
    evaluation = evaluated(library, layout=layout, textures=layout == "whole")
    expected = made(Baker(evaluation, library))
    baker = Baker(evaluation, library, (), kept, workers)
    assert made(baker) == expected
    assert list(baker.files) == list(made_files(evaluation, library)), "in the same order, too"
    places = {d.where for d in baker.done.values()}
    assert len([p for p in places if p.startswith("process ")]) == 2
    # nothing is left of what travelled, and nothing is made twice
    again = Baker(evaluation, library, (), kept, workers)
    assert made(again) == expected
    assert not any(d.where for d in again.done.values())
    keys = {p.stem for p in (kept._folder / "pieces").iterdir()}
    assert not any(k.startswith("recipe") for k in keys)


def made_files(evaluation: Evaluation, library: Library) -> dict[str, Stored]:
    baker = Baker(evaluation, library, (), None, Threads(1))
    for _ in baker.run():
        pass
    return baker.files


@pytest.mark.parametrize("seed", some(range(4), 2))
def test_a_worker_that_is_killed_changes_nothing(
    seed: int, graph: tuple[Graph, Kept], library: Library
) -> None:
    """Five of twenty moments each, at other parts for each seed."""
    workers, kept = graph
    forget(kept)
    evaluation = evaluated(library, layout=LAYOUTS[1 + seed % 2])
    expected = made(Baker(evaluation, library))
    killed = 0
    baker = Baker(evaluation, library, (), kept, workers)
    for done, _ in enumerate(baker.run(), start=1):
        if done > seed and killed < 5 and (done - seed) % 3 == 1:
            nannies = list(workers.client().cluster.workers.values())  # type: ignore[union-attr]
            alive = [n.pid for n in nannies if n.pid is not None]  # others are just being started
            if alive:
                os.kill(alive[killed % len(alive)], signal.SIGKILL)
                killed += 1
    assert killed == 5
    assert baker.contents == expected


def test_a_bake_that_is_begun_again_finds_what_was_made(
    graph: tuple[Graph, Kept], library: Library
) -> None:
    workers, kept = graph
    forget(kept)
    evaluation = evaluated(library, layout="tiles")
    first = Baker(evaluation, library, (), kept, workers)
    parts = first.run()
    for _ in range(4):
        next(parts)
    parts.close()
    assert 4 <= len(first.done) < len(first.parts()) - 1
    second = Baker(evaluation, library, (), kept, workers)
    assert made(second) == made(Baker(evaluation, library))
    there = {name for name, d in second.done.items() if not d.where}
    assert set(first.done) <= there


def test_what_the_one_who_asks_raises_ends_the_work(
    graph: tuple[Graph, Kept], library: Library
) -> None:
    workers, kept = graph
    forget(kept)
    asked = 0

    def check() -> None:
        nonlocal asked
        asked += 1
        if asked > 3:
            raise Superseded("nobody waits any more")

    baker = Baker(evaluated(library, layout="tiles"), library, (), kept, workers, check)
    with pytest.raises(Superseded):
        made(baker)
    assert not any(p.stem.startswith("recipe") for p in (kept._folder / "pieces").iterdir())


def test_two_bakes_at_once_leave_each_other_their_recipes(
    graph: tuple[Graph, Kept], library: Library
) -> None:
    workers, kept = graph
    forget(kept)
    evaluation = evaluated(library, layout="tiles")
    expected = made(Baker(evaluation, library))
    first = Baker(evaluation, library, (), kept, workers).run()
    next(first)  # its recipes are on their way
    second = Baker(evaluation, library, (), kept, workers)
    parts = second.run()
    next(parts)
    first.close()  # and gone
    for _ in parts:
        pass
    assert second.contents == expected


class Wrong:
    """A recipe that fails."""

    def make(self, shop: Any) -> Any:
        raise PloughError("the clay is too wet")


@pytest.mark.parametrize("by", ["threads", "processes"])
def test_a_part_that_cannot_be_made_ends_the_bake_with_its_reason(
    by: str, graph: tuple[Graph, Kept], library: Library
) -> None:
    baker = Baker(evaluated(library), library, (), graph[1])
    workers = graph[0] if by == "processes" else Threads()
    tasks = [
        Task("good", "a", lambda: Here(lambda _: ({}, {})), here=True),
        Task("bad", "b", Wrong),
    ]
    with pytest.raises(PloughError, match="too wet"):
        list(workers.run(tasks, baker._shop))


def test_a_scheduler_that_does_not_answer_is_told_in_a_sentence(tmp_path: Path) -> None:
    graph = Graph(FolderOpener(tmp_path, None), "tcp://127.0.0.1:1")
    with pytest.raises(WorkersLost, match=r"scheduler tcp://127\.0\.0\.1:1 does not answer"):
        graph.client()
    graph.close()


def test_workers_of_a_scheduler_need_a_folder_that_they_share(tmp_path: Path) -> None:
    with pytest.raises(ParameterError, match="--cache: "):
        workers_of(None, None, 0, "tcp://127.0.0.1:1")
    assert isinstance(workers_of(None, None, 0, ""), Threads)
    with opened(None, shared=True) as (pieces, folder):
        assert folder is not None and isinstance(pieces, Kept)
        assert isinstance(workers_of(folder, None, 2, ""), Graph)
    assert not folder.exists()


def test_what_travels_is_the_same_after_the_way(library: Library) -> None:
    baker = Baker(evaluated(library, layout="tiles", textures=True), library)
    held = baker.pieces
    for _ in baker.run():
        pass
    shop = baker._shop
    tasks = [t for t in baker._first() if not t.here]
    tasks += map(baker.tiles.task, baker.tiles.squares)
    for task in tasks:
        recipe = pickle.loads(pickle.dumps(task.build()))
        files, says = recipe.make(shop)
        piece = held.known([task.key])[task.key]
        again = Held().keep("x", files, says)
        assert again.says == piece.says
        assert {p: s.hash for p, s in again.files.items()} == {
            p: s.hash for p, s in piece.files.items()
        }


def test_a_store_in_a_folder_gives_what_it_was_given(tmp_path: Path) -> None:
    kept = Kept(tmp_path)
    files = {"a/b.bin": b"one", "c.bin": b"", "d.bin": b"one"}
    says = {"least": -0.0, "small": 1e-12, "whole": [1, 2], "none": None}
    piece = kept.keep("k", files, says)
    assert piece == piece_of(piece.to_bytes())
    other = Kept(tmp_path)
    assert other.known(["k", "l"]) == {"k": piece}
    assert str(other.known(["k"])["k"].says["least"]) == "-0.0"
    assert {p: other.read(s) for p, s in piece.files.items()} == files
    assert len(list((tmp_path / "files").iterdir())) == 2, "equal files are one"
    # a piece of what is kept already
    assert kept.keep("l", piece.files).files == piece.files
    victim = tmp_path / "files" / piece.files["a/b.bin"].hash
    victim.write_bytes(b"two")
    with pytest.raises(Damaged):
        other.read(piece.files["a/b.bin"])
    assert other.known(["k", "l"]) == {}, "it is made anew"
    (tmp_path / "pieces" / "k.json").write_bytes(b"{")
    assert other.known(["k"]) == {}
    other.drop(["k", "nothing"])
    assert not (tmp_path / "pieces" / "k.json").exists()
