"""Drafts as stored: every revision kept, undo and redo without limit, and nobody's change lost to somebody else's."""

from __future__ import annotations

import json
import secrets
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import NoSuchRecord, Overtaken, RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import store_bundle
from lumenstat.records.people import now
from lumenstat.records.tables import DraftRecord, DraftRevision, Person, StoredProof


class DraftOvertaken(Overtaken):
    """Somebody else changed the draft in the meantime; nothing of either was lost."""

    def __init__(self, by: str, says: str, edition: int) -> None:
        self.by, self.change, self.edition = by, says, edition
        super().__init__(phrase("{by} changed this draft in the meantime: {says}", by=by, says=says))


State = Literal["draft", "proven", "published", "changed since"]


@dataclass(frozen=True)
class KeptDraft:
    """A draft as it stands: its text, its edition, and what undo and redo would do."""

    id: str
    title: str
    content: str
    edition: int
    says: str
    by: str
    undo: str | None
    redo: str | None
    published_digest: str | None


def create_draft(
    session: Session, owner_id: int, by: str, title: str, content: str, says: str, digest: str | None = None
) -> str:
    """A new draft; gives its id. `digest` is that of the exercise it amounts to, where it is one."""
    draft = DraftRecord(id=secrets.token_hex(8), owner_id=owner_id, title=title, revision=0, edition=0, changed=now())
    session.add(draft)
    session.flush()
    session.add(DraftRevision(draft_id=draft.id, number=0, content=content, says=says, by=by, at=now(), digest=digest))
    return draft.id


def find_draft(session: Session, draft_id: str) -> DraftRecord:
    """A draft. Raises RecordError where there is none."""
    draft = session.get(DraftRecord, draft_id)
    if draft is None:
        raise NoSuchRecord(phrase("There is no such draft."))
    return draft


def find_drafts(
    session: Session, words: str = "", owner_id: int | None = None, archived: bool = False, sort: str = "changed"
) -> list[DraftRecord]:
    """Drafts whose title or writer holds all of these words: the one changed last first, or by title or writer."""
    query = select(DraftRecord).join(Person, Person.id == DraftRecord.owner_id)
    query = query.where(DraftRecord.archived if archived else ~DraftRecord.archived)
    if owner_id is not None:
        query = query.where(DraftRecord.owner_id == owner_id)
    for word in words.split():
        query = query.where(
            DraftRecord.title.icontains(word, autoescape=True) | Person.name.icontains(word, autoescape=True)
        )
    by = {"title": (DraftRecord.title,), "writer": (Person.name,)}.get(sort, ())
    return list(session.scalars(query.order_by(*by, DraftRecord.changed.desc(), DraftRecord.id)))


def unpublished_of(session: Session, owner_id: int) -> list[DraftRecord]:
    """Drafts of somebody that are not published as they stand, the one changed last first."""
    standing = states(session)
    return [each for each in find_drafts(session, owner_id=owner_id) if standing.get(each.id) != "published"]


def archive_draft(session: Session, draft_id: str, archived: bool) -> None:
    """Put a draft out of the usual list, or back into it."""
    find_draft(session, draft_id).archived = archived


def states(session: Session) -> dict[str, State]:
    """By draft: whether it is published, proven or neither as it stands."""
    shown = select(DraftRecord, DraftRevision.digest, StoredProof.proof)
    shown = shown.join(
        DraftRevision, (DraftRevision.draft_id == DraftRecord.id) & (DraftRevision.number == DraftRecord.revision)
    )
    shown = shown.outerjoin(StoredProof, StoredProof.digest == DraftRevision.digest)
    return {draft.id: _state(draft, digest, proof) for draft, digest, proof in session.execute(shown)}


def _state(draft: DraftRecord, digest: str | None, proof: str | None) -> State:
    if digest is not None and draft.published_digest == digest:
        return "published"
    proven = proof is not None and json.loads(proof)["ok"] is True
    return "proven" if proven else "changed since" if draft.published_digest else "draft"


def load(session: Session, draft_id: str) -> KeptDraft:
    """The draft as it stands."""
    draft = find_draft(session, draft_id)
    shown = _revision(session, draft_id, draft.revision)
    if shown is None:
        raise RecordError(
            phrase(
                "The draft {title} has lost its revision {revision}; restore a backup.",
                title=repr(draft.title),
                revision=draft.revision,
            )
        )
    # What could be done again is there as long as no other change was made since; its words stand on the button.
    following = _revision(session, draft_id, draft.revision + 1)
    return KeptDraft(
        draft.id,
        draft.title,
        shown.content,
        draft.edition,
        shown.says,
        shown.by,
        shown.says if draft.revision else None,
        following.says if following else None,
        draft.published_digest,
    )


