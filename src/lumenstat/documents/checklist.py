"""`lumenstat/checklist/1`: what is to be done, in which order, and why."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lumenstat.language.values import (
    DocumentId,
    ExpressionText,
    Flag,
    Name,
    Number,
    Position,
    Positive,
    Seconds,
    Text,
    Written,
)

Who = Literal["captain", "first-officer", "both", "either"]


class PaperValue(Written):
    """A value that is handed out on paper: `paper: weather.altimeter_setting_hpa`."""

    paper: Text


class Timed(Written):
    """A time counted from when another item was done."""

    item: DocumentId
    seconds: Seconds


class Moment(Written):
    """When a limit belongs: a reading taken at another moment is itself the slip."""

    when: ExpressionText
    says: Text


class Expect(Written):
    """What an instrument should show. `equals` and `paper` are met within the read tolerance."""

    min: Number | None = None
    max: Number | None = None
    equals: Number | None = None
    paper: Text | None = None


class Waiver(Written):
    """A lint rule that this item may break, and why."""

    rule: Text
    reason: Text


class ItemBase(Written):
    """What every kind of item has."""

    id: DocumentId
    challenge: Text
    response: Text
    good: Text | None = None
    who: Who = "either"
    why: Text | None = None
    caution: Text | None = None
    hints: Annotated[tuple[Text, ...], Field(max_length=3)] = ()
    weight: Annotated[Positive, Field(le=100)] = 1.0
    critical: Flag = False
    applies_when: ExpressionText | None = None
    after: tuple[DocumentId, ...] = ()
    not_before: Timed | None = None
    within: Timed | None = None
    floats_until: DocumentId | None = None
    one_of: DocumentId | None = None
    waives: tuple[Waiver, ...] = ()


class ControlItem(ItemBase):
    """An item about one control, or about several as one line and one slip."""

    control: Name | None = None
    controls: tuple[Name, ...] = ()
    to: Position | PaperValue

    @property
    def all_controls(self) -> tuple[str, ...]:
        """The controls of the line, whichever way they were written."""
        return self.controls or ((self.control,) if self.control else ())


class SetItem(ControlItem):
    """Move a control, or several, to a position."""

    kind: Literal["set"]


class VerifyItem(ControlItem):
    """Look at a control and say where it stands."""

    kind: Literal["verify"]


class CheckItem(ItemBase):
    """Read an instrument aloud and judge it."""

    kind: Literal["check"]
    instrument: Name
    expect: Expect
    read_tolerance: Positive
    moment: Moment | None = None
    if_not: Otherwise | None = None


class CycleItem(ItemBase):
    """Move a control through positions, one after another."""

    kind: Literal["cycle"]
    control: Name
    through: Annotated[tuple[Position, ...], Field(min_length=2)]


class SweepItem(ItemBase):
    """Move a control to each end and back to where it stood, with the indication there when it is back."""

    kind: Literal["sweep"]
    control: Name
    watch: ExpressionText | None = None


class WaitItem(ItemBase):
    """Go on only when something is there. `left` names the quantity that tells how many seconds are left."""

    kind: Literal["wait"]
    until: ExpressionText
    left: Text | None = None
    at_most: Seconds | None = None


class HoldItem(ItemBase):
    """Hold a momentary control in for a time while watching; judged when it is let go."""

    kind: Literal["hold"]
    control: Name
    seconds: Seconds
    at_most: Seconds | None = None
    watch: ExpressionText | None = None


class RequestItem(ItemBase):
    """Ask the crew outside for something."""

    kind: Literal["request"]
    service: Name
    action: Name


class Branch(Written):
    """One way on from a decision. Its items count only where it is the right way."""

    id: DocumentId
    when: ExpressionText
    says: Text
    items: tuple[Item, ...] = ()


class Otherwise(Written):
    """What is to be done when a reading is not within limits. Its items count only then."""

    id: DocumentId
    says: Text
    items: tuple[Item, ...] = ()


class DecideItem(ItemBase):
    """Choose a branch; the first whose expression is true is the right one."""

    kind: Literal["decide"]
    branches: Annotated[tuple[Branch, ...], Field(min_length=2)]


class ConfirmItem(ItemBase):
    """State something outside the model."""

    kind: Literal["confirm"]
    statement: Text


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
Branch.model_rebuild()
Otherwise.model_rebuild()
CheckItem.model_rebuild()


class Section(Written):
    """Items that belong together, in strict or in any order."""

    id: DocumentId
    title: Text
    style: Literal["read-and-do", "flow-then-check"] = "read-and-do"
    order: Literal["strict", "any"] = "strict"
    line_after: DocumentId | None = None
    floats_until: DocumentId | None = None
    items: Annotated[tuple[Item, ...], Field(min_length=1)]


class Checklist(Written):
    """A checklist document: one procedure set's version for one airframe."""

    format: Literal["lumenstat/checklist/1"]
    id: DocumentId
    name: Text
    airframe: DocumentId
    procedure_set: Text
    version: Text
    sections: Annotated[tuple[Section, ...], Field(min_length=1)]
