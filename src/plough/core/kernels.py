"""How kernels are compiled: once for the machine, cached on disk, without the interpreter's lock.

Numba keeps compiled code as long as the file it stands in does not change. A kernel, though, holds a
copy of every kernel and constant that it takes from other files; so each module's code is kept in a
folder named by a hash of its own source and of all the sources of the core that it is made of.
"""

from __future__ import annotations

import ast
import os
import tempfile
from collections.abc import Callable
from functools import cache
from hashlib import blake2b
from pathlib import Path
from typing import Any, TypeVar, cast

import numba

F = TypeVar("F", bound=Callable[..., Any])
_ROOT = Path(__file__).resolve().parents[2]
_KEPT = _ROOT.parent / ".plough" / "kernels"


@cache
def sources_of(module: str) -> frozenset[Path]:
    """The files of the core that `module` is made of: its own, and those that it imports, to any depth."""
    found: set[Path] = set()
    ahead = [module]
    while ahead:
        name = ahead.pop()
        base = _ROOT.joinpath(*name.split("."))
        path = base.with_suffix(".py") if base.with_suffix(".py").exists() else base / "__init__.py"
        if not path.exists() or path in found:
            continue
        found.add(path)
        for node in ast.walk(ast.parse(path.read_bytes())):
            names = []
            if isinstance(node, ast.ImportFrom) and node.module:
                names = [node.module, *(f"{node.module}.{a.name}" for a in node.names)]
            elif isinstance(node, ast.Import):
                names = [a.name for a in node.names]
            ahead += [n for n in names if n.startswith("plough.")]
    return frozenset(found)


@cache
def code_key(module: str) -> str:
    """Tells the code of `module`, and of all that it is made of, from any other."""
    return _hash(sources_of(module))


@cache
def core_key() -> str:
    """Tells the code of the whole core from any other; what outlives the process is kept under it."""
    return _hash(frozenset((_ROOT / "plough" / "core").rglob("*.py")))


def _hash(files: frozenset[Path]) -> str:
    state = blake2b(digest_size=10)
    for path in sorted(files):
        state.update(str(path.relative_to(_ROOT)).encode() + b"\0" + path.read_bytes() + b"\0")
    return state.hexdigest()


@cache
def _folder() -> Path:
    """Where compiled code is kept: beside the project, or where that cannot be written, among temporary files."""
    try:
        _KEPT.mkdir(parents=True, exist_ok=True)
    except OSError:
        return Path(tempfile.gettempdir()) / "plough-kernels"
    return _KEPT if os.access(_KEPT, os.W_OK) else Path(tempfile.gettempdir()) / "plough-kernels"


def kernel(function: F) -> F:
    """Compile `function` with Numba; the result is cached on disk and runs without the interpreter's lock."""
    numba.config.CACHE_DIR = str(_folder() / code_key(function.__module__))  # type: ignore[attr-defined]
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy")(function))
