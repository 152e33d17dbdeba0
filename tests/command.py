"""The command line, run in the test's own process: the first kernels are loaded once for all."""

from __future__ import annotations

import io
import subprocess
import sys
import traceback
from contextlib import redirect_stderr, redirect_stdout
from unittest.mock import patch

from plough.cli import main


def plough(*arguments: str) -> subprocess.CompletedProcess[str]:
    """What a process of its own would answer."""
    out, err, code = io.StringIO(), io.StringIO(), 0
    called = patch.object(sys, "argv", ["plough", *arguments])
    compiled = patch("plough.core.kernels.leave_plain")  # what is imported next is used by others
    with redirect_stdout(out), redirect_stderr(err), called, compiled:
        try:
            main()
        except SystemExit as ended:
            code = ended.code if isinstance(ended.code, int) else int(ended.code is not None)
        except Exception:
            traceback.print_exc()
            code = 1
    return subprocess.CompletedProcess(arguments, code, out.getvalue(), err.getvalue())
