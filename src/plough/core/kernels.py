"""How kernels are compiled: once for the machine, cached on disk, without the interpreter's lock.

Numba keeps compiled code as long as the file it stands in does not change. A kernel, though, holds a
copy of every kernel and constant that it takes from other files; so each module's code is kept in a
folder named by a hash of its own source and of all the sources of the core that it is made of.
"""

from __future__ import annotations

import os
import re
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from hashlib import blake2b
from pathlib import Path
from typing import Any, TypeVar, cast

F = TypeVar("F", bound=Callable[..., Any])
_ROOT = Path(__file__).resolve().parents[2]
_KEPT = _ROOT.parent / ".plough" / "kernels"


_IMPORT = re.compile(
    rb"^\s*(?:from\s+(plough[\w.]*)\s+import\s+(?:\(([^)]*)\)|([^\n(]*))|import\s+(plough[\w.]*))",
    re.M,
)


def together(*calls: Callable[[], Any]) -> list[Any]:
    """What each call gives, made at the same time: kernels run without the interpreter's lock."""
    with ThreadPoolExecutor(len(calls)) as pool:
        return [future.result() for future in [pool.submit(call) for call in calls]]


@cache
def _file_of(module: str) -> Path | None:
    base = _ROOT.joinpath(*module.split("."))
    for path in (base.with_suffix(".py"), base / "__init__.py"):
        if path.exists():
            return path
    return None


@cache
def _imports(path: Path) -> frozenset[str]:
    """The modules of Plough that a file imports, wherever in it."""
    found = set()
    for source, block, line, plain in _IMPORT.findall(path.read_bytes()):
        module = (source or plain).decode()
        names = re.findall(r"\w+", (block or line).decode())
        found.update([module, *(f"{module}.{name}" for name in names)])
    return frozenset(found)


@cache
def sources_of(module: str) -> frozenset[Path]:
    """The files of the core that `module` is made of: its own, and those that it imports, to any depth."""
    found: set[Path] = set()
    ahead = [module]
    while ahead:
        path = _file_of(ahead.pop())
        if path is not None and path not in found:
            found.add(path)
            ahead += _imports(path)
    return frozenset(found)


@cache
def code_key(module: str) -> str:
    """Tells the code of `module`, and of all that it is made of, from any other."""
    return _hash(sources_of(module))


@cache
def core_key() -> str:
    """Tells the code of the whole core from any other; what outlives the process is kept under it."""
    return _hash(frozenset((_ROOT / "plough" / "core").rglob("*.py")))


@cache
def _content(path: Path) -> bytes:
    return blake2b(path.read_bytes(), digest_size=16).digest()


def _hash(files: frozenset[Path]) -> str:
    state = blake2b(digest_size=10)
    for path in sorted(files):
        state.update(str(path.relative_to(_ROOT)).encode() + b"\0" + _content(path))
    return state.hexdigest()


@cache
def _folder() -> Path:
    """Where compiled code is kept: beside the project, or where that cannot be written, among temporary files."""
    try:
        _KEPT.mkdir(parents=True, exist_ok=True)
    except OSError:
        return Path(tempfile.gettempdir()) / "plough-kernels"
    return _KEPT if os.access(_KEPT, os.W_OK) else Path(tempfile.gettempdir()) / "plough-kernels"


_compiled = True


def leave_plain() -> None:
    """Compile nothing that is imported from now on: for processes that only tell what there is, and compute nothing."""
    global _compiled  # noqa: PLW0603
    _compiled = False


def kernel(function: F) -> F:
    """Compile `function` with Numba; the result is cached on disk and runs without the interpreter's lock."""
    if not _compiled:
        return function
    import numba  # takes half a second; only those wait who compute

    numba.config.CACHE_DIR = str(_folder() / code_key(function.__module__))  # type: ignore[attr-defined]
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy")(function))
