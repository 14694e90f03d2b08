"""Serves the application; one server owns the live runs of a database, held by a lock on its file."""

from __future__ import annotations

import logging
import socket

import uvicorn

from lumenstat import logs
from lumenstat.errors import StorageError
from lumenstat.records.keeping import take_waiting
from lumenstat.records.opening import held_alone
from lumenstat.runs.flying import serve_without_pauses
from lumenstat.settings import Settings
from lumenstat.web.app import create_app

LARGEST_MESSAGE = 65_536
SECONDS_TO_END = 8
PING_SECONDS, SILENT_SECONDS = 2.0, 6.0
"""A station is asked so often whether it is there; after so long without an answer its link is lost."""

log = logging.getLogger("lumenstat.server")


def serve(settings: Settings) -> None:
    """Serve until stopped. Raises StorageError where the port or the database cannot be used, or storing has ended."""
    logs.set_up(settings.log_json)
    if (aside := take_waiting(settings.database)) is not None:
        print(f"A backup that waited was put in place; what was there is kept as {aside}", flush=True)
    with held_alone(settings.database):
        listener = _listen(settings)
        app = create_app(settings)
        host, port = listener.getsockname()[:2]
        print(f"Lumenstat is ready at http://{host}:{port}/ (training aid only)", flush=True)
        if app.state.first_code:
            print(f"First visit: the code for the first instructor is {app.state.first_code}", flush=True)
        server = uvicorn.Server(_config(app, settings))
        writer = app.state.database.writer

        def end(why: str) -> None:
            log.critical("nothing can be stored any more (%s); the server ends", why)
            server.should_exit = True

        writer.on_failure = end
        serve_without_pauses()
        server.run(sockets=[listener])
        if writer.failed is not None:
            raise StorageError(f"The server has ended, for nothing could be stored any more: {writer.failed}.")


def _listen(settings: Settings) -> socket.socket:
    try:
        listener = socket.create_server((settings.host, settings.port), backlog=1024)
    except OSError as error:
        raise StorageError(f"Port {settings.port} on {settings.host} cannot be used: {error.strerror}.") from None
    # Accepted sockets take this over: small messages go out at once instead of waiting for the last one's receipt.
    listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return listener


def _config(app: object, settings: Settings) -> uvicorn.Config:
    return uvicorn.Config(
        app,  # type: ignore[arg-type]
        log_config=None,
        access_log=False,
        server_header=False,
        date_header=True,
        proxy_headers=bool(settings.trusted_proxies),
        forwarded_allow_ips=list(settings.trusted_proxies),
        ws="websockets-sansio",
        ws_max_size=LARGEST_MESSAGE,
        ws_per_message_deflate=False,
        ws_ping_interval=PING_SECONDS,
        ws_ping_timeout=SILENT_SECONDS,
        timeout_graceful_shutdown=SECONDS_TO_END,
    )
