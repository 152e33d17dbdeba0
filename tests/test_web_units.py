"""The front end's unit tests, run by Vitest and reported here one by one."""

from __future__ import annotations

import json
import subprocess
from functools import cache
from pathlib import Path
from typing import Any

import pytest

WEB = Path(__file__).resolve().parents[1] / "web"


@cache
def results() -> dict[str, dict[str, Any]]:
    """What Vitest says of every test, by its name."""
    done = subprocess.run(
        ["npx", "vitest", "run", "--reporter=json"],
        cwd=WEB,
        capture_output=True,
        text=True,
        check=False,
    )
    report = json.loads(done.stdout[done.stdout.index("{") :])
    return {
        f"{Path(file['name']).name}: {test['fullName']}": test
        for file in report["testResults"]
        for test in file["assertionResults"]
    }


def files() -> list[str]:
    return sorted(p.name for p in (WEB / "src").rglob("*.test.ts"))


@pytest.mark.parametrize("file", files())
def test_units(file: str) -> None:
    mine = {name: test for name, test in results().items() if name.startswith(f"{file}: ")}
    assert mine, "Vitest ran none of this file's tests"
    failed = {n: t["failureMessages"] for n, t in mine.items() if t["status"] != "passed"}
    assert not failed
