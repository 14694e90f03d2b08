"""The files that ship with the application: kept by browsers for a year where the address names their content."""

from __future__ import annotations

from fastapi.responses import Response
from fastapi.staticfiles import StaticFiles
from starlette.types import Scope

FOR_A_YEAR = "public, max-age=31536000, immutable"


class ShippedFiles(StaticFiles):
    """Static files; one asked for with its mark (`?v=`) never changes under that address."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        """The file, with how long it may be kept."""
        response = await super().get_response(path, scope)
        marked = scope["query_string"].startswith(b"v=")
        if response.status_code == 200:
            response.headers["Cache-Control"] = FOR_A_YEAR if marked else "no-cache"
        return response
