"""`make demo` on a free port comes up to the sign-in page and stops when told to."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_make_demo_serves_the_sign_in_page(tmp_path: Path) -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    venv = Path(sys.prefix)
    command = ["make", "demo", f"VENV={venv}", f"PORT={port}", f"DATABASE={tmp_path}/demo.sqlite"]
    with subprocess.Popen(command, cwd=ROOT, start_new_session=True, stdout=subprocess.DEVNULL) as process:
        try:
            for _ in range(240):
                try:
                    with urllib.request.urlopen(f"http://127.0.0.1:{port}/sign-in", timeout=2) as answer:
                        page = answer.read().decode()
                    break
                except OSError:
                    time.sleep(0.25)
            else:
                raise AssertionError("the demo did not come up within a minute")
            assert "Hollin Bay Flight Academy" in page
        finally:
            os.killpg(process.pid, signal.SIGTERM)
            process.wait(timeout=20)
