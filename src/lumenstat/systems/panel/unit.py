"""The controls of one aircraft, moved by hands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lumenstat.errors import ActionRefused
from lumenstat.language import naming
from lumenstat.language.values import nearest, position_text
from lumenstat.language.wording import phrase
from lumenstat.systems.panel.part import Control, PanelsSection
from lumenstat.systems.unit import Host, Unit


class PanelsUnit(Unit):
    """The controls of one aircraft, moved by hands."""

    VERBS = ("set", "guard", "press", "release", "see", "call")

    def __init__(self, host: Host, number: int, section: PanelsSection, left: Mapping[str, str]) -> None:
        super().__init__(host, number)
        self.controls, self.instruments = section.controls, section.instruments
        for name, control in self.controls.items():
            value = left.get(name, control.usual)
            host.d[host.layout.d[naming.control(name)]] = float(value) if control.kind == "entry" else str(value)

    def act(self, verb: str, args: Mapping[str, Any]) -> bool:
        """Move a control, or look whether what is seen or called is there."""
        match verb:
            case "set":
                return self._set(args["control"], args["to"])
            case "guard":
                return self._move_guard(args["control"], args["open"])
            case "press" | "release":
                return self._press(args["control"], held=verb == "press")
            case "see":
                position_of(self._control(args["control"]), args["position"])
            case _:
                name = args["instrument"]
                if name not in self.instruments:
                    raise ActionRefused(
                        phrase(
                            "there is no instrument {name}{instruments}",
                            name=repr(name),
                            instruments=nearest(name, list(self.instruments)),
                        )
                    )
        return False

    def _control(self, name: str) -> Control:
        if name not in self.controls:
            raise ActionRefused(
                phrase(
                    "there is no control {name}{controls}", name=repr(name), controls=nearest(name, list(self.controls))
                )
            )
        return self.controls[name]

    def _set(self, name: str, to: str | float) -> bool:
        control = self._control(name)
        if control.kind == "momentary":
            raise ActionRefused(phrase("{control} springs back: press it instead", control=control.name))
        position = position_of(control, to)
        if control.kind == "guarded-toggle" and not self.host.d[self.host.layout.d[naming.guard(name)]]:
            raise ActionRefused(phrase("the guard of {control} is shut; lift it first", control=control.name))
        return self._put(naming.control(name), position)

    def _move_guard(self, name: str, is_open: bool) -> bool:
        control = self._control(name)
        if control.kind != "guarded-toggle":
            raise ActionRefused(phrase("{control} has no guard", control=control.name))
        return self._put(naming.guard(name), is_open)

    def _press(self, name: str, held: bool) -> bool:
        control = self._control(name)
        if control.kind != "momentary":
            raise ActionRefused(phrase("{control} stays where it is put: set it instead", control=control.name))
        return self._put(naming.control(name), control.positions[1 if held else 0])

    def _put(self, name: str, value: str | float | bool) -> bool:
        slot = self.host.layout.d[name]
        changes = self.host.d[slot] != value
        if changes:
            self.host.d[slot] = value
        return changes


def position_of(control: Control, to: str | float) -> str | float:
    """The position as the aircraft keeps it, or a refusal that says which there are."""
    if control.kind == "entry":
        try:
            figure = float(to)
        except ValueError:
            raise ActionRefused(
                phrase("{control} takes a figure, not {to}", control=control.name, to=repr(to))
            ) from None
        least, most = control.minimum or 0.0, control.maximum or 0.0
        if not least <= figure <= most:
            unit = f" {control.unit}" if control.unit else ""
            says = phrase(
                "{control} takes {least:g} to {most:g}{unit}", control=control.name, least=least, most=most, unit=unit
            )
            raise ActionRefused(says)
        return figure
    # A page and a log write positions as they like: 8 and "8" are the same detent.
    text = str(position_text(to))
    if text not in control.positions:
        raise ActionRefused(
            phrase(
                "{control} has no position {text}; it has {positions}",
                control=control.name,
                text=repr(text),
                positions=", ".join(control.positions),
            )
        )
    return text
