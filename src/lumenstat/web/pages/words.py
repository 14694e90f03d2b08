"""The texts of our scripts in another language, as a script."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, Response

from lumenstat.language.wording import SOURCE_LANGUAGE, languages, phrase
from lumenstat.web.script_words import script_of

router = APIRouter()
KEPT = {"Cache-Control": "public, max-age=31536000, immutable"}
"""The address changes when the content does."""


@router.get("/words/{language}.js", name="words")
def words(language: str) -> Response:
    """The script of a language."""
    if language == SOURCE_LANGUAGE or language not in languages():
        raise HTTPException(404, phrase("There are no words in {language} here.", language=repr(language)))
    return Response(script_of(language), media_type="text/javascript", headers=KEPT)
