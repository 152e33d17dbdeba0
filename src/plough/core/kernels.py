"""How kernels are compiled: once for the machine, cached on disk, without the interpreter's lock."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

from numba import njit

F = TypeVar("F", bound=Callable[..., Any])


def kernel(function: F) -> F:
    """Compile `function` with Numba; the result is cached on disk and runs without the interpreter's lock."""
    return cast(F, njit(cache=True, nogil=True, error_model="numpy")(function))
