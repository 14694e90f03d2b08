"""Where Lumenstat keeps its things and how it serves. Every setting can be given on the command line or, as
`LUMENSTAT_` and its name, in the environment."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path


@dataclass(frozen=True)
class Settings:
    """How one server runs.

    `demo_life` gives the demo school its past and a class in the air.

    `tls` says that people reach it by https, through a proxy; then cookies are sent by no other way. Forwarded
    addresses are believed only of `trusted_proxies`. A sign-in ends after `session_hours`, or `idle_minutes` in which
    nothing was done with it. `grades` is the school's own scale, the best first. Statements of signed records go to
    `record_store`, where one is named; `home_address` is what its accounts stand under.
    """

    database: Path
    host: str = "127.0.0.1"
    port: int = 8500
    demo: bool = False
    demo_life: bool = False
    school: str = ""
    session_hours: float = 12.0
    idle_minutes: float = 30.0
    tls: bool = False
    trusted_proxies: tuple[str, ...] = ()
    workers: int = 1
    log_json: bool = False
    record_store: str = ""
    record_store_key: str = ""
    home_address: str = ""
    grades: tuple[str, ...] = ("Well done", "Good", "Sufficient", "Not yet")

    @property
    def idle(self) -> timedelta:
        """After how long without use a sign-in ends."""
        return timedelta(minutes=self.idle_minutes)
