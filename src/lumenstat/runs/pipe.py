"""Messages between two processes of ours: JSON, each behind its length, over a pair of connected sockets."""

from __future__ import annotations

import asyncio
import contextlib
import json
import socket
import struct
from collections.abc import AsyncIterator
from typing import Any

HEAD = struct.Struct(">I")


class Pipe:
    """One end."""

    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._reader, self._writer = reader, writer

    @staticmethod
    async def over(connected: socket.socket) -> Pipe:
        """The end that this socket is."""
        return Pipe(*await asyncio.open_unix_connection(sock=connected))

    def send(self, message: dict[str, Any]) -> None:
        """Send a message; one to an end that has gone is lost."""
        if not self._writer.is_closing():
            content = json.dumps(message, separators=(",", ":"), ensure_ascii=False).encode()
            self._writer.write(HEAD.pack(len(content)) + content)

    async def messages(self) -> AsyncIterator[dict[str, Any]]:
        """What comes from the other end, until it closes."""
        try:
            while True:
                (size,) = HEAD.unpack(await self._reader.readexactly(HEAD.size))
                yield json.loads(await self._reader.readexactly(size))
        except (asyncio.IncompleteReadError, ConnectionError):
            return

    def close(self) -> None:
        """Close this end."""
        self._writer.close()

    async def closed(self) -> None:
        """Close this end, and wait until it is."""
        self._writer.close()
        with contextlib.suppress(OSError):
            await self._writer.wait_closed()
