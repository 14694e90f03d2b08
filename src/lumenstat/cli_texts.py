"""`lumenstat texts`: what documents say that has no words in a language yet, as it can be pasted into them."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Annotated

import typer

from lumenstat.cli_database import Json, fail
from lumenstat.documents.bundles import Library
from lumenstat.documents.translating import without_words
from lumenstat.errors import DocumentError, InputRefused


def texts(
    language: Annotated[str, typer.Argument(help="A language by its two letters, like de.")],
    files: list[Path],
    as_json: Json = False,
) -> None:
    """List what documents say that has no words in a language yet: lines for their `texts`, to be filled in."""
    if not re.fullmatch("[a-z]{2}", language):
        fail(InputRefused(f"{language!r} is no language; give its two letters, like de"))
    library, found = Library(), {}
    for path in files:
        loaded = library.load(path.resolve())
        if loaded.document is None:
            fail(DocumentError(list(loaded.problems)))
        found[str(path)] = without_words(loaded.document, language)
    if as_json:
        typer.echo(json.dumps({"language": language, "files": found}, ensure_ascii=False))
        return
    for name, left in found.items():
        typer.echo(f"# {name}: {len(left)} without words in {language}")
        if left:
            typer.echo(f"texts:\n  {language}:")
            for text in left:
                typer.echo(f'    {json.dumps(text, ensure_ascii=False)}: ""')
