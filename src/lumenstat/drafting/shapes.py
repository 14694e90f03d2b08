"""Where lists and mappings stand in a draft's texts. The builder can show and change only what has this shape.

Whether it means something is another matter, which the documents' own check says beside the draft.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from lumenstat.language.sources import Path_
from lumenstat.systems.registry import mappings_of_start

Shape = Mapping[str, Any] | list[Any] | tuple[()]
"""A mapping of names to the shapes of what stands there (`*` for every name), a list of one shape, or () for a list of
plain values."""

_PART: Shape = {}
_ROWS: Shape = [_PART]
_ITEM: dict[str, Any] = {
    **dict.fromkeys(("expect", "moment", "not_before", "within", "of_branch"), _PART),
    **dict.fromkeys(("hints", "after", "controls", "through"), ()),
    "waives": _ROWS,
}
_WAY: dict[str, Any] = {"items": [_ITEM]}
_ITEM |= {"branches": [_WAY], "if_not": _WAY}
SHAPE: Shape = {
    "sections": [{"items": [_ITEM]}],
    "checklists": (),
    **dict.fromkeys(("faults", "bands"), _ROWS),
    "papers": [{"lines": _ROWS}],
    "start": {
        **dict.fromkeys(mappings_of_start(), _PART),
        "carts": {"*": _ROWS},
        "before": [{"set": _PART, "request": ()}],
        "out_of_service": _ROWS,
    },
}


def misshapen(value: Any, shape: Shape = SHAPE, path: Path_ = ()) -> Iterator[tuple[Path_, str]]:
    """Where a text has another shape, with what would be right there."""
    if isinstance(shape, Mapping):
        if not isinstance(value, Mapping):
            yield path, "is a mapping, with a name and a value on each line"
            return
        for name, part in value.items():
            inside = shape.get(name, shape.get("*"))
            if inside is not None and (part is not None or isinstance(inside, list)):
                yield from misshapen(part, inside, (*path, name))
    elif not isinstance(value, list):
        yield path, "is a list, with a hyphen before each entry"
    else:
        for number, part in enumerate(value):
            if shape:
                yield from misshapen(part, shape[0], (*path, number))
            elif isinstance(part, Mapping | list):
                yield (*path, number), "is one plain value"
