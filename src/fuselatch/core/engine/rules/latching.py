"""Set, read and reset latches.

A latch per record, form or session is stored in the session, others in the latch store. Setting happens at once,
so that only one of several sessions is first. If a gesture fails, the latches that it set are reset.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, NamedTuple

from fuselatch.core.engine.state.failure import failure_of, guarded, tell, time_of
from fuselatch.core.engine.state.session_node import SessionNode
from fuselatch.core.engine.state.session_state import LatchPlace, SessionState
from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.latch import Latch
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.errors import NotAllowedHere, describe
from fuselatch.core.model.latch_records import LatchRecord, LatchStore, end_of, is_before, is_over, over_at
from fuselatch.core.model.record_changes import shown_key


class LatchView(NamedTuple):
    """A set latch: its name, key, user, answer, time (ISO 8601), and what resets it, in words."""

    latch: str
    key: str
    user: str
    answer: str
    when: str
    until: str


class LatchUndo(Undoable):
    """A gesture's change of a latch, so that it can be undone."""

    __slots__ = ("before", "by_answer", "done", "place", "record", "session", "store")

    def __init__(
        self,
        session: SessionState,
        place: LatchPlace,
        record: LatchRecord | None,
        before: LatchRecord | None,
        store: LatchStore | None,
    ) -> None:
        self.done = False
        self.by_answer = False
        self.session = session
        self.place = place
        self.record = record
        self.before = before
        self.store = store

    def _restored(self, name: str) -> None:
        try:
            self._let_go()
        except StoreRefused as error:
            # A store that can't be reached must not keep the rest from being undone.
            turn = self.session.turn
            if turn is not None:
                turn.note_form("error", None, f"resetting latch {self.place[0]}", None, describe(error))

    def _let_go(self) -> None:
        session = self.session
        if self.store is not None:
            if self.record is not None:
                self.store.reset(self.record)
            if self.before is not None:
                self.store.set(self.before, None)
        elif self.before is not None:
            session.session_latches[self.place] = self.before
        else:
            session.session_latches.pop(self.place, None)
        session.latches.differs()


class LatchNode(SessionNode):
    """The latches that are set, for rules that read them."""

    __slots__ = ("ends", "seen")

    def __init__(self, session: SessionState) -> None:
        super().__init__(session, "latches")
        # What rules have read, and when each of it expires.
        self.seen: dict[LatchRead, str | None] = {}
        self.ends: dict[LatchRead, datetime] = {}

    def _current(self, prop: Any) -> object:
        session = self.session
        record = found(session, prop.form, prop.latch, prop.name)
        answer = None if record is None else record.answer
        self.ends.pop(prop, None)
        if record is not None:
            end = over_at(prop.latch.every, record.when, time_of(session)) if prop.latch.every is not None else None
            if end is not None:
                self.ends[prop] = end
        if self.seen.get(prop, answer) != answer:
            # Another session has set or reset it since a rule read it.
            self.session.dirty.invalidate(self, prop, session.turn.cause if session.turn is not None else 0)
        self.seen[prop] = answer
        return answer

    def look(self) -> None:
        """Mark the rules whose latches have expired."""
        for prop, end in tuple(self.ends.items()):
            if not is_before(self.session.read_clock(), end):
                del self.ends[prop]
                self.session.dirty.invalidate(self, prop, 0)

    def drop_closed(self) -> None:
        """Forget what closed forms have read."""
        for prop in [prop for prop in self.seen if not prop.form.is_open]:
            self.seen.pop(prop)
            self.ends.pop(prop, None)


class LatchRead(NamedTuple):
    """A latch of a form, as a rule reads it."""

    form: OpenForm
    latch: Latch
    name: str

    def __str__(self) -> str:
        return self.name.rpartition(".")[2]


def is_stored(session: SessionState, latch: Latch, form: OpenForm) -> bool:
    """Return True if a latch outlives the session."""
    if "saved_record" in latch.per and record_key(form) == "":
        # A new record has no key yet: the latch is stored with it.
        return False
    lasting = bool(latch.per & {"user", "saved_record"}) or latch.every is not None
    return lasting and not latch.per & {"form", "session", "record"}


def record_key(form: OpenForm) -> str:
    """Return what tells a form's current record from all others; "" for a new one."""
    records = form._state.records
    return "" if records is None or records.key is None else of_record(records.source, records.key)


