"""Set, read and reset latches.

A latch per record, form or session is stored in the session, others in the latch store. Setting happens at once,
so that only one of several sessions is first. If a gesture fails, the latches that it set are reset.
"""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any, NamedTuple

from fuselatch.core.engine.nodes import EngineNode
from fuselatch.core.engine.store import StoreRefused
from fuselatch.core.forms.latches import Latch
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.errors import NotAllowedHere, describe
from fuselatch.core.model.latch_records import LatchRecord, LatchStore, end_of, is_over

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form

Place = tuple[str, int, int, str]
"""A latch's place in the session: its name, the form's number, the record's number (0: any) and the key."""


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

    __slots__ = ("before", "done", "engine", "place", "store", "taken")

    def __init__(
        self, engine: Engine, place: Place, taken: LatchRecord | None, before: LatchRecord | None, store: LatchStore | None
    ) -> None:
        self.done = False
        self.engine = engine
        self.place = place
        self.taken = taken
        self.before = before
        self.store = store

    def _restored(self, name: str) -> None:
        try:
            self._let_go()
        except StoreRefused as error:
            # A store that can't be reached must not keep the rest from being undone.
            turn = self.engine.turn
            if turn is not None:
                turn.note_form("error", None, f"resetting latch {self.place[0]}", None, describe(error))

    def _let_go(self) -> None:
        engine = self.engine
        if self.store is not None:
            if self.taken is not None:
                self.store.reset(self.taken)
            if self.before is not None:
                self.store.set(self.before, None)
        elif self.before is not None:
            engine.held[self.place] = self.before
        else:
            engine.held.pop(self.place, None)
        engine.latch_node.differs()


class LatchNode(EngineNode):
    """The latches that are set, for rules that read them."""

    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        form, latch, name = prop
        return answer_of(self.engine, form, latch, name)


def is_stored(engine: Engine, latch: Latch, form: Form) -> bool:
    """Return True if a latch outlives the session."""
    lasting = "user" in latch.per or latch.every is not None
    return lasting and not latch.per & {"form", "session", "record"}


def store_of(engine: Engine, name: str) -> LatchStore:
    """Return the session's latch store."""
    if engine.latch_store is None:
        raise NotAllowedHere(f"latch {name} must be stored, but the session has no latch store; open it with latches=…")
    return engine.latch_store


def now_of(engine: Engine, latch: Latch) -> datetime | None:
    """Return the time, if the latch or the session needs one."""
    return engine.read_clock() if latch.every is not None or engine.clock is not None else None


def place_of(engine: Engine, form: Form, latch: Latch, name: str) -> Place:
    """Return a latch's place in the session for a form."""
    state = form._state
    owned = bool(latch.per & {"form", "record"})
    key = "" if latch.key is None else str(engine.guarded(lambda: latch.key(form), latch.key, f"the key of {name}"))  # type: ignore[misc]
    return name, state.serial if owned else 0, state.record if "record" in latch.per else 0, key


def user_of(engine: Engine, latch: Latch, name: str) -> str:
    """Return the user that a latch is set for ("" unless it is per user)."""
    if "user" not in latch.per:
        return ""
    user: str = engine.session.user
    if not user:
        raise NotAllowedHere(f"latch {name} is per user, but the session has no user; open it with user=…")
    return user


def entry_of(engine: Engine, form: Form, latch: Latch, name: str) -> tuple[Place, str, LatchRecord | None]:
    """Return a latch's place, user and record, if it has one, expired or not."""
    user = user_of(engine, latch, name)
    place = place_of(engine, form, latch, name)
    engine.known_latches[name] = latch, type(form).__name__
    if is_stored(engine, latch, form):
        return place, user, store_of(engine, name).find(name, user, place[3])
    return place, user, engine.held.get(place)


def is_past(engine: Engine, latch: Latch, taken: LatchRecord) -> bool:
    """Return True if a latch has expired."""
    return latch.every is not None and is_over(latch.every, taken.when, engine.read_clock())