def change(
    session: Session,
    draft_id: str,
    edition: int,
    by: str,
    title: str,
    content: str,
    says: str,
    digest: str | None = None,
) -> None:
    """Keep a change made to the edition that its maker saw. Raises DraftOvertaken where it is not the newest."""
    draft = _at_edition(session, draft_id, edition)
    # A change after an undo makes what was undone unreachable, as in any editor.
    later = delete(DraftRevision).where(DraftRevision.draft_id == draft_id, DraftRevision.number > draft.revision)
    session.execute(later)
    draft.revision += 1
    session.add(
        DraftRevision(
            draft_id=draft_id,
            number=draft.revision,
            content=content,
            # The list of changes shows a line of each; the whole change is in the content.
            says=says[:200],
            by=by,
            at=now(),
            digest=digest,
        )
    )
    draft.title = title
    _turn(draft)


def undo(session: Session, draft_id: str, edition: int) -> None:
    """Go one change back."""
    draft = _at_edition(session, draft_id, edition)
    if draft.revision == 0:
        raise RecordError(phrase("There is nothing to undo."))
    draft.revision -= 1
    _turn(draft)


def redo(session: Session, draft_id: str, edition: int) -> None:
    """Go one change forward again."""
    draft = _at_edition(session, draft_id, edition)
    newest = session.scalar(select(func.max(DraftRevision.number)).where(DraftRevision.draft_id == draft_id))
    if newest is None or draft.revision >= newest:
        raise RecordError(phrase("There is nothing to do again."))
    draft.revision += 1
    _turn(draft)


def publish_draft(session: Session, draft_id: str, edition: int, bundle: Bundle, by_id: int) -> None:
    """Let everybody see what an edition of the draft amounts to. Raises DraftOvertaken where it is not the newest.

    The exercise and the draft's mark are one change: neither is ever there without the other.
    """
    draft = _at_edition(session, draft_id, edition)
    store_bundle(session, bundle, by_id)
    draft.published_digest = bundle.digest


def keep_proof(session: Session, digest: str, proof: str, consequences: str | None = None) -> None:
    """Keep what was proven about an exercise version; consequences may come later."""
    found = session.get(StoredProof, digest)
    if found is None:
        session.add(StoredProof(digest=digest, proof=proof, consequences=consequences, made=now()))
        return
    # Facts and consequences are proven by two jobs, and either may be the first to end.
    found.proof, found.made = proof, now()
    found.consequences = consequences if consequences is not None else found.consequences


def proof_of(session: Session, digest: str) -> StoredProof | None:
    """What was proven about an exercise version."""
    return session.get(StoredProof, digest)


def proven_before(session: Session, draft_id: str, digest: str | None) -> tuple[StoredProof, str] | None:
    """What was proven last of a draft before it became what it is now, and the change after it; none if never."""
    draft = find_draft(session, draft_id)
    query = select(StoredProof, DraftRevision.number).join(DraftRevision, DraftRevision.digest == StoredProof.digest)
    query = query.where(DraftRevision.draft_id == draft_id, DraftRevision.number < draft.revision)
    # An undo can bring back what was proven: that is then the present state and not the one before.
    query = query.where(DraftRevision.digest != (digest or ""))
    found = session.execute(query.order_by(DraftRevision.number.desc()).limit(1)).first()
    if found is None:
        return None
    proof, number = found
    after = _revision(session, draft_id, number + 1)
    return proof, after.says if after else ""


def _revision(session: Session, draft_id: str, number: int) -> DraftRevision | None:
    return session.get(DraftRevision, (draft_id, number))


def _at_edition(session: Session, draft_id: str, edition: int) -> DraftRecord:
    draft = find_draft(session, draft_id)
    if draft.edition != edition:
        # Named, since the two have to talk: "somebody" helps nobody who has just lost a change.
        shown = _revision(session, draft_id, draft.revision)
        raise DraftOvertaken(
            shown.by if shown else phrase("Somebody"), shown.says if shown else phrase("a change"), draft.edition
        )
    return draft


def _turn(draft: DraftRecord) -> None:
    draft.edition += 1
    draft.changed = now()
