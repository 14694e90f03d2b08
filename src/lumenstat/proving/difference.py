"""What a change did to a proof: time, volts, findings that came and went."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.proving.proof import Finding, Proof

SECONDS_THAT_MATTER = 0.5
VOLTS_THAT_MATTER = 0.05


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that is another way than before; `better` is None where it is neither better nor worse."""

    says: str
    better: bool | None


def difference(before: Proof, now: Proof) -> tuple[Difference, ...]:
    """What is another way in the newer proof, the gravest first."""
    return (*_findings(before, now), *_time(before, now), *_volts(before, now))


def _of(proof: Proof) -> dict[tuple[str, str], Finding]:
    return {(each.item, each.kind): each for each in proof.findings}


def _findings(before: Proof, now: Proof) -> Iterator[Difference]:
    had, has = _of(before), _of(now)
    for key in has.keys() - had.keys():
        yield Difference(phrase("New: {finding:bare}.", finding=has[key].says), False)
    for key in had.keys() - has.keys():
        yield Difference(phrase("Gone: {finding:bare}.", finding=had[key].says), True)


def _time(before: Proof, now: Proof) -> Iterator[Difference]:
    seconds = now.ready_at - before.ready_at
    if abs(seconds) >= SECONDS_THAT_MATTER:
        way = phrase("later") if seconds > 0 else phrase("sooner")
        yield Difference(
            phrase(
                "Ready {seconds} {way}, at {ready_at}.",
                seconds=clock(abs(seconds)),
                way=way,
                ready_at=clock(now.ready_at),
            ),
            seconds < 0,
        )


def _volts(before: Proof, now: Proof) -> Iterator[Difference]:
    had = {each.battery: each for each in before.lowest}
    for each in now.lowest:
        if each.battery in had and abs(change := each.volts - had[each.battery].volts) >= VOLTS_THAT_MATTER:
            way = phrase("higher") if change > 0 else phrase("lower")
            says = phrase(
                "{battery} falls to {volts:.1f} V, {change:.1f} V {way}, at {at}.",
                battery=each.battery,
                volts=each.volts,
                change=abs(change),
                way=way,
                at=clock(each.at),
            )
            yield Difference(says, change > 0)
