"""Scenes in the database: reading them as documents, editing them, undoing edits.

An edit is a change of the fields of one target (the scene's settings, a layer or an asset), as dotted names with values; it is kept with its
inverse and its author. Undo puts back only fields that still hold what the edit had set, so it never undoes another's edit.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

import orjson
from pydantic import Field
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session as Db

from plough.core.errors import ParameterError
from plough.core.parameters import Parameters, build
from plough.core.scene.document import (
    MOST_ASSETS,
    MOST_LAYERS,
    Settings,
    check_asset,
    check_layer,
    check_order,
)
from plough.core.scene.document import Asset as AssetModel
from plough.core.scene.document import Layer as LayerModel
from plough.service.db.tables import Account, Asset, Edit, Layer, Scene
from plough.service.documents import LAST, layer_values, layers_of
from plough.service.errors import NotFound, Stale
from plough.service.fields import by_element, changed, flatten, nested, same

CHANNEL = "plough"
EDIT_JOINED = "edit joined"  #: in a session's info: whether the edits at hand are undone together with the one before
EDIT_KEY = "edit key"  #: in a session's info: what tells the edit at hand from any other
Target = Scene | Layer | Asset
_PLAIN = {
    "scene": ("name",),
    "layer": ("kind", "name", "hidden", "locked", "shadow", "position", "notes", "game"),
    "asset": ("kind", "name", "seeds", "tags", "images", "notes"),
}
_TREE = {"scene": "settings", "layer": "parameters", "asset": "parameters"}


class _Named(Parameters):
    name: str = Field(min_length=1, max_length=80)


def notify(db: Db, scene_id: str, message: Mapping[str, Any]) -> None:
    """Tell everyone who looks at the scene, once the transaction commits."""
    db.execute(
        select(func.pg_notify(CHANNEL, orjson.dumps({"scene": scene_id, **message}).decode()))
    )


def _fields(row: Target, target: str) -> dict[str, Any]:
    return {n: getattr(row, n) for n in _PLAIN[target]} | flatten(
        getattr(row, _TREE[target]), _TREE[target]
    )


def edit_of_key(db: Db, scene: Scene, key: str) -> Edit | None:
    """The edit that was made under `key`, if it was."""
    return db.scalar(select(Edit).where(Edit.scene_id == scene.id, Edit.key == key))


def find(db: Db, scene: Scene, target: str, target_id: str) -> Target | None:
    """The row of a target."""
    if target == "scene":
        return scene
    key = (scene.id, target_id)
    return db.get(Layer, key) if target == "layer" else db.get(Asset, key)


def get(db: Db, scene: Scene, target: str, target_id: str) -> Any:
    """As `find`. Raises `NotFound`."""
    row = find(db, scene, target, target_id)
    if row is None:
        raise NotFound(
            f"there is no {target} {target_id!r} in this scene; it may have been removed"
        )
    return row


def check_version(row: Target, version: int, current: Callable[[], Any]) -> None:
    """Raises `Stale`, with the present state, when `version` is not the row's."""
    if row.version != version:
        raise Stale(
            f"this was changed meanwhile: the edit was made against version {version}, the present one is {row.version}",
            current=current(),
        )


def _check(target: str, row: Target) -> None:
    """Raises `ParameterError` when what the row holds is not valid."""
    if isinstance(row, Scene):
        build(Settings, row.settings, "settings")
        build(_Named, {"name": row.name})
    elif isinstance(row, Layer):
        check_layer(build(LayerModel, layer_values(row)))
    else:
        asset = build(
            AssetModel,
            {
                "id": row.id,
                "name": row.name,
                "kind": row.kind,
                "seeds": row.seeds,
                "tags": row.tags or [],
                "images": row.images or {},
                "notes": row.notes or {},
                "parameters": row.parameters,
            },
        )
        check_asset(asset)


def _check_room(db: Db, scene: Scene, target: str) -> None:
    """Raises `ParameterError` when the scene holds as many layers, or assets, as it may."""
    model, most = (Layer, MOST_LAYERS) if target == "layer" else (Asset, MOST_ASSETS)
    query = select(func.count()).select_from(model).where(model.scene_id == scene.id)
    if (db.scalar(query) or 0) >= most:
        message = f"the scene has {most} {target}s, the most that it may have; remove one first"
        raise ParameterError(f"{target}s", message, limit=str(most))


