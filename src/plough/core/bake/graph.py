"""Pieces of a bake made by many processes, on this machine or others: a graph on dask.distributed.

What goes over the wire is the key of a recipe, never data: recipes and pieces lie in the store that all
share, which is the truth. So a worker that is killed costs the pieces that it had in hand, and a bake
that is begun again finds what the one before it has made.
"""

from __future__ import annotations

import os
import pickle
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import groupby
from threading import Lock
from typing import TYPE_CHECKING, Any, NamedTuple
from uuid import uuid4

from plough.core.bake.pieces import Piece, Pieces
from plough.core.bake.shop import Shop
from plough.core.bake.workers import Done, Task, make
from plough.core.errors import PloughError
from plough.core.library.library import Library

if TYPE_CHECKING:
    from distributed import Client

Opener = Callable[[], tuple[Pieces, Library]]
"""Opens the store of pieces, and a library that finds the files that assets name; goes to workers as it is."""

_BATCH = 32  # tasks of one kind that go to a worker together: about a second
_AHEAD = 3  # batches a worker that are waiting for it
_POLL = 0.05  # seconds
_RECIPE = "recipe"
_ANSWERS = 5  # seconds in which a scheduler answers
_LOOKS, _ALONE = (
    1.0,
    60.0,
)  # seconds between two looks at the workers, and for which there may be none
_DEATHS = 20  #: workers that may die at a piece before it is taken for what kills them


class Report(NamedTuple):
    """What a worker says of a piece that it made."""

    key: str
    seconds: float
    where: str


_shops: dict[Opener, Shop] = {}


def _shop(opener: Opener) -> Shop:
    """The shop of this process; what it has once grown is there for the next piece."""
    if opener not in _shops:
        _shops.clear()
        _shops[opener] = Shop(*opener())
    return _shops[opener]


def _work(opener: Opener, run: str, keys: tuple[str, ...], _needs: list[Any]) -> list[Report]:
    """Make the pieces of some recipes, but for those that are there already."""
    shop = _shop(opener)
    where = f"process {os.getpid()}"
    out = []
    for key in keys:
        began = time.perf_counter()
        if key not in shop.pieces.known([key]):
            told = shop.pieces.known([_recipe(run, key)])[_recipe(run, key)]
            _, recipe = pickle.loads(shop.pieces.read(told.files[_RECIPE]))
            make(recipe, key, shop)
        out.append(Report(key, time.perf_counter() - began, where))
    return out


def _recipe(run: str, key: str) -> str:
    """Under what a run keeps a recipe; another, which may ask for the same piece meanwhile, has its own."""
    return f"{_RECIPE} {run} {key}"


class WorkersLost(PloughError):
    """The workers went away, or died again and again at the same piece."""


@dataclass
class _Run:
    """One run: what is asked, and how far it is."""

    client: Client
    opener: Opener
    shop: Shop
    name: str = field(default_factory=lambda: uuid4().hex)
    names: dict[str, str] = field(default_factory=dict)  # of tasks, by key
    going: dict[str, Any] = field(default_factory=dict)  # the future of the batch that makes a key
    recipes: list[str] = field(default_factory=list)

    def submit(self, batch: list[Task]) -> Any:
        """Send a batch, whose recipes are kept first."""
        for task in batch:
            recipe = _recipe(self.name, task.key)
            data = pickle.dumps((self.name, task.build()), protocol=pickle.HIGHEST_PROTOCOL)
            self.shop.pieces.keep(recipe, {_RECIPE: data})
            self.recipes.append(recipe)
            self.names[task.key] = task.name
        keys = tuple(task.key for task in batch)
        needs = {
            self.going[n].key: self.going[n] for t in batch for n in t.needs if n in self.going
        }
        future = self.client.submit(
            _work, self.opener, self.name, keys, list(needs.values()), pure=False, retries=1
        )
        for key in keys:
            self.going[key] = future
        return future

    def given(self, future: Any) -> Iterator[Done]:
        """What came of a batch."""
        made = future.result()
        found = self.shop.pieces.known([m.key for m in made])
        for m in made:
            yield Done(self.names[m.key], found[m.key], m.seconds, m.where)


