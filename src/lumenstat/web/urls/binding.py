"""Binds addresses to the routes of the application."""

from __future__ import annotations

from starlette.routing import Router

_routes: list[Router] = []


def bind(routes: Router) -> None:
    """Build addresses from these routes; said once when the application is put together."""
    _routes[:] = [routes]


def path(name: str, **parts: str) -> str:
    """The address of a route."""
    return str(_routes[0].url_path_for(name, **parts))
