"""Every kind of item. A new one is a room beside these and a line here."""

from __future__ import annotations

from typing import Annotated, get_args

from pydantic import Field

from lumenstat.items.check import CheckItem, Otherwise
from lumenstat.items.controls import SetItem, VerifyItem
from lumenstat.items.decide import DecideItem, DecisionBranch
from lumenstat.items.hold import HoldItem
from lumenstat.items.item import ItemBase
from lumenstat.items.moving import CycleItem, SweepItem
from lumenstat.items.request import RequestItem
from lumenstat.items.saying import ConfirmItem, WaitItem

Item = Annotated[
    SetItem
    | VerifyItem
    | CycleItem
    | SweepItem
    | CheckItem
    | HoldItem
    | WaitItem
    | RequestItem
    | DecideItem
    | ConfirmItem,
    Field(discriminator="kind"),
]
for _model in (DecisionBranch, DecideItem, Otherwise, CheckItem):
    _model.model_rebuild(_types_namespace={"AnyItem": Item})


def _kind(model: type[ItemBase]) -> str:
    return str(get_args(model.model_fields["kind"].annotation)[0])


KINDS: dict[str, type[ItemBase]] = {_kind(model): model for model in get_args(get_args(Item)[0])}
"""Every kind of item by the name that documents give it."""


def own_keys(kind: str) -> tuple[str, ...]:
    """The keys that only items of a kind have."""
    return tuple(name for name in KINDS[kind].model_fields if name not in ItemBase.model_fields and name != "kind")
