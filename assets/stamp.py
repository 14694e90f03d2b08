"""Notes which sources the committed build was made from, so that a test can tell when it is out of date."""

from __future__ import annotations

import hashlib
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
WEB = ROOT / "src" / "lumenstat" / "web"
STAMP = WEB / "static" / "dist" / "stamp.txt"


def digest_of_sources() -> str:
    """One digest of everything that decides what the build looks like, and of the build itself."""
    files = [ROOT / "assets" / name for name in ("lumenstat.css", "package-lock.json", "build.sh")]
    files += sorted((WEB / "templates").rglob("*.html")) + sorted((WEB / "static" / "js").glob("*.js"))
    files += sorted(path for path in STAMP.parent.glob("*") if path != STAMP)
    whole = hashlib.sha256()
    for path in files:
        whole.update(path.relative_to(ROOT).as_posix().encode() + b"\0" + path.read_bytes())
    return whole.hexdigest()


if __name__ == "__main__":
    STAMP.write_text(digest_of_sources() + "\n")
    sys.stdout.write("stamped\n")