def _write(
    db: Db, scene: Scene, target: str, target_id: str, fields: dict[str, Any] | None
) -> None:
    """Set the fields of a target; None removes it, a target that does not exist is made."""
    row = find(db, scene, target, target_id)
    if fields is None:
        model = Layer if target == "layer" else Asset
        db.execute(delete(model).where(model.scene_id == scene.id, model.id == target_id))
        db.expire_all()
        return
    plain, tree = _PLAIN[target], _TREE[target]
    if row is None:
        values = {n: fields[n] for n in plain if n in fields} | {tree: nested(fields, tree)}
        _check_room(db, scene, target)
        row = (Layer if target == "layer" else Asset)(
            scene_id=scene.id, id=target_id, version=1, **values
        )
        _check(target, row)
        db.add(row)
    else:
        for name in plain:
            if name in fields:
                setattr(row, name, fields[name])
        setattr(
            row,
            tree,
            nested(
                {
                    **flatten(getattr(row, tree), tree),
                    **{k: v for k, v in fields.items() if k.startswith(f"{tree}.")},
                },
                tree,
            ),
        )
        _check(target, row)
        row.version += 1
    db.flush()


class Editing(NamedTuple):
    """Who edits which scene, and over which session."""

    db: Db
    scene: Scene
    account: Account


class Subject(NamedTuple):
    """What an edit is about."""

    kind: str  #: layer, asset or scene
    id: str


class Delta(NamedTuple):
    """What an edit sets, and what takes it back; None where the target is not there."""

    forward: dict[str, Any] | None
    inverse: dict[str, Any] | None


def _record(
    editing: Editing, target: Subject, title: str, delta: Delta, turn: tuple[str, int | None]
) -> int:
    """Write an edit to the log and tell everyone; `turn` is `edit`, `undo` or `redo`, and the number of the edit it is of."""
    db, scene, account = editing
    kind, of = turn
    scene.edits += 1
    scene.updated = func.now()
    db.add(
        Edit(
            scene_id=scene.id,
            number=scene.edits,
            account_id=account.id,
            kind=kind,
            of=of,
            title=title[:200],
            target=target.kind,
            target_id=target.id,
            forward=delta.forward,
            inverse=delta.inverse,
            key=db.info.get(EDIT_KEY),
            joined=kind == "edit" and bool(db.info.get(EDIT_JOINED)),
        )
    )
    db.flush()
    message = {"type": "edit", "number": scene.edits, "author": account.name}
    notify(
        db,
        scene.id,
        {**message, "target": target.kind, "id": target.id, "title": title[:200]},
    )
    return scene.edits


_NEW = ("edit", None)


def change(editing: Editing, target: Subject, fields: dict[str, Any], title: str) -> int | None:
    """Set `fields` of an existing target; the number of the edit, or None when nothing differs.

    Raises:
        ParameterError: a field is unknown or out of its limits; nothing is changed.
    """
    db, scene, _ = editing
    before = _fields(get(db, scene, *target), target.kind)
    forward = changed(before, fields)
    if not forward:
        return None
    _write(db, scene, *target, forward)
    delta = Delta(forward, {k: before.get(k) for k in forward})
    return _record(editing, target, title, delta, _NEW)


def create(editing: Editing, target: Subject, fields: dict[str, Any], title: str) -> int:
    """Make a new layer or asset."""
    db, scene, _ = editing
    _write(db, scene, *target, fields)
    made = _fields(get(db, scene, *target), target.kind)
    return _record(editing, target, title, Delta(made, None), _NEW)


def remove(editing: Editing, target: Subject, title: str) -> int:
    """Remove a layer or asset; what refers to it says so and can be given another."""
    db, scene, _ = editing
    before = _fields(get(db, scene, *target), target.kind)
    _write(db, scene, *target, None)
    return _record(editing, target, title, Delta(None, before), _NEW)


