"""What an airframe document means: every name it uses exists, every expression is one, every bus can be fed."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.translating import check_texts
from lumenstat.errors import Problem
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Source
from lumenstat.systems.registry import check_systems, names_of


def checker_for(airframe: Airframe, source: Source) -> Checker:
    """A checker of a document that is about this airframe."""
    return Checker(source, airframe.quantities, names_of(airframe))


def check_airframe(airframe: Airframe, source: Source) -> list[Problem]:
    """Problems of meaning in an airframe document."""
    checker = checker_for(airframe, source)
    check_systems(airframe, checker)
    for n, limit in enumerate(airframe.limits):
        checker.truth(("limits", n, "when"), limit.when, over_time=True)
        if limit.measures is not None:
            figures = [q.name for q in checker.quantities.values() if q.kind == "number" and not q.nullable]
            # Where a control stands is no figure that passes a limit.
            figures = [name for name in figures if not name.startswith("control.")]
            checker.known(("limits", n, "measures"), "figure", limit.measures, figures)
    check_texts(airframe, checker)
    return checker.problems