def of_record(source: str, key: object) -> str:
    """Return the key of a record's latches in the store."""
    return f"{source}: {shown_key(key)}"


def latch_store_of(session: SessionState, name: str) -> LatchStore:
    """Return the session's latch store."""
    if session.latch_store is None:
        raise NotAllowedHere(f"latch {name} must be stored, but the session has no latch store; open it with latches=…")
    return session.latch_store


def now_of(session: SessionState, latch: Latch) -> datetime | None:
    """Return the time, if the latch or the session needs one."""
    return session.read_clock() if latch.every is not None or session.clock is not None else None


def place_of(session: SessionState, form: OpenForm, latch: Latch, name: str) -> LatchPlace:
    """Return a latch's place in the session for a form."""
    state = form._state
    owned = bool(latch.per & {"form", "record"})
    key = "" if latch.key is None else str(guarded(session, lambda: latch.key(form), latch.key, f"the key of {name}"))  # type: ignore[misc]
    if "saved_record" in latch.per:
        saved = record_key(form)
        if not saved:
            return name, state.serial, state.record, key
        key = f"{saved} / {key}" if key else saved
    return name, state.serial if owned else 0, state.record if "record" in latch.per else 0, key


def user_of(session: SessionState, latch: Latch, name: str) -> str:
    """Return the user that a latch is set for ("" unless it is per user)."""
    if "user" not in latch.per:
        return ""
    user: str = session.options.user
    if not user:
        raise NotAllowedHere(f"latch {name} is per user, but the session has no user; open it with user=…")
    return user


def entry_of(session: SessionState, form: OpenForm, latch: Latch, name: str) -> tuple[LatchPlace, str, LatchRecord | None]:
    """Return a latch's place, user and record, if it has one, expired or not."""
    user = user_of(session, latch, name)
    place = place_of(session, form, latch, name)
    session.known_latches[name] = latch, type(form).__name__
    if is_stored(session, latch, form):
        return place, user, latch_store_of(session, name).find(name, user, place[3])
    return place, user, session.session_latches.get(place)


def is_past(session: SessionState, latch: Latch, record: LatchRecord) -> bool:
    """Return True if a latch has expired."""
    return latch.every is not None and is_over(latch.every, record.when, time_of(session))


def found(session: SessionState, form: OpenForm, latch: Latch, name: str) -> LatchRecord | None:
    """Return a latch's record, if it is set."""
    try:
        record = entry_of(session, form, latch, name)[2]
    except StoreRefused as error:
        raise failure_of(session, error, latch_store_of(session, name).find, f"the latch {name}") from error
    return None if record is None or is_past(session, latch, record) else record


def answer_of(session: SessionState, form: OpenForm, latch: Latch, name: str) -> str | None:
    """Return the answer a latch was set with, or None if it isn't set."""
    record = found(session, form, latch, name)
    return None if record is None else record.answer


def set_latch(turn: Turn, form: OpenForm, latch: Latch, name: str, answer: str, *, by_answer: bool = False) -> bool:
    """Set a latch; return False if it is already set. `by_answer`: by an answer of the user, which stays."""
    session = turn.session
    stored = is_stored(session, latch, form)
    now = now_of(session, latch)
    while True:
        place, user, before = entry_of(session, form, latch, name)
        if before is not None and not is_past(session, latch, before):
            # Perhaps another session has set it, and rules don't know yet.
            session.latches.read(LatchRead(form, latch, name))
            return False
        record = LatchRecord(name, user, place[3], answer, now.isoformat() if now is not None else "")
        if not stored:
            session.session_latches[place] = record
            break
        # The store compares and sets in one statement. If another session was faster, look again.
        if latch_store_of(session, name).set(record, before):
            break
    undo = LatchUndo(session, place, record, before, session.latch_store if stored else None)
    undo.by_answer = by_answer
    turn.set(undo, "done", True)
    turn.note_form("latch", form, name, None, answer)
    tell_latched(turn, form, name, answer)
    session.latches.differs(turn.cause)
    return True


