"""What every server works out when it starts, worked out once in the process that all of them are forked from."""

from __future__ import annotations

from collections.abc import Iterator

from lumenstat.documents.bundles import bundle_for
from lumenstat.language.wording import languages
from lumenstat.simulation.actions import ready
from lumenstat.web import app
from lumenstat.web.drawing.riser import lay_out_both
from lumenstat.web.rendering import Context, environment_of
from tests.procedures import every_shipped


def _contexts(kind: type[Context] = Context) -> Iterator[type[Context]]:
    for each in kind.__subclasses__():
        yield each
        yield from _contexts(each)


assert app.PAGES, "the pages bring the contexts along"
for each in _contexts():
    each.model_rebuild()
for language in languages():
    environment = environment_of(language)
    for name in environment.list_templates():
        environment.get_template(name)
for shipped in every_shipped():
    bundle = bundle_for(shipped.digest, shipped.canonical_json)
    ready(bundle.airframe, bundle.exercise.start)
    lay_out_both(bundle.airframe)
