"""The judging process leaves with its server, even when that is killed."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

PROGRAM = """
import multiprocessing, os, sys
from concurrent.futures import ProcessPoolExecutor
from lumenstat.runs.workers import step_back

if __name__ == "__main__":
    pool = ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn"), initializer=step_back)
    print(pool.submit(os.getpid).result(), flush=True)
    sys.stdin.read()
"""


def test_a_killed_server_leaves_no_judge_behind(tmp_path: Path) -> None:
    script = tmp_path / "server.py"
    script.write_text(PROGRAM)
    with subprocess.Popen(
        [sys.executable, str(script)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as server:
        assert server.stdout is not None
        worker = Path(f"/proc/{int(server.stdout.readline())}")
        assert worker.exists()
        server.kill()
        server.wait(timeout=10)
        for _ in range(100):
            if not worker.exists():
                return
            time.sleep(0.1)
    raise AssertionError("the worker outlived its server")
