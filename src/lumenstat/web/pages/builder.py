"""The builder: script on the left, what is inspected in the middle, the proof on the right."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle
from lumenstat.drafting.doing import items_of
from lumenstat.drafting.draft import Draft, Read, open_items, read_draft
from lumenstat.drafting.edits import append_section
from lumenstat.drafting.taking_in import title_of
from lumenstat.errors import DocumentError, EditRefused, InputRefused, LumenstatError, RecordError
from lumenstat.language.intake import read_json
from lumenstat.language.wording import joined, phrase
from lumenstat.proving.difference import difference
from lumenstat.proving.proof import Consequence, Proof
from lumenstat.records.drafts import (
    DraftOvertaken,
    KeptDraft,
    change,
    load,
    proof_of,
    proven_before,
    publish_draft,
    redo,
    undo,
)
from lumenstat.records.exercises import keep_version
from lumenstat.records.runs import events_of, find_run, practise_run, practised
from lumenstat.simulation.actions import ready
from lumenstat.simulation.reading import as_shown
from lumenstat.web import urls
from lumenstat.web.drawing.riser import lay_out_both
from lumenstat.web.pages.builder_edits import edit
from lumenstat.web.pages.builder_forms import (
    KIND_WORDS,
)
from lumenstat.web.pages.builder_inspector import Inspected, inspected
from lumenstat.web.pages.builder_proof import ProofView, proof_view
from lumenstat.web.pages.builder_script import ScriptSection, effects_of, sections_of
from lumenstat.web.pages.station import DeckPage, ServiceButton, deck_of, services_of
from lumenstat.web.rendering import Context, json_answer, moment, page, render
from lumenstat.web.security import CheckedForm, Edition, Instructor, Viewer

router = APIRouter()


class FlownDraft(Context):
    """A flight of the draft that items can be made of."""

    id: str
    words: str


class BuilderContext(Context):
    """A draft as it stands."""

    template: ClassVar[str] = "builder.html"
    tab: ClassVar[str] = "drafts"
    draft_id: str
    title: str
    airframe: str
    edition: int
    saved: str
    undo: str | None
    redo: str | None
    published: bool
    sections: tuple[ScriptSection, ...]
    count: int
    selected: str
    inspected: Inspected
    proof: ProofView
    kinds: tuple[tuple[str, str], ...] = tuple(KIND_WORDS.items())
    deck: tuple[DeckPage, ...]
    services: tuple[ServiceButton, ...]
    quantities: tuple[str, ...]
    flights: tuple[FlownDraft, ...]
    due: bool
    """Whether it can be flown and was not wholly proven as it stands: the page then asks for a proof by itself."""


@router.get("/drafts/{draft_id}", name="builder")
def show(request: Request, draft_id: str, viewer: Instructor, item: str = "") -> Response:
    """The builder's page."""
    return page(request, _context(request, draft_id, item, viewer.time_zone))


@router.get("/drafts/{draft_id}/parts", name="builder_parts")
def parts(request: Request, draft_id: str, viewer: Instructor, item: str = "") -> Response:
    """The page's parts as they stand now."""
    return _parts(request, viewer, draft_id, item)