class Graph:
    """Processes that dask.distributed knows.

    Args:
        opener: opens the store that `Shop.pieces` of a run is a view of.
        scheduler: the address of one that is running; by default one is started, with processes on this machine.
        workers: how many processes are started; by default one for each core.
        memory: bytes that a process may hold before it is started anew.
    """

    def __init__(
        self, opener: Opener, scheduler: str = "", workers: int = 0, memory: int = 1_500_000_000
    ) -> None:
        self._opener = opener
        self._scheduler = scheduler
        self._workers = workers or os.cpu_count() or 1
        self._memory = memory
        self._client: Client | None = None
        self._lock = Lock()

    def client(self) -> Client:
        """The client, connected when it is first asked for. Raises `WorkersLost` where the scheduler does not answer."""
        with self._lock:
            if self._client is None:
                import dask  # takes a second; only those wait who bake
                from distributed import Client, LocalCluster

                dask.config.set({"distributed.scheduler.allowed-failures": _DEATHS})
                try:
                    if self._scheduler:
                        self._client = Client(
                            self._scheduler, timeout=_ANSWERS, set_as_default=False
                        )
                    else:
                        cluster = LocalCluster(
                            n_workers=self._workers,
                            threads_per_worker=1,
                            dashboard_address="127.0.0.1:0",
                            memory_limit=self._memory,
                            silence_logs=50,
                        )
                        self._client = Client(cluster, set_as_default=False)
                except OSError as error:
                    raise WorkersLost(
                        f"the scheduler {self._scheduler} does not answer: {error}"
                    ) from None
            return self._client

    def _look(self, since: float) -> float:
        """See whether there are workers; start those anew that have gone for good. When there was one last, in seconds.

        Raises:
            WorkersLost: there has been none for long.
        """
        client, now = self.client(), time.monotonic()
        own = client.cluster
        if own is not None and not self._scheduler and len(own.workers) < self._workers:
            own.scale(self._workers)
        if client.status == "running" and client.scheduler_info(n_workers=-1)["workers"]:
            return now
        if now - since > _ALONE:
            told = self._scheduler or "that was started"
            self.close()  # the next bake connects anew
            raise WorkersLost(f"the scheduler {told} has had no workers for {_ALONE:g} seconds")
        return since

    def close(self) -> None:
        """Let the workers go that were started."""
        if self._client is not None:
            cluster = None if self._scheduler else self._client.cluster
            self._client.close()
            if cluster is not None:
                cluster.close()
            self._client = None

    def run(self, tasks: Iterable[Task], shop: Shop) -> Iterator[Done]:
        """Makes what is asked; gives it as it is there. Raises `WorkersLost`, and what recipes and `Shop.check` raise."""
        run = _Run(self.client(), self._opener, shop)
        own = ThreadPoolExecutor(1)  # of what only this process can make
        here: deque[tuple[Task, Future[Piece], float]] = deque()
        held: deque[Task] = deque()  # made here, once what it needs is there
        batches = _batches(tasks)
        waiting: set[Any] = set()
        more = True
        looked = seen = time.monotonic()
        try:
            while more or waiting or here or held:
                shop.check()
                if time.monotonic() - looked > _LOOKS:
                    seen = self._look(seen)
                    looked = time.monotonic()
                while more and len(waiting) < _AHEAD * self._workers:
                    batch = next(batches, None)
                    if batch is None:
                        more = False
                    elif batch[0].here:
                        held.extend(batch)
                    else:
                        waiting.add(run.submit(batch))
                for _ in range(len(held)):
                    task = held.popleft()
                    if all(n not in run.going or run.going[n].done() for n in task.needs):
                        made = own.submit(make, task.build(), task.key, shop)
                        here.append((task, made, time.perf_counter()))
                    else:
                        held.append(task)
                ended = [f for f in waiting if f.done()]
                for future in ended:
                    waiting.discard(future)
                    yield from _told(run, future)
                while here and here[0][1].done():
                    task, made, began = here.popleft()
                    yield Done(
                        task.name, made.result(), time.perf_counter() - began, "this process"
                    )
                if not ended:
                    time.sleep(_POLL)
        finally:
            own.shutdown(wait=True, cancel_futures=True)
            if run.client.status == "running":
                run.client.cancel(list(waiting), force=True)
            shop.pieces.drop(run.recipes)


def _told(run: _Run, future: Any) -> list[Done]:
    from distributed import CancelledError, KilledWorker

    try:
        return list(run.given(future))
    except (KilledWorker, CancelledError) as error:
        raise WorkersLost(f"the workers of the bake went away: {error}") from None


def _batches(tasks: Iterable[Task]) -> Iterator[list[Task]]:
    """Tasks that are best made by one worker, a number of them at most; those that are made here, each alone."""
    for _, run in groupby(tasks, key=lambda t: (t.here and t.key, t.together)):
        batch: list[Task] = []
        for task in run:
            batch.append(task)
            if len(batch) == _BATCH:
                yield batch
                batch = []
        if batch:
            yield batch
