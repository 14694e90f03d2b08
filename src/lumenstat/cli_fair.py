"""The command that asks whether the judge is fair to an exercise."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import typer

from lumenstat.cli_database import Json, fail
from lumenstat.cli_documents import read_bundle
from lumenstat.errors import LumenstatError


def fair(exercise: Path, as_json: Json = False) -> None:
    """Fly and judge every plausible flight: what the judge says, and where it is not what is due to the change."""
    from lumenstat.fairness.fair import fair as fly_all  # noqa: PLC0415 - only where it is flown
    from lumenstat.fairness.fairness_lines import fairness_json, fairness_lines  # noqa: PLC0415

    try:
        found = fly_all(read_bundle(exercise), progress=_tell_progress)
    except LumenstatError as error:
        fail(error)
    if as_json:
        typer.echo(json.dumps(fairness_json(found), ensure_ascii=False))
    else:
        typer.echo("\n".join(fairness_lines(found)))
    if found.findings:
        raise typer.Exit(1)


def _tell_progress(done: int, of: int) -> bool:
    """How far it is, where somebody looks on; never to stop."""
    if sys.stderr.isatty():
        typer.echo(f"\r{done} of {of} flights judged", nl=done >= of, err=True)
    return True