def found(engine: Engine, form: Form, latch: Latch, name: str) -> LatchRecord | None:
    """Return a latch's record, if it is set."""
    try:
        taken = entry_of(engine, form, latch, name)[2]
    except StoreRefused as error:
        raise engine.failed(error, store_of(engine, name).find, f"the latch {name}") from error
    return None if taken is None or is_past(engine, latch, taken) else taken


def answer_of(engine: Engine, form: Form, latch: Latch, name: str) -> str | None:
    """Return the answer a latch was set with, or None if it isn't set."""
    taken = found(engine, form, latch, name)
    return None if taken is None else taken.answer


def set_latch(turn: Turn, form: Form, latch: Latch, name: str, answer: str) -> bool:
    """Set a latch; return False if it is already set."""
    engine = turn.engine
    stored = is_stored(engine, latch, form)
    now = now_of(engine, latch)
    while True:
        place, user, before = entry_of(engine, form, latch, name)
        if before is not None and not is_past(engine, latch, before):
            return False
        taken = LatchRecord(name, user, place[3], answer, now.isoformat() if now is not None else "")
        if not stored:
            engine.held[place] = taken
            break
        # The store compares and sets in one statement. If another session was faster, look again.
        if store_of(engine, name).set(taken, before):
            break
    turn.set(LatchUndo(engine, place, taken, before, engine.latch_store if stored else None), "done", True)
    turn.note_form("latch", form, name, None, answer)
    engine.latch_node.differs(turn.cause)
    return True


def reset_latch(turn: Turn, form: Form, latch: Latch, name: str) -> None:
    """Reset a latch."""
    engine = turn.engine
    place, _, before = entry_of(engine, form, latch, name)
    if before is None:
        return
    stored = is_stored(engine, latch, form)
    if stored:
        store_of(engine, name).reset(before)
    else:
        del engine.held[place]
    turn.set(LatchUndo(engine, place, None, before, engine.latch_store if stored else None), "done", True)
    turn.note_form("latch", form, name, before.answer, None)
    engine.latch_node.differs(turn.cause)


def forget(turn: Turn, form: Form) -> None:
    """Forget the latches of a record that was left, and of a form that closed."""
    engine, state = turn.engine, form._state
    closed = state.phase == "closed"
    for place, taken in list(engine.held.items()):
        if place[1] == state.serial and (closed or place[2] == state.record):
            del engine.held[place]
            turn.set(LatchUndo(engine, place, None, taken, None), "done", True)
            turn.note_form("latch", form, place[0], taken.answer, None)
            engine.latch_node.differs(turn.cause)


def seen(engine: Engine) -> tuple[LatchView, ...]:
    """Return the latches that are set in the session, and for its user in the store."""
    told = []
    for (name, _, _, key), taken in engine.held.items():
        latch, form = engine.known_latches[name]
        told.append(LatchView(name, key, taken.user, taken.answer, taken.when, until(latch, form, taken)))
    for taken in engine.latch_store.all() if engine.latch_store is not None else ():
        if taken.user not in ("", engine.session.user):
            continue
        known = engine.known_latches.get(taken.latch)
        if known is None or not is_over(known[0].every, taken.when, engine.read_clock()):
            told.append(LatchView(*taken[:1], taken.key, *taken[1:2], *taken[3:], until(known and known[0], "", taken)))
    return tuple(told)


def until(latch: Latch | None, form: str, taken: LatchRecord) -> str:
    """Return what resets a latch, in words."""
    if latch is None:
        return "unknown (this session hasn't opened its form)"
    ends = []
    if "record" in latch.per:
        ends.append(f"until {form} leaves this record")
    elif "form" in latch.per:
        ends.append(f"until {form} closes")
    elif "session" in latch.per:
        ends.append("until the session ends")
    if latch.every is not None or not ends:
        ends.append(end_of(latch.every, taken.when))
    return ", or ".join(ends)
