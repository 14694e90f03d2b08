"""Binds addresses to the routes of the application."""

from __future__ import annotations

from collections import defaultdict

from starlette.routing import BaseRoute, NoMatchFound, Router

_named: dict[str, list[BaseRoute]] = {}


def bind(router: Router) -> None:
    """Build addresses from these routes; said once when the application is put together."""
    named = defaultdict(list)
    for route in router.routes:
        named[str(getattr(route, "name", ""))].append(route)
    _named.clear()
    _named.update(named)


def path(name: str, **parts: str) -> str:
    """The address of a route. The router itself would ask one route after another, for every link of a page."""
    for route in _named.get(name, ()):
        try:
            return str(route.url_path_for(name, **parts))
        except NoMatchFound:
            continue
    raise NoMatchFound(name, parts)
