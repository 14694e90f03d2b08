"""What is wrong with a field is said in our words, with the limit that stands in the model."""

from __future__ import annotations

from typing import Any, Literal

import pytest
from pydantic import BaseModel, Field, ValidationError

from lumenstat.language.field_words import field_words
from lumenstat.language.wording import catalogue_of, told


class Form(BaseModel):
    """A form with a field of each kind."""

    whole: int = Field(3, ge=1, le=10)
    figure: float = Field(0.5, gt=0, lt=1, allow_inf_nan=False)
    text: str = Field("ab", min_length=2, max_length=4)
    choice: Literal["yes", "no"] = "yes"
    sure: bool = True


@pytest.mark.parametrize(
    ("field", "typed", "english", "german"),
    [
        ("whole", "seven", "a whole number is needed", "eine ganze Zahl ist nötig"),
        ("whole", 1.5, "a whole number is needed", "eine ganze Zahl ist nötig"),
        ("whole", 0, "at least 1 is needed", "mindestens 1 ist nötig"),
        ("whole", 11, "at most 10 is allowed", "höchstens 10 ist erlaubt"),
        ("figure", "half", "a figure is needed", "eine Zahl ist nötig"),
        ("figure", "nan", "a figure is needed", "eine Zahl ist nötig"),
        ("figure", 0, "more than 0.0 is needed", "mehr als 0.0 ist nötig"),
        ("figure", 1, "less than 1.0 is needed", "weniger als 1.0 ist nötig"),
        ("text", "a", "at least 2 characters are needed", "mindestens 2 Zeichen sind nötig"),
        ("text", "abcde", "at most 4 characters are allowed", "höchstens 4 Zeichen sind erlaubt"),
        ("choice", "maybe", "it is one of 'yes', 'no'", "möglich ist 'yes', 'no'"),
        ("sure", "perhaps", "it is true or false", "möglich ist true oder false"),
    ],
)
def test_each_wrong_field_is_told_in_our_words(field: str, typed: Any, english: str, german: str) -> None:
    with pytest.raises(ValidationError) as refused:
        Form.model_validate({field: typed})
    words = field_words(refused.value.errors()[0])
    assert (words, told(words, catalogue_of("de"))) == (english, german)


def test_what_has_no_words_here_is_told_as_the_library_says_it() -> None:
    assert field_words({"type": "made_up", "msg": "Input is odd"}) == "Input is odd"
