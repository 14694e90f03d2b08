"""Run logs: written, read back, and refused by line."""

from __future__ import annotations

import pytest

from lumenstat.documents.runlog import RunLog, parse_log
from lumenstat.errors import LogError

HEADER = '{"format":"lumenstat/run/1","exercise":"x","digest":"d","engine":"e"}\n'


def test_a_log_reads_back_as_it_was(perfect_log: RunLog) -> None:
    assert parse_log(perfect_log.text()) == perfect_log


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("", 1, "is empty"),
        ('{"format":"other/1"}\n', 1, "the first line is a header"),
        (HEADER.replace('"digest":"d",', ""), 1, "needs 'digest'"),
        (
            HEADER + '{"t":2,"by":"trainee","finish":{}}\n{"t":1,"by":"trainee","finish":{}}\n',
            3,
            "goes back in time",
        ),
        (HEADER + '{"t":1,"by":"trainee","set":{"control":"a","to"', 2, "cut off"),
        (HEADER + '{"t":1,"by":"pilot","finish":{}}\n', 2, "`by` is one of"),
        (HEADER + '{"t":-1,"by":"trainee","finish":{}}\n', 2, "`t` is a number"),
        (HEADER + '{"t":1,"by":"trainee","jump":{}}\n', 2, "no event 'jump'"),
        (HEADER + '{"t":1,"by":"trainee","set":{"control":"a"}}\n', 2, "set.to"),
        (HEADER + '{"t":1,"by":"trainee","set":{"control":"a","to":"b","x":1}}\n', 2, "set.x"),
        (HEADER + '{"t":1,"by":"trainee","set":{},"see":{}}\n', 2, "one verb"),
        (HEADER + '{"t":NaN,"by":"trainee","finish":{}}\n', 2, "NaN is no figure"),
        (HEADER + '{"t":' + "9" * 5000 + ',"by":"trainee","finish":{}}\n', 2, "5,000 digits"),
        (HEADER + '{"t":1,"by":"trainee","note":{"text":"\\ud800"}}\n', 2, "belongs to no writing"),
    ],
)
def test_what_is_wrong_is_named_by_its_line(text: str, line: int, says: str) -> None:
    with pytest.raises(LogError, match=says) as caught:
        parse_log(text)
    assert caught.value.line == line


@pytest.mark.parametrize(
    ("events", "says"), [(5_001, "at most 5,000 are read"), (100_000, "at most 2,000,000 are read")]
)
def test_a_log_that_no_hand_makes_is_refused(events: int, says: str) -> None:
    with pytest.raises(LogError, match=says):
        parse_log(HEADER + '{"t":1,"by":"trainee","note":{"text":"x"}}\n' * events)