@router.post("/drafts/{draft_id}/edit", name="edit_draft", dependencies=[CheckedForm])
def change_it(
    request: Request,
    draft_id: str,
    viewer: Instructor,
    edition: Edition,
    verb: Annotated[str, Form()],
    args: Annotated[str, Form()] = "{}",
    item: Annotated[str, Form()] = "",
) -> Response:
    """One change. Answers with the parts of the page, or says what is wrong, or who was quicker."""
    database = request.app.state.database
    try:
        if verb in ("undo", "redo"):
            turn = undo if verb == "undo" else redo
            database.write(lambda session: turn(session, draft_id, edition))
            return _parts(request, viewer, draft_id, item)
        kept = database.read(lambda session: load(session, draft_id))
        draft = Draft.from_json(kept.content)
        # Looked at before the edit as well, since an edit of an older edition may not even be possible.
        if kept.edition != edition:
            raise DraftOvertaken(kept.by, kept.says, kept.edition)
        edited = edit(draft, read_draft(draft).airframe, verb, _args(args))
        # Leaving a field without a change is no change: no revision, nothing to undo.
        if edited.draft != draft:
            content, title = edited.draft.to_json(), title_of(edited.draft)
            digest = read_draft(edited.draft).digest
            database.write(
                lambda session: change(
                    session, draft_id, edition, viewer.name, title, content, viewer.says(edited.says), digest
                )
            )
        return _parts(request, viewer, draft_id, edited.selected if edited.selected is not None else item)
    except DraftOvertaken as error:
        # The page shows both: what the other one made of it, and what was about to be done.
        theirs = _parts_content(request, viewer, draft_id, item)
        return json_answer(request, {"says": str(error), "by": error.by, "theirs": theirs}, 409)
    except DocumentError as error:
        return json_answer(
            request,
            {"says": joined("; ", (phrase("line {line}: {says}", line=p.line, says=p.says) for p in error.problems))},
            422,
        )
    except LumenstatError as error:
        return json_answer(request, {"says": str(error)}, 422)


@router.get("/drafts/{draft_id}/start-state")
def start_state(request: Request, draft_id: str, viewer: Instructor, item: str = "") -> Response:
    """How the aircraft stands on the deck that is picked from: after an item as the model flew it, or at the start."""
    at = _standing(request, draft_id)
    read, proof = at.read, at.proven
    flown = next((each for each in proof.items if each.item == item), None) if proof else None
    if flown is not None and read.bundle is not None:
        # Flown once and kept with its snapshots, so that the next item is one look into it.
        moment = request.app.state.replays.perfect_moment(read.bundle, round(flown.ends * 100))
        return json_answer(
            request,
            {"quantities": moment["quantities"], "when": phrase("As the model has it after '{item}'.", item=item)},
        )
    if read.exercise is None or read.airframe is None:
        raise RecordError(phrase("The exercise cannot be read yet; mend what its text says first."))
    aircraft = ready(read.airframe, read.exercise.start, ())
    quantities = as_shown(aircraft.plan, aircraft.state())
    return json_answer(request, {"quantities": quantities, "when": phrase("As the aircraft stands at the start.")})


