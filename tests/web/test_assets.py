"""The committed style sheet and scripts: current, local and licensed."""

from __future__ import annotations

import runpy
import shutil
import subprocess
from pathlib import Path

import pytest

from lumenstat.web.rendering import STATIC

ROOT = Path(__file__).parents[2]


def test_the_committed_build_was_made_from_these_sources() -> None:
    """Run `make assets` where this fails: a template, a script or the style sheet changed after the build."""
    stamp = runpy.run_path(str(ROOT / "assets" / "stamp.py"))
    assert (STATIC / "dist" / "stamp.txt").read_text().strip() == stamp["digest_of_sources"]()


@pytest.mark.skipif(shutil.which("npm") is None, reason="the build needs Node; the stamp is checked without it")
def test_building_again_gives_the_same_bytes(tmp_path: Path) -> None:
    copy = tmp_path / "project"
    for part in ("assets", "src/lumenstat/web/templates", "src/lumenstat/web/static/js"):
        shutil.copytree(ROOT / part, copy / part, ignore=shutil.ignore_patterns("node_modules"))
    subprocess.run([str(copy / "assets" / "build.sh")], check=True, capture_output=True, timeout=240)
    built = copy / "src/lumenstat/web/static/dist"
    for path in sorted(built.iterdir()):
        assert path.read_bytes() == (STATIC / "dist" / path.name).read_bytes(), path.name


def test_nothing_is_fetched_from_elsewhere() -> None:
    for path in [
        *STATIC.rglob("*.css"),
        *(STATIC / "js").glob("*.js"),
        *(ROOT / "src/lumenstat/web/templates").rglob("*.html"),
    ]:
        text = path.read_text().replace("http://www.w3.org/2000/svg", "")
        assert "http://" not in text, path.name
        assert "https://" not in text.replace("tailwindcss v4.3.5 | MIT License | https://tailwindcss.com", ""), (
            path.name
        )


def test_licences_come_along() -> None:
    assert "SIL Open Font License" in (STATIC / "fonts" / "LICENSE.txt").read_text()
    assert "MIT" in (STATIC / "dist" / "LICENSES.txt").read_text()