def reset_latch(turn: Turn, form: OpenForm, latch: Latch, name: str) -> None:
    """Reset a latch."""
    session = turn.session
    place, _, before = entry_of(session, form, latch, name)
    if before is None:
        return
    stored = is_stored(session, latch, form)
    if stored:
        latch_store_of(session, name).reset(before)
    else:
        del session.session_latches[place]
    turn.set(LatchUndo(session, place, None, before, session.latch_store if stored else None), "done", True)
    turn.note_form("latch", form, name, before.answer, None)
    tell_latched(turn, form, name, None)
    session.latches.differs(turn.cause)


def waiting(session: SessionState, form: OpenForm) -> tuple[LatchRecord, ...]:
    """Return the latches that were set on a new record, and are stored once it has its key."""
    place = form._state.serial, form._state.record
    return tuple(
        record
        for (name, *where, _), record in session.session_latches.items()
        if tuple(where) == place and "saved_record" in session.known_latches[name][0].per
    )


def store_waiting(turn: Turn, kept: tuple[LatchRecord, ...], source: str, key: object) -> None:
    """Store the latches of a new record, which has its key now."""
    session = turn.session
    for record in kept:
        saved = of_record(source, key)
        stored = record._replace(key=f"{saved} / {record.key}" if record.key else saved)
        latch_store_of(session, record.latch).set(stored, None)
        for place in [place for place, held in session.session_latches.items() if held is record]:
            del session.session_latches[place]
    session.latches.differs(turn.cause)


def move(turn: Turn, source: str, key: object, new_key: object) -> None:
    """Let a record's latches follow its key that was edited, or go with a record that is removed (None)."""
    session = turn.session
    store = session.latch_store
    before = of_record(source, key)
    for record in store.all() if store is not None else ():
        if store is None or not (record.key == before or record.key.startswith(f"{before} / ")):
            continue
        place = record.latch, 0, 0, record.key
        store.reset(record)
        turn.set(LatchUndo(session, place, None, record, store), "done", True)
        if new_key is not None:
            moved = record._replace(key=of_record(source, new_key) + record.key[len(before) :])
            store.set(moved, None)
            turn.set(LatchUndo(session, place, moved, None, store), "done", True)
        session.latches.differs(turn.cause)


def tell_latched(turn: Turn, form: OpenForm, name: str, answer: str | None) -> None:
    """Tell observers that a latch was set or reset."""
    if turn.session.observers:
        tell(turn.session, "latched", form, name, answer)


def forget(turn: Turn, form: OpenForm) -> None:
    """Forget the latches of a record that was left, and of a form that closed."""
    session, state = turn.session, form._state
    closed = state.phase == "closed"
    for place, record in list(session.session_latches.items()):
        if place[1] == state.serial and (closed or place[2] == state.record):
            del session.session_latches[place]
            turn.set(LatchUndo(session, place, None, record, None), "done", True)
            turn.note_form("latch", form, place[0], record.answer, None)
            tell_latched(turn, form, place[0], None)
            session.latches.differs(turn.cause)


def latch_views(session: SessionState) -> tuple[LatchView, ...]:
    """Return the latches that are set in the session, and for its user in the store."""
    views = []
    names = {form._state.serial: type(form).__name__ for form in session.stack.forms}
    for (name, serial, _, key), record in session.session_latches.items():
        latch, form = session.known_latches[name]
        # Several forms may have inherited it.
        form = names.get(serial, form)
        views.append(LatchView(name, key, record.user, record.answer, record.when, until(latch, form, record)))
    for record in session.latch_store.all() if session.latch_store is not None else ():
        if record.user not in ("", session.options.user):
            continue
        known = session.known_latches.get(record.latch)
        if known is None or not is_over(known[0].every, record.when, time_of(session)):
            views.append(
                LatchView(*record[:1], record.key, *record[1:2], *record[3:], until(known and known[0], "", record))
            )
    return tuple(views)


def until(latch: Latch | None, form: str, record: LatchRecord) -> str:
    """Return what resets a latch, in words."""
    if latch is None:
        return "unknown (this session hasn't used it yet)"
    ends = []
    if "record" in latch.per:
        ends.append(f"until {form} leaves this record")
    elif "form" in latch.per:
        ends.append(f"until {form} closes")
    elif "session" in latch.per:
        ends.append("until the session ends")
    if latch.every is not None or not ends:
        ends.append(end_of(latch.every, record.when))
    return ", or ".join(ends)
