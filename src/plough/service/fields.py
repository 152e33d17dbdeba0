"""Fields of an edit: dotted names of the leaves of a tree, down to single elements of lists.

A list whose elements carry ids is no leaf: each element is a field of its own, called
``settings.viewpoints#ID``, whose value is the element and its place in the list. So two people who
add to one list do not clash, and undo puts back what one person did to one element.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from plough.core.errors import ParameterError

Fields = dict[str, Any]
MARK = "#"


def _has_ids(value: Any) -> bool:
    return (
        isinstance(value, list | tuple)
        and len(value) > 0
        and all(isinstance(e, Mapping) and isinstance(e.get("id"), str) for e in value)
    )


def flatten(tree: Mapping[str, Any], prefix: str) -> Fields:
    """Every leaf of `tree`, and every element of its lists with ids, by its name."""
    out: Fields = {}
    for key, value in tree.items():
        name = f"{prefix}.{key}"
        if MARK in key:
            out[name] = None if value is None else {"value": {**value, "id": key.split(MARK)[1]}}
        elif isinstance(value, Mapping):
            out |= flatten(value, name)
        elif _has_ids(value):
            ids = [e["id"] for e in value]
            twice = next((i for i in ids if ids.count(i) > 1), None)
            if twice is not None:
                raise ParameterError(name, f"the id {twice!r} is used more than once", value=twice)
            for at, element in enumerate(value):
                out[f"{name}{MARK}{element['id']}"] = {"at": at, "value": dict(element)}
        else:
            out[name] = value
    return out


def nested(fields: Mapping[str, Any], prefix: str) -> dict[str, Any]:
    """The tree whose leaves are those of `fields` that begin with `prefix`; what is None is left out."""
    out: dict[str, Any] = {}
    elements: dict[str, list[dict[str, Any]]] = {}
    for path, value in fields.items():
        if not path.startswith(f"{prefix}.") or value is None:
            continue
        name, mark, _ = path.partition(MARK)
        if mark:
            elements.setdefault(name, []).append(value)
        else:
            _put(out, name.removeprefix(f"{prefix}."), value)
    for name, found in elements.items():
        # elements that are there keep their order; one that names its place is put there
        ordered: list[Any] = []
        for value in found:
            at = value.get("at", len(ordered))
            ordered.insert(min(at, len(ordered)), value["value"])
        _put(out, name.removeprefix(f"{prefix}."), ordered)
    return out


def _put(tree: dict[str, Any], path: str, value: Any) -> None:
    *parents, last = path.split(".")
    for parent in parents:
        tree = tree.setdefault(parent, {})
        if not isinstance(tree, dict):
            raise ParameterError(path, "there is no such field")
    tree[last] = value


def changed(before: Fields, wanted: Fields) -> Fields:
    """What of `wanted` differs from `before`, None for what goes.

    A list with ids that is given whole takes the place of the one there: elements it lacks go.
    """
    out = {k: v for k, v in wanted.items() if not same(before.get(k), v)}
    whole = {k.partition(MARK)[0] for k, v in wanted.items() if MARK in k and v and "at" in v}
    whole |= {k for k, v in wanted.items() if isinstance(v, list | tuple) and not v}
    for path in before:
        name, mark, _ = path.partition(MARK)
        if mark and name in whole and path not in wanted:
            out[path] = None
    return {k: v for k, v in out.items() if not (k in whole and k not in before)}


def same(a: Any, b: Any) -> bool:
    """Whether two values of a field are the same; an element is, wherever in its list it stands."""
    if isinstance(a, Mapping) and isinstance(b, Mapping) and "value" in a and "value" in b:
        return bool(a["value"] == b["value"])
    return bool(a == b)


def _elements(fields: Fields) -> Fields:
    """`fields` with each list with ids in its place by element, and empty lists left out."""
    out: Fields = {}
    for path, value in fields.items():
        head, _, last = path.rpartition(".")
        if _has_ids(value):
            out |= flatten({last: value}, head)
        elif not (isinstance(value, list | tuple) and not value):
            out[path] = value
    return out


def by_element(forward: Fields, wanted: Fields) -> tuple[Fields, Fields]:
    """Both sides of an edit that was kept before lists were told by element, told so."""
    if not any(_has_ids(v) for v in (*forward.values(), *wanted.values())):
        return forward, wanted
    a, b = _elements(forward), _elements(wanted)
    paths = a.keys() | b.keys()
    return {p: a.get(p) for p in paths}, {p: b.get(p) for p in paths}