@router.post("/drafts/{draft_id}/fly", name="fly_draft", dependencies=[CheckedForm])
def fly_it(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """Fly the draft as it stands, to try it or to make its items by doing."""
    database = request.app.state.database
    bundle = _flyable(_standing(request, draft_id))
    run_id = database.write(lambda session: _practise(session, bundle, viewer.id, draft_id))
    return RedirectResponse(urls.station(run_id), 303)


def _practise(session: Any, bundle: Bundle, person_id: int, draft_id: str) -> str:
    keep_version(session, bundle)
    session.flush()
    return practise_run(session, bundle.digest, person_id, draft_id, ENGINE_VERSION)


@router.post("/drafts/{draft_id}/take", dependencies=[CheckedForm])
def take_flight(
    request: Request, draft_id: str, viewer: Instructor, run: Annotated[str, Form()], edition: Edition
) -> Response:
    """Make every act of a flight an item behind those that are there."""
    database = request.app.state.database
    flown = database.read(lambda session: find_run(session, run))
    # Another draft's controls may not be on this airframe.
    if flown.draft_id != draft_id:
        raise RecordError(phrase("That flight is not one of this draft."))
    events = [event for event, _ in database.read(lambda session: events_of(session, run))]
    found = items_of(flown.exercise.bundle, events)
    kept = database.read(lambda session: load(session, draft_id))
    draft = Draft.from_json(kept.content)
    if not found:
        raise RecordError(phrase("Nothing was done in that flight that an item could be made of."))
    draft = append_section(draft, viewer.says(phrase("By doing")), found)
    content, title = draft.to_json(), title_of(draft)
    says = phrase("made {count} items of a flight", count=len(found))
    digest = read_draft(draft).digest
    database.write(
        lambda session: change(session, draft_id, edition, viewer.name, title, content, viewer.says(says), digest)
    )
    return RedirectResponse(urls.builder(draft_id), 303)


@router.post("/drafts/{draft_id}/publish", name="publish_draft", dependencies=[CheckedForm])
def publish(request: Request, draft_id: str, viewer: Instructor, edition: Edition) -> Response:
    """Let trainees see it: only what is proven as it stands. Raises RecordError otherwise.

    Read once, so that what is published is what was proven; stored only if it is still the edition that its writer saw.
    """
    standing = _standing(request, draft_id)
    if standing.kept.edition != edition:
        raise DraftOvertaken(standing.kept.by, standing.kept.says, standing.kept.edition)
    proof, bundle = standing.proven, _flyable(standing)
    if proof is None:
        raise RecordError(phrase("Prove the draft as it stands first; only what the model has flown is published."))
    left = open_items(standing.draft, standing.read)
    # Four names are enough to find the rest by.
    if left:
        names = ", ".join(left[:4])
        raise RecordError(
            phrase(
                "{count} lines of the sheet are still open ({names}); fit them, or leave them to say-so.",
                count=len(left),
                names=names,
            )
        )
    if not proof.ok:
        raise RecordError(phrase("The proof has findings that stop it; mend them and prove it again."))
    # The exercise's first trainee should not wait while the riser is laid out.
    lay_out_both(bundle.airframe)
    database = request.app.state.database
    database.write(lambda session: publish_draft(session, draft_id, edition, bundle, viewer.id))
    return RedirectResponse(urls.brief(bundle.exercise.id), 303)


def _flyable(at: DraftStatus) -> Bundle:
    read = at.read
    if read.bundle is None:
        first = next(problem for problem in read.problems if problem.stops)
        raise RecordError(
            phrase(
                "The draft cannot be flown yet: {text}, line {line}: {first}.",
                text=first.text,
                line=first.line,
                first=first.says,
            )
        )
    return read.bundle


def _args(text: str) -> dict[str, Any]:
    try:
        args = read_json(text)
    except InputRefused as error:
        raise EditRefused(phrase("the change could not be read: {error}", error=error)) from None
    if not isinstance(args, dict):
        raise EditRefused(phrase("the change could not be read; load the page again"))
    return args


@dataclass(frozen=True)
class DraftStatus:
    """The draft, what it amounts to, and what was proven of it. `stale` is the first change since, if one came.

    `before` is what was proven last before it became what it is now, `change` what was changed first after that.
    """

    kept: KeptDraft
    draft: Draft
    read: Read
    proof: Proof | None = None
    consequences: tuple[Consequence, ...] = ()
    stale: str = ""
    before: Proof | None = None
    change: str = ""
    whole: bool = False
    """Whether each item was left out in turn too; a proof that the next change overtook has not come so far."""

    @property
    def whole_as_it_stands(self) -> bool:
        """Whether nothing is left to prove of the draft."""
        return self.whole and self.proven is not None

    @property
    def proven(self) -> Proof | None:
        """The proof of the draft exactly as it stands."""
        return None if self.stale else self.proof


def _standing(request: Request, draft_id: str) -> DraftStatus:
    database = request.app.state.database
    kept: KeptDraft = database.read(lambda session: load(session, draft_id))
    draft = Draft.from_json(kept.content)
    read, stale = read_draft(draft), ""
    stored = database.read(lambda session: proof_of(session, read.digest)) if read.digest else None
    before = database.read(lambda session: proven_before(session, draft_id, read.digest))
    # What was proven before the last change still tells most of what is so: shown as stale, never as proof.
    if stored is None and before is not None:
        (stored, stale), before = before, None
    if stored is None:
        return DraftStatus(kept, draft, read)
    was, change = (Proof.model_validate_json(before[0].proof), before[1]) if before else (None, "")
    rows = json.loads(stored.consequences) if stored.consequences else []
    found = tuple(Consequence.model_validate(row) for row in rows)
    return DraftStatus(
        kept,
        draft,
        read,
        Proof.model_validate_json(stored.proof),
        found,
        stale,
        was,
        change,
        stored.consequences is not None,
    )


def _context(request: Request, draft_id: str, item: str, zone: str) -> BuilderContext:
    at = _standing(request, draft_id)
    desk = request.app.state.proofs
    job = desk.job(at.read.bundle.digest) if at.read.bundle else None
    # It can end while the draft is read: what it found is then looked up once more, or the page would show half of it.
    if job is not None and job.over.is_set() and not at.whole_as_it_stands:
        at = _standing(request, draft_id)
    kept, draft, read = at.kept, at.draft, at.read
    doing = {} if job is None else {"doing": job.doing, "done": job.done, "of": job.of, "failed": job.failed}
    # A job that is over is kept for what it failed of; as long as it says what it does, the page would ask again.
    if job is not None and job.over.is_set():
        doing.pop("doing")
    changes = difference(at.before, at.proof) if at.before and at.proof else ()
    view = proof_view(draft, read, at.proof, at.consequences, doing, at.stale, (at.change, changes))
    grave = {"stops": 0, "warns": 1, "notes": 2}
    worst: dict[str, str] = {}
    # The gravest finding of an item stands at its row; those after it do not take its place.
    for finding in sorted(view.findings, key=lambda each: grave[each.severity]):
        if finding.item:
            worst.setdefault(finding.item, finding.severity)
    sections = sections_of(draft, worst, effects_of(at.consequences))
    rows = [row for section in sections for row in section.rows]
    known = {row.id for row in rows} | {f"section:{s.id}" for s in sections} | {"exercise", "texts"}
    # The selection may be gone: by an undo, or by what somebody else did.
    selected = item if item in known else rows[0].id if rows else "exercise"
    database = request.app.state.database
    flights = database.read(lambda session: practised(session, draft_id))
    airframe = read.airframe
    return BuilderContext(
        draft_id=draft_id,
        title=kept.title,
        airframe=airframe.name if airframe else phrase("no airframe"),
        edition=kept.edition,
        saved=phrase("{says}, by {by}", says=kept.says, by=kept.by),
        undo=kept.undo,
        redo=kept.redo,
        published=kept.published_digest is not None,
        sections=sections,
        count=len(rows),
        selected=selected,
        inspected=inspected(draft, read, selected, sections, view),
        proof=view,
        due=read.bundle is not None and view.state != "under way" and not at.whole_as_it_stands and not view.failed,
        deck=deck_of(airframe) if airframe else (),
        services=tuple(services_of(airframe)) if airframe else (),
        quantities=tuple(airframe.quantities) if airframe else (),
        flights=tuple(
            FlownDraft(id=run.id, words=joined(", ", (run.trainee.name, moment(run.created, zone))))
            for run in flights[:8]
        ),
    )


def _parts(request: Request, viewer: Viewer, draft_id: str, item: str) -> Response:
    return json_answer(request, _parts_content(request, viewer, draft_id, item))


def _parts_content(request: Request, viewer: Viewer, draft_id: str, item: str) -> dict[str, Any]:
    context = _context(request, draft_id, item, viewer.time_zone)
    # The parts in which a change can show; all else of the page stays, and with it what is being typed.
    names = ("script", "inspector", "progress", "proof", "head")
    html = {name: render(request, f"builder_{name}.html", context, viewer, viewer.csrf_token) for name in names}
    return {
        "edition": context.edition,
        "selected": context.selected,
        "busy": context.proof.state == "under way",
        "due": context.due,
        **html,
    }
