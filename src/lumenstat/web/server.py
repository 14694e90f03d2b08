"""Serves the application; one process owns the live runs of a database, held by a lock."""

from __future__ import annotations

import fcntl
import socket
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from lumenstat.errors import RecordError
from lumenstat.settings import Settings
from lumenstat.web.app import create_app


@contextmanager
def held_lock(database: Path) -> Iterator[None]:
    """Hold the lock beside the database. Raises RecordError where another server has it."""
    database.parent.mkdir(parents=True, exist_ok=True)
    with database.with_suffix(".lock").open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise RecordError(f"Another Lumenstat server is using {database}. Stop it, or give --database.") from None
        yield


def serve(settings: Settings) -> None:
    """Serve until stopped. Raises RecordError where the port or the database is taken."""
    with held_lock(settings.database):
        try:
            listener = socket.create_server((settings.host, settings.port))
        except OSError as error:
            raise RecordError(f"Port {settings.port} on {settings.host} cannot be used: {error.strerror}.") from None
        app = create_app(settings)
        host, port = listener.getsockname()[:2]
        print(f"Lumenstat is ready at http://{host}:{port}/ (training aid only)", flush=True)
        if app.state.first_code:
            print(f"First visit: the code for the first instructor is {app.state.first_code}", flush=True)
        config = uvicorn.Config(app, log_level="warning", ws="websockets-sansio", ws_max_size=65_536)
        uvicorn.Server(config).run(sockets=[listener])
