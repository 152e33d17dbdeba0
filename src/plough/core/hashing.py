"""Content keys: BLAKE2b of bytes or of plain values."""

from __future__ import annotations

from hashlib import blake2b
from typing import Any

import orjson


def digest(data: bytes) -> str:
    """40 hexadecimal digits of the BLAKE2b hash of `data`."""
    return blake2b(data, digest_size=20).hexdigest()


def key_of(*values: Any) -> str:
    """The key of plain values (dicts, lists, numbers, strings), whatever the order of dict keys."""
    return digest(orjson.dumps(values, option=orjson.OPT_SORT_KEYS | orjson.OPT_SERIALIZE_NUMPY))
