"""Reads meshes and height maps from outside in a process of its own, which may use so much memory and time and no more.

The child is this module run as a program: it takes the files from its input and gives what it read, packed, or a fault, on its output.
"""

from __future__ import annotations

import contextlib
import os
import resource
import subprocess
import sys
from collections.abc import Callable, Mapping

import orjson

from plough.core.errors import FormatError, ParameterError, PloughError, TooLargeError

MOST_MEMORY = 3_000_000_000  #: bytes of address space
MOST_SECONDS = 40  #: of processor time, and of waiting


def read_apart(
    name: str,
    data: bytes,
    beside: Mapping[str, bytes] | None = None,
    seconds: int = MOST_SECONDS,
    memory: int = MOST_MEMORY,
) -> bytes:
    """The mesh in a file, read in a child: bytes of `plough.core.formats.model.pack`.

    Raises:
        FormatError, TooLargeError, ParameterError: as `plough.core.formats.meshes.read_model` does; and when memory or time run out.
    """
    return _apart("mesh", name, data, beside or {}, seconds, memory)


def read_heights_apart(name: str, data: bytes) -> bytes:
    """The height map in a file, read in a child: bytes of `plough.core.formats.heights.pack_heights`.

    Raises:
        FormatError, TooLargeError: as `plough.core.formats.heights.read_heights` does; and when memory or time run out.
    """
    return _apart("heights", name, data, {}, MOST_SECONDS, MOST_MEMORY)


def _apart(
    what: str, name: str, data: bytes, beside: Mapping[str, bytes], seconds: int, memory: int
) -> bytes:
    files = {name: data, **beside}
    head = orjson.dumps({"main": name, "files": [[n, len(d)] for n, d in files.items()]})
    command = [sys.executable, "-m", __name__, str(memory), str(seconds), what]
    # one thread, and no secrets
    quiet = {k: v for k, v in os.environ.items() if not k.startswith("PLOUGH_")}
    quiet |= {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    try:
        done = subprocess.run(
            command,
            input=b"".join([len(head).to_bytes(4, "little"), head, *files.values()]),
            capture_output=True,
            timeout=seconds + 5,
            env=quiet,
            check=False,
        )
    except subprocess.TimeoutExpired:
        raise TooLargeError(what, f"takes more than {seconds} s to read") from None
    if done.returncode == 0:
        return done.stdout
    with contextlib.suppress(orjson.JSONDecodeError, KeyError):
        told = orjson.loads(done.stdout)
        kinds = {"FormatError": FormatError, "TooLargeError": TooLargeError}
        if told["kind"] == "FormatError":
            raise FormatError(told["message"])
        raise kinds.get(told["kind"], ParameterError)(told["field"], told["message"])
    if done.returncode in (-24, -9):  # the limit of processor time
        raise TooLargeError(what, f"takes more than {seconds} s to read")
    raise TooLargeError(what, f"takes more than {memory // 1_000_000:,} MB of memory to read")


def _reader(what: str) -> Callable[[str, bytes, Mapping[str, bytes]], bytes]:
    """Reads files and packs what they hold."""
    if what == "heights":
        from plough.core.formats.heights import pack_heights, read_heights

        return lambda name, data, beside: pack_heights(read_heights(name, data))
    from plough.core.formats.meshes import read_model
    from plough.core.formats.model import pack

    return lambda name, data, beside: pack(read_model(name, data, beside))


def _main() -> int:
    memory, seconds = (int(v) for v in sys.argv[1:3])
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    what = sys.argv[3]
    read = _reader(what)
    given = sys.stdin.buffer
    head = orjson.loads(given.read(int.from_bytes(given.read(4), "little")))
    files = {name: given.read(size) for name, size in head["files"]}
    main = head["main"]
    try:
        packed = read(main, files.pop(main), files)
    except PloughError as error:
        told = {
            "kind": type(error).__name__,
            "message": getattr(error, "message", str(error)),
            "field": getattr(error, "field", what),
        }
        sys.stdout.buffer.write(orjson.dumps(told))
        return 3
    except MemoryError:
        return 4
    except Exception as error:  # whatever the reader did not foresee is the file's
        words = f"the file is damaged ({type(error).__name__})"
        told = {"kind": "FormatError", "message": words, "field": what}
        sys.stdout.buffer.write(orjson.dumps(told))
        return 3
    sys.stdout.buffer.write(packed)
    return 0


if __name__ == "__main__":
    sys.exit(_main())
