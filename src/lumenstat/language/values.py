"""The small types that every document is written with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Self

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    SerializerFunctionWrapHandler,
    StrictBool,
    StringConstraints,
    WithJsonSchema,
    model_serializer,
)

from lumenstat.language.wording import phrase


@dataclass(frozen=True)
class Since:
    """Marks a field that a later release added. Where it says nothing it is not written out: a digest names documents
    for ever, and what a release adds must not change those that do not use it."""

    release: str


class Written(BaseModel):
    """Base of everything an instructor writes: frozen, and an unknown key is refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some fields changed. What was worked out of the fields is worked out anew of the copy's."""
        copied = super().model_copy(update=update, deep=deep)
        for name in copied.__dict__.keys() - type(self).model_fields.keys():
            del copied.__dict__[name]
        return copied

    @model_serializer(mode="wrap")
    def _written_out(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        content: dict[str, Any] = handler(self)
        for name, usual in _later_fields(type(self)).items():
            if getattr(self, name) == usual:
                content.pop(name, None)
        return content


@cache
def _later_fields(model: type[Written]) -> dict[str, Any]:
    """What later releases added to a model, with what each stands at where it is left out."""
    fields = model.model_fields.items()
    return {name: field.get_default() for name, field in fields if any(isinstance(m, Since) for m in field.metadata)}


def _number(value: Any) -> Any:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError("should be a number")
    return value


def position_text(value: Any) -> Any:
    """A position as text: `15`, `15.0` and `"15"` in a document are the same position."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        return f"{value:g}"
    return value


def clock(seconds: float) -> str:
    """Seconds as minutes and seconds, `12:40`."""
    whole = int(seconds)
    return f"{whole // 60}:{whole % 60:02d}"


def lasting(seconds: float) -> str:
    """How long something took, as people are told it: `3.2 s`, and from a minute on `1:53`."""
    return clock(seconds) if seconds >= 60 else f"{seconds:.1f} s"


Name = Annotated[str, StringConstraints(strict=True, pattern=r"^[a-z][a-z0-9_]*$", max_length=48)]
"""Names a part of an airframe; it becomes one step of a dotted quantity name."""

DocumentId = Annotated[str, StringConstraints(strict=True, pattern=r"^[a-z0-9][a-z0-9_-]*$", max_length=64)]


def _as_text(value: object) -> object:
    return str(value) if isinstance(value, int) and not isinstance(value, bool) else value


PartNumber = Annotated[
    str,
    BeforeValidator(_as_text),
    StringConstraints(strict=True, pattern=r"^[a-z0-9][a-z0-9_]*$", max_length=48),
    WithJsonSchema({"type": ["string", "integer"]}),
]
"""Names an engine or an inertial unit: often a plain number, as in `engine.1.core_speed`."""

Text = Annotated[str, StringConstraints(strict=True, strip_whitespace=True, min_length=1, max_length=2000)]
ExpressionText = Annotated[str, StringConstraints(strict=True, strip_whitespace=True, min_length=1, max_length=2000)]
Flag = StrictBool
Number = Annotated[float, BeforeValidator(_number), Field(allow_inf_nan=False), WithJsonSchema({"type": "number"})]
Positive = Annotated[Number, Field(gt=0)]
NotNegative = Annotated[Number, Field(ge=0)]
Fraction = Annotated[Number, Field(ge=0, le=1)]
Seconds = Annotated[Number, Field(ge=0, le=86_400)]
Position = Annotated[
    str,
    BeforeValidator(position_text),
    StringConstraints(strict=True, min_length=1, max_length=24),
    WithJsonSchema({"type": ["string", "number"]}),
]


class Band(Written):
    """Two figures that bound what is permitted, both included."""

    min: Number
    max: Number


class Part(Written):
    """Base of everything on an airframe that has an id and a name."""

    id: Name
    name: Text


ALIKE_IN_PART, ALIKE_WHOLE = 0.6, 0.85
"""From how alike a name may be what was meant: in each of its parts, or as a whole."""


def nearest(word: str, known: list[str]) -> str:
    """`; did you mean 'x'?` for the closest known word, or a short list of what there is."""
    import difflib  # noqa: PLC0415 - only when something is wrong

    def alike(one: str, other: str) -> float:
        return difflib.SequenceMatcher(None, one, other).ratio()

    def meant(name: str) -> bool:
        """Alike part by part: the same figure of another battery is not what was meant."""
        parts = word.split("."), name.split(".")
        if len(parts[0]) != len(parts[1]):
            return alike(word, name) >= ALIKE_WHOLE
        return all(alike(one, other) >= ALIKE_IN_PART for one, other in zip(*parts, strict=True))

    # The likeliest first that also passes part by part.
    close = next((name for name in difflib.get_close_matches(word, known, n=3, cutoff=0.6) if meant(name)), None)
    if close is not None:
        return phrase("; did you mean {close}?", close=repr(close))
    shown = ", ".join(sorted(known)[:8])
    return phrase("; there is {shown}{known}", shown=shown, known=", …" if len(known) > 8 else "") if known else ""
