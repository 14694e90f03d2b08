"""A draft as files: its YAML as written, everything as one JSON, the card as a page to print and as PDF."""

from __future__ import annotations

import io
import zipfile
from typing import ClassVar

from fastapi import APIRouter, Request, Response

from lumenstat.drafting.draft import Draft
from lumenstat.errors import RecordError
from lumenstat.exchange.printed_card import PrintedCard, card_of
from lumenstat.language.wording import phrase
from lumenstat.records.drafts import load
from lumenstat.web.pages.proofs import bundle_of
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import Instructor

router = APIRouter()


@router.get("/drafts/{draft_id}/documents.zip")
def documents(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """The YAML texts, comments and all, as they are written."""
    kept = request.app.state.database.read(lambda session: load(session, draft_id))
    draft, out = Draft.from_json(kept.content), io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("exercise.yaml", draft.exercise)
        for number, text in enumerate(draft.checklists):
            archive.writestr(f"checklist-{number + 1}.yaml", text)
    return _file(out.getvalue(), "application/zip", "documents.zip")


@router.get("/drafts/{draft_id}/{name}.yaml")
def text(request: Request, draft_id: str, viewer: Instructor, name: str) -> Response:
    """One text: `exercise`, `checklist-1` and so on. Raises RecordError where there is none of that name."""
    kept = request.app.state.database.read(lambda session: load(session, draft_id))
    draft = Draft.from_json(kept.content)
    texts = {"exercise": draft.exercise} | {f"checklist-{n + 1}": each for n, each in enumerate(draft.checklists)}
    if name not in texts:
        raise RecordError(
            phrase("The draft has no text {name}; it has {texts}.", name=repr(name), texts=", ".join(texts))
        )
    return _file(texts[name].encode(), "application/yaml; charset=utf-8", f"{name}.yaml")


@router.get("/drafts/{draft_id}/bundle.json")
def as_json(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """The exercise with all that it refers to."""
    return _file(bundle_of(request, draft_id).canonical_json.encode(), "application/json", "bundle.json")


class CardContext(Context):
    """The card of a draft, to be looked at and printed."""

    template: ClassVar[str] = "card.html"
    tab: ClassVar[str] = "drafts"
    draft_id: str
    school: str
    card: PrintedCard


@router.get("/drafts/{draft_id}/card")
def printed_card(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """The card as a page that prints well."""
    school = request.app.state.settings.school
    return page(
        request,
        CardContext(
            draft_id=draft_id, school=school, card=card_of(bundle_of(request, draft_id).told_in(viewer.language))
        ),
    )


@router.get("/drafts/{draft_id}/card.pdf")
def card(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """The card on paper."""
    from lumenstat.exchange.card_pdf import card_pdf  # noqa: PLC0415 - slow to load, only where printed

    content = card_pdf(
        bundle_of(request, draft_id).told_in(viewer.language), request.app.state.settings.school, viewer.language
    )
    return Response(
        content, media_type="application/pdf", headers={"Content-Disposition": 'inline; filename="card.pdf"'}
    )


def _file(content: bytes, media_type: str, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type=media_type, headers=headers)
