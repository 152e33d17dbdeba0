"""Releases as a state machine.

A release is queued, running, stopping, and at last done, failed or cancelled. It changes its state
only by `move`, from a state that allows it, in one conditional statement; a final state never
changes. It is put in the job queue in the transaction that makes it.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

import orjson
from sqlalchemy import bindparam, delete, insert, select, text, update
from sqlalchemy.orm import Session as Db

from plough.core.bake.workers import Done
from plough.service.db.tables import Release, ReleasePart
from plough.service.scenes import notify

TASK, QUEUE = "plough.bake", "bake"
PREPARE = "plough.prepare"  #: the task, and its queue
OPEN = ("queued", "running", "stopping")
FINAL = ("done", "failed", "cancelled")
_FROM = {
    "queued": ("running",),
    "running": ("queued", "running"),
    "stopping": ("running",),
    "done": ("running",),
    "failed": ("queued", "running"),
    "cancelled": OPEN,
}
_TOLD = 400  #: parts that one message tells of; messages have a limit
_SILENT = 20  #: seconds without a heartbeat after which a worker is taken for dead

_DEFER = text(
    "SELECT procrastinate_defer_jobs_v1(ARRAY[ROW("
    ":queue, :task, 0, :lock, NULL, CAST(:args AS jsonb), NULL)::procrastinate_job_to_defer_v1])"
)
_WORKED_ON = text(
    "SELECT EXISTS (SELECT 1 FROM procrastinate_jobs j JOIN procrastinate_workers w ON w.id = j.worker_id"
    " WHERE j.lock = :lock AND j.status = 'doing'"
    " AND w.last_heartbeat > now() - make_interval(secs => :silent))"
)
_LEFT = text(
    "SELECT r.id FROM release r WHERE r.state = ANY(:open) AND NOT EXISTS (SELECT 1"
    " FROM procrastinate_jobs j WHERE j.lock = 'release ' || r.id AND j.status IN ('todo', 'doing'))"
    " ORDER BY r.id FOR UPDATE OF r SKIP LOCKED"
)


def move(
    db: Db, release_id: int, state: str, fresh: Sequence[int] = (), **values: Any
) -> Release | None:
    """Give a release another state, and other values, and tell everyone who looks at its scene, also of `fresh` parts.

    Returns:
        None when it is gone, or in a state from which there is no way to `state`; nothing is changed then.
    """
    if state in FINAL:
        values = {"part": "", "finished": datetime.now(UTC), **values}
    moved = db.execute(
        update(Release)
        .where(Release.id == release_id, Release.state.in_(_FROM[state]))
        .values(state=state, **values)
        .returning(Release.id)
    ).first()
    if moved is None:
        return None
    release = db.get_one(Release, release_id, populate_existing=True)
    tell(db, release, fresh=fresh)
    return release


class Parts:
    """How far the parts of a bake are, written now and then."""

    def __init__(self, release_id: int, names: Sequence[str]) -> None:
        self._release = release_id
        self._ordinals = {name: k for k, name in enumerate(names)}
        self._fresh: dict[int, dict[str, Any]] = {}

    def begin(self, db: Db) -> None:
        """Write that all parts are waited for; those of an earlier run are forgotten."""
        db.execute(delete(ReleasePart).where(ReleasePart.release_id == self._release))
        rows = [
            {"release_id": self._release, "ordinal": k, "name": name[:300], "state": "waiting"}
            for name, k in self._ordinals.items()
        ]
        db.execute(insert(ReleasePart), rows)

    def done(self, done: Done | None, name: str) -> None:
        """Take note of a part that is there; `done` tells who made it."""
        self._fresh[self._ordinals[name]] = {
            "b_release": self._release,
            "b_ordinal": self._ordinals[name],
            "state": "made" if done is None or done.where else "there",
            "seconds": 0.0 if done is None else done.seconds,
            "place": "" if done is None else done.where[:80],
        }

    def write(self, db: Db) -> list[int]:
        """Write what was noted since; the ordinals of it."""
        rows = list(self._fresh.values())
        if rows:
            own = (ReleasePart.release_id == bindparam("b_release")) & (
                ReleasePart.ordinal == bindparam("b_ordinal")
            )
            db.connection().execute(update(ReleasePart).where(own), rows)
        self._fresh = {}
        return [row["b_ordinal"] for row in rows]


def tell(db: Db, release: Release, state: str | None = None, fresh: Sequence[int] = ()) -> None:
    """Tell everyone who looks at the scene how far the release is, or in which other `state`; `fresh` are ordinals of parts that came to be there."""
    progress: dict[str, Any] = {n: getattr(release, n) for n in ("state", "done", "known", "part")}
    if fresh:
        progress["fresh"] = list(fresh[:_TOLD])
    if state is not None:
        progress["state"] = state
    notify(db, release.scene_id, {"type": "release", "release": release.number, **progress})


def state_of(db: Db, release_id: int) -> str:
    """The state of a release; one that is gone with its scene counts as cancelled."""
    return db.scalar(select(Release.state).where(Release.id == release_id)) or "cancelled"


def enqueue(db: Db, release_id: int) -> None:
    """Put the bake of a release in the queue, in the transaction of `db`."""
    _defer(db, QUEUE, TASK, f"release {release_id}", {"release_id": release_id})


def enqueue_preparing(db: Db, scene_id: str) -> None:
    """Let a worker make what an opening of the scene asks for."""
    _defer(db, PREPARE, PREPARE, f"prepare {scene_id}", {"scene_id": scene_id})


def _defer(db: Db, queue: str, task: str, lock: str, args: dict[str, Any]) -> None:
    job = {"queue": queue, "task": task, "lock": lock, "args": orjson.dumps(args).decode()}
    db.execute(_DEFER, job)


def cancel(db: Db, release_id: int) -> Release | None:
    """Stop a bake: after the part it is at where a worker is at it, else at once. None when it has ended already."""
    values = {"lock": f"release {release_id}", "silent": _SILENT}
    if db.scalar(_WORKED_ON, values):
        stopping = move(db, release_id, "stopping", part="stopping")
        if stopping is not None:
            return stopping
        if state_of(db, release_id) == "stopping":
            return db.get_one(Release, release_id, populate_existing=True)
    return move(db, release_id, "cancelled")


def reconcile(db: Db) -> int:
    """Take up releases that are open but have no job any more; the number of them."""
    left = list(db.scalars(_LEFT, {"open": list(OPEN)}))
    for release_id in left:
        if state_of(db, release_id) == "stopping":
            move(db, release_id, "cancelled")
            continue
        move(db, release_id, "queued", part="waiting for a worker")
        enqueue(db, release_id)
    return len(left)
