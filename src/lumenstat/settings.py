"""Where Lumenstat keeps its things and how it serves; every setting can be given on the command line."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Settings:
    """How one server process runs."""

    database: Path
    host: str = "127.0.0.1"
    port: int = 8500
    demo: bool = False
    school: str = ""
    session_hours: float = 12.0
    secure_cookies: bool = False
