"""What our scripts say in another language: made from its catalogue, and looked up by `static/js/words.js`."""

from __future__ import annotations

import hashlib
import json
from functools import cache
from pathlib import Path

from babel.messages.mofile import read_mo

from lumenstat.language.wording import catalogue_file

SCRIPTS = Path(__file__).parent / "static" / "js"


@cache
def script_of(language: str) -> str:
    """What scripts say, by their English template: those texts of the catalogue that a script holds."""
    sources = "".join(path.read_text() for path in sorted(SCRIPTS.glob("*.js")))
    with catalogue_file(language).open("rb") as file:
        catalogue = read_mo(file)
    texts = {}
    for message in catalogue:
        one = message.id[0] if message.pluralizable else message.id
        if one and (json.dumps(one, ensure_ascii=False) in sources or f"'{one}'" in sources):
            texts[one] = message.string
    plural = f"(n) => Number({catalogue.plural_expr})"
    return f"window.lumenstatWords = {{ texts: {json.dumps(texts, ensure_ascii=False)}, plural: {plural} }};\n"


@cache
def mark_of(language: str) -> str:
    """What changes in the script's address when its content does."""
    return hashlib.sha256(script_of(language).encode()).hexdigest()[:10]
