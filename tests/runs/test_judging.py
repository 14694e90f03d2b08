"""The judging process leaves with its server, even when that is killed."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

PROGRAM = """
import os, sys
from concurrent.futures import ProcessPoolExecutor
from lumenstat.processes import FORKED
from lumenstat.runs.workers import step_back

if __name__ == "__main__":
    pool = ProcessPoolExecutor(1, mp_context=FORKED, initializer=step_back)
    print(pool.submit(os.getpid).result(), pool.submit(os.getppid).result(), flush=True)
    sys.stdin.read()
"""


def test_a_killed_server_leaves_no_judge_behind(tmp_path: Path) -> None:
    """Neither the process that judges nor the one it was forked from."""
    script = tmp_path / "server.py"
    script.write_text(PROGRAM)
    with subprocess.Popen(
        [sys.executable, str(script)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as server:
        assert server.stdout is not None
        left = [Path(f"/proc/{pid}") for pid in server.stdout.readline().split()]
        assert len(left) == 2 and all(each.exists() for each in left) and left[1].name != str(server.pid)
        server.kill()
        server.wait(timeout=10)
        for _ in range(100):
            if not any(each.exists() for each in left):
                return
            time.sleep(0.1)
    raise AssertionError("something outlived its server")
