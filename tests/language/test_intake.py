"""Text and figures from outside: what nothing could keep is refused in words, everywhere by the same rule."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenstat.documents.loading import load_text
from lumenstat.documents.runlog import check_args
from lumenstat.errors import InputRefused, LogError
from lumenstat.language.intake import check_text, check_value, read_json


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a\ud800b", "U+D800, line 1"), ("one\ntwo\x00", "U+0000, line 2"), ("\x1b[2J", "U+001B"), ("\uffff", "U+FFFF"),
        ("x" * 1_000_001, "longer than 1,000,000"),
    ],
)  # fmt: skip
def test_text_that_nothing_could_keep_is_refused(text: str, says: str) -> None:
    with pytest.raises(InputRefused) as found:
        check_text(text)
    assert says in str(found.value)


@pytest.mark.parametrize("text", ["", "plain", "tab\tand\nline\r\n", "Böen, 漢字, 𝔘, \u202e", "x" * 1_000_000])
def test_any_writing_passes(text: str) -> None:
    assert check_text(text) == text
    text.encode()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "cannot be read as JSON"), ("[" * 100_000, "nested deeper than 24"), ("9" * 5000, "5,000 digits"),
        ("1e999", "no figure from"), ("NaN", "NaN is no figure"), ("-Infinity", "-Infinity is no figure"),
        ("12345678901234567890", "no figure from"), ('{"a": "\\ud800"}', "belongs to no writing"),
        ('{"\\u0000": 1}', "belongs to no writing"), ("[" * 26 + "]" * 26, "nested deeper than 24"),
    ],
)  # fmt: skip
def test_json_that_cannot_be_used_is_refused(text: str, says: str) -> None:
    with pytest.raises(InputRefused) as found:
        read_json(text)
    assert says in str(found.value)


def test_json_passes_as_it_is() -> None:
    value = {"a": [1, 2.5, -1e15, None, True, "ü"], "b": {"c": []}}
    assert read_json(json.dumps(value)) == value


def test_what_is_no_json_value_is_refused() -> None:
    with pytest.raises(InputRefused, match="written down"):
        check_value({"a": {1, 2}})


@given(st.recursive(st.none() | st.booleans() | st.floats() | st.integers() | st.text(), lambda v: st.lists(v) | st.dictionaries(st.text(), v)))  # fmt: skip
def test_whatever_passes_can_be_written_and_read_back(value: object) -> None:
    try:
        check_value(value)
    except InputRefused:
        return
    assert json.loads(json.dumps(value).encode()) == value


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("format: lumenstat/checklist/1\nid: !!python/object:os.system x\n", 2, "tags like"),
        ("format: lumenstat/checklist/1\nid: !mine x\n", 2, "tags like '!mine'"),
        ("format: lumenstat/checklist/1\n\nid: " + "9" * 5000 + "\n", 3, "no figure|digits|cannot be read"),
        ("format: lumenstat/checklist/1\nid: 1" + "0" * 30 + "\n", 2, "no figure from"),
        ("format: lumenstat/checklist/1\nid: a\ud800\n", 1, "belongs to no writing"),
        ("format: lumenstat/checklist/1\nname: " + "x" * 200_000, 1, "at most 200,000 bytes"),
    ],
)
def test_documents_that_hold_it_name_its_place(text: str, line: int, says: str) -> None:
    import re

    (problem,) = load_text(text, "a.yaml").problems
    assert re.search(says, problem.says), problem.says
    assert problem.line in (line, 1)


@pytest.mark.parametrize("text", ["? {a: [1]}\n: b\n", "? [a, [b]]\n: c\n", "a: {{b: [1]}: c}\n", "? - a\n: b\n"])
def test_keys_that_are_no_names_are_refused_and_crash_nothing(text: str) -> None:
    """Found by the fuzzer: the parser itself fails on a list within a key."""
    (problem,) = load_text(f"format: lumenstat/checklist/1\n{text}", "a.yaml").problems[:1]
    assert problem.says


def test_arguments_of_an_act_are_let_in_by_the_same_rule() -> None:
    with pytest.raises(LogError, match="belongs to no writing"):
        check_args("set", {"control": "a\ud800", "to": "ON"})
    with pytest.raises(LogError, match="no figure"):
        check_args("set", {"control": "a", "to": 10**30})
