"""Content keys: BLAKE2b of bytes or of plain values."""

from __future__ import annotations

from hashlib import blake2b
from typing import Any

import orjson


def digest(*data: bytes | memoryview) -> str:
    """40 hexadecimal digits of the BLAKE2b hash of `data`, one after the other."""
    state = blake2b(digest_size=20)
    for piece in data:
        state.update(piece)
    return state.hexdigest()


def key_of(*values: Any) -> str:
    """The key of plain values (dicts, lists, numbers, strings), whatever the order of dict keys."""
    return digest(orjson.dumps(values, option=orjson.OPT_SORT_KEYS | orjson.OPT_SERIALIZE_NUMPY))