def position_before(db: Db, scene: Scene, moved: str, before: str | None) -> float:
    """The position that puts the layer `moved` in front of `before` (None: the last place before the bake).

    Raises:
        ParameterError: it would come to stand before the ground or behind the bake.
    """
    others = [row for row in layers_of(db, scene.id) if row.id != moved]
    place = (
        next((i for i, row in enumerate(others) if row.id == before), None)
        if before
        else len(others) - 1
    )
    if place is None:
        raise ParameterError("before", f"there is no layer {before!r}", value=before)
    if place == 0:
        raise ParameterError(
            "before",
            "the ground stays the first layer",
            limit="a layer right of the ground",
            value=before,
        )
    low = others[place - 1].position
    high = others[place].position
    return low + 1.0 if high >= LAST else 0.5 * (low + high)


def _stacks(db: Db, scene: Scene, account: Account) -> tuple[list[Edit], list[Edit]]:
    """Edits of `account` that can be undone and redone, the next one last."""
    newest = db.scalars(
        select(Edit)
        .where(Edit.scene_id == scene.id, Edit.account_id == account.id)
        .order_by(Edit.number.desc())
        .limit(600)
    )
    by_number: dict[int, Edit] = {}
    undo: list[Edit] = []
    redo: list[Edit] = []
    for edit in reversed(list(newest)):
        by_number[edit.number] = edit
        if edit.kind == "edit":
            undo.append(edit)
            redo.clear()
            continue
        source, into = (undo, redo) if edit.kind == "undo" else (redo, undo)
        original = by_number.get(edit.of or 0)
        if original is not None:
            source[:] = [e for e in source if e.number != original.number]
            into.append(original)
    return undo, redo


def can_step(db: Db, scene: Scene, account: Account) -> tuple[str | None, str | None]:
    """Titles of what `account` would undo and redo next."""
    undo, redo = _stacks(db, scene, account)
    first = next((e for e in reversed(undo) if not e.joined), None)
    return (first.title if first else None), (redo[-1].title if redo else None)


def step(db: Db, scene: Scene, account: Account, kind: str) -> str | None:
    """Undo or redo the next edit of `account`, and those that are joined to it; None, or what could not be put back because another changed it since.

    Raises:
        NotFound: there is nothing to undo or redo.
    """
    undo, redo = _stacks(db, scene, account)
    stack = undo if kind == "undo" else redo
    if not stack:
        raise NotFound(f"there is nothing to {kind}")
    notes = []
    while stack:
        edit = stack.pop()
        notes.append(_step(db, scene, account, kind, edit))
        if not (edit.joined if kind == "undo" else stack and stack[-1].joined):
            break
    return "; ".join(filter(None, notes)) or None


def _step(db: Db, scene: Scene, account: Account, kind: str, edit: Edit) -> str | None:
    """Undo or redo one edit."""
    forward, wanted = (
        (edit.inverse, edit.forward) if kind == "undo" else (edit.forward, edit.inverse)
    )
    row = find(db, scene, edit.target, edit.target_id)
    note = None
    applied: dict[str, Any] | None = None
    inverse: dict[str, Any] | None = None
    if forward is None or wanted is None:  # the edit made or removed the target
        present = None if row is None else _fields(row, edit.target)
        if (
            forward is None
            and present is not None
            and wanted is not None
            and any(not same(present.get(k), v) for k, v in wanted.items())
        ):
            note = (
                f"{edit.title!r}: it has been changed since by someone else, so it is left as it is"
            )
        elif (present is None) == (forward is None):
            note = f"{edit.title!r}: it is so already"
        else:
            _write(db, scene, edit.target, edit.target_id, forward)
            applied, inverse = forward, present
    elif row is None:
        note = f"{edit.title!r}: the {edit.target} has been removed since"
    else:
        present = _fields(row, edit.target)
        forward, wanted = by_element(forward, wanted)
        applied = {k: v for k, v in forward.items() if same(present.get(k), wanted.get(k))}
        inverse = {k: present.get(k) for k in applied}
        if len(applied) < len(forward):
            kept = ", ".join(k.rsplit(".", 1)[-1] for k in forward if k not in applied)
            note = f"{kept} has been changed since by someone else, so it is left as it is"
        if applied:
            _write(db, scene, edit.target, edit.target_id, applied)
    if edit.target == "layer":
        check_order(layers_of(db, scene.id))
    _record(
        Editing(db, scene, account),
        Subject(edit.target, edit.target_id),
        f"{kind}: {edit.title}",
        Delta(applied, inverse),
        (kind, edit.number),
    )
    return note
