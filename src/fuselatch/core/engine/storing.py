"""Read from the store, stage and write changes, and ask the user if it refuses."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from contextlib import suppress
from typing import Any, Final, NamedTuple, Protocol, TypeAlias

from fuselatch.core.engine.failure import failure_of, tell
from fuselatch.core.engine.prompting import ask_itself
from fuselatch.core.engine.scheduler import follow
from fuselatch.core.engine.state import SessionSource, SessionState, Turn
from fuselatch.core.engine.store import ChangedMeanwhile, Store, StoreRefused
from fuselatch.core.engine.undoing import KeepEditing
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import is_masked
from fuselatch.core.forms.prompts import Cells, Prompt
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.record_changes import (
    Change,
    KeyName,
    NewKey,
    Record,
    applied,
    key_in,
    known_key,
    shown_key,
    with_keys,
)
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import MASK, alike, short_text

AGAIN, KEEP_EDITING = later("refused.again"), later("keep_editing")
THEIRS, MINE = later("conflict.theirs"), later("conflict.mine")
REFUSED = Prompt(later("refused"), title=later("refused.title"), buttons=(AGAIN, KEEP_EDITING), tone="danger")
REFUSED_REST = Prompt(
    later("refused.rest"), title=later("effect.title"), buttons=(AGAIN, later("effect.leave")), tone="danger"
)
"""The question of a gesture that has written before."""
MOST_OF_A_CELL: Final = 200
"""How many characters of a value a conflict's table shows."""
CHANGED = Prompt("{conflict}", title=later("conflict.title"), buttons=(THEIRS, MINE, KEEP_EDITING), tone="warning")
CHANGED_LATE = Prompt("{conflict}", title=later("conflict.title"), buttons=(THEIRS, KEEP_EDITING), tone="warning")
"""The question of a gesture that has written before: it can't be made again."""


class Receiver(Protocol):
    """The part of a bound form that a change comes from, and that receives its key."""

    @property
    def columns(self) -> Mapping[str, Any]:
        """The controls of the bound columns."""

    @property
    def form(self) -> OpenForm:
        """The bound form."""

    def keyed(self, turn: Turn, key: Any) -> None:
        """Note the key that the store gave."""

    def reload(self, turn: Turn) -> None:
        """Load what someone else wrote."""

    def rebase(self, turn: Turn) -> None:
        """Lay what someone else wrote under what the user has entered."""

    def named(self, change: Change) -> str:
        """Return the record or line of a change, as the user calls it."""


Write: TypeAlias = tuple[Change, Receiver | None]
"""A staged change, and who receives its key."""


class RecordsSource(SessionSource):
    """The rows of each record source, with what the running turn has staged."""

    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        staged = staged_for(self.session, prop)
        return with_staged(self.session, prop, staged) if staged else rows_of(self.session, prop)


# ---- reading


def store_of(session: SessionState) -> Store:
    """Return the session's store; raise if it has none."""
    store = session.store
    if store is None:
        raise NotAllowedHere("this session has no records; open it with records=…")
    return store


def rows_of(session: SessionState, source: str) -> tuple[Mapping[str, Any], ...]:
    """Return a source's rows, read once per version."""
    version = version_of(session, source)
    cached = session.row_cache.get(source)
    if cached is None or cached[0] != version:
        found: Any = store_of(session).read(source)
        rows = found.to_dict("records") if hasattr(found, "columns") else found
        cached = session.row_cache[source] = version, tuple(rows)
    return cached[1]


def staged_for(session: SessionState, source: str) -> list[Change]:
    """Return what the running turn has staged for a source; while a prompt is open, the turn that asks it."""
    wait = session.prompt_wait if session.turn is None else None
    turn = session.turn if wait is None else wait.turn
    writes = turn.writes if turn is not None else None
    return [change for change, _ in writes if change.source == source] if writes else []


def with_staged(session: SessionState, source: str, staged: list[Change], *, new_keys: bool = False) -> tuple[Record, ...]:
    """Return a source's rows as they will be when all is written. A key that the store will give is None, or a `NewKey`."""
    rows, key = rows_of(session, source), key_column(session, source)
    columns = dict.fromkeys(rows[0] if rows else columns_of(session, source))
    whole = []
    for change in staged:
        if change.kind == "add":
            given = {**columns, **change.row}
            if new_keys and isinstance(key, str) and given.get(key) is None:
                given[key] = change.key
            whole.append(change._replace(row=given))
        else:
            whole.append(change)
    return applied(rows, whole, key)


def frame_of(session: SessionState, source: str) -> Any:
    """Return a source as its store has it: rows or a data frame."""
    version_of(session, source)
    return store_of(session).read(source)


def version_of(session: SessionState, source: str) -> Hashable:
    """Return a source's version; raise if there is no such source."""
    store = store_of(session)
    try:
        return store.version(source)
    except KeyError:
        known = getattr(store, "sources", ())
        hint = suggest(source, known() if callable(known) else known)
        raise UnknownName(f"unknown record source '{source}'; {hint}") from None


def key_column(session: SessionState, source: str) -> KeyName:
    """Return the key column of a source, or its key columns."""
    version_of(session, source)
    return store_of(session).key(source)


def trouble_of(session: SessionState, source: str) -> str:
    """Return why the rows of a source can't be changed, or ""."""
    version_of(session, source)
    return session.said(store_of(session).trouble(source))


def expect_types(session: SessionState, source: str, types: Mapping[str, type | None]) -> None:
    """Tell the store the types of the controls that show columns."""
    store = store_of(session)
    before = version_of(session, source)
    store.expect_types(source, types)
    if version_of(session, source) != before:
        session.rows.differs()
        session.catalogs.differs()


def columns_of(session: SessionState, source: str) -> Sequence[str]:
    """Return the columns of a source."""
    version_of(session, source)
    return store_of(session).columns(source)


def captions_of(session: SessionState, source: str) -> Mapping[str, str]:
    """Return the captions of a source's columns, if it has any."""
    return store_of(session).captions(source)


def by_column(session: SessionState, source: str, column: str) -> Mapping[Any, Sequence[Mapping[str, Any]]]:
    """Return a source's rows, with staged changes, grouped by a column."""
    rows = session.rows.read(source)
    cached = session.grouped.get((source, column))
    # The rows are a new object for each version of the source, so identity is enough.
    if cached is None or cached[0] is not rows:
        found: dict[Any, list[Mapping[str, Any]]] = {}
        for row in rows:
            found.setdefault(row.get(column), []).append(row)
        cached = session.grouped[source, column] = rows, found
    return cached[1]


def look(turn: Turn) -> None:
    """Look for data written by others."""
    session = turn.session
    store = session.store
    if store is None:
        return
    store.look()
    cached = session.row_cache.items()
    changed = [source for source, (version, _) in cached if store.version(source) != version]
    for source in changed:
        rows_of(session, source)
    if changed:
        before = set(session.dirty.cells)
        session.rows.differs(turn.cause)
        session.catalogs.differs(turn.cause)
        follow(session, before)


# ---- writing


def stage(turn: Turn, change: Change, receiver: Receiver | None) -> None:
    """Stage a change. `receiver` gets its key."""
    version_of(turn.session, change.source)
    if change.kind == "add" and change.key is None:
        change = change._replace(key=NewKey(change.source))
    if turn.writes is None:
        turn.writes = []
    turn.writes.append((change, receiver))
    if turn.event is not None and turn.handler is not None:
        turn.writer = turn.event, turn.handler
    turn.session.rows.differs(turn.cause)
    turn.session.catalogs.differs(turn.cause)


def commit(turn: Turn) -> None:
    """Write what is staged. Written data isn't undone."""
    writes, session = turn.writes, turn.session
    assert writes is not None, "only staged writes are committed"
    done = written(turn, writes)
    key_names = {change.source: key_column(session, change.source) for change, _, _ in done}
    new = [(change.key, key) for change, _, key in done if isinstance(change.key, NewKey)]
    for stands, key in new:
        stands._value = key  # not undone: the row is written
    for staged, receiver, key in done:
        change = with_keys(staged, {})._replace(key=key) if staged.kind == "add" else with_keys(staged, {})
        if change.kind == "change" and not change.row:
            # Only seen to be there.
            continue
        turn.note_form("write", None, change.source, None, str(change))
        turn.saved = {**(turn.saved or {}), change.source: (turn.saved or {}).get(change.source, 0) + 1}
        if session.observers:
            tell(session, "wrote", change)
        if receiver is not None:
            receiver.keyed(turn, key)
    turn.writes = None
    turn.owed = tuple(turn.outward or ())
    if new:
        put_known_keys(turn)
    session.rows.differs(turn.cause)
    session.catalogs.differs(turn.cause)
    take_over(turn, [written_row(staged, key, key_names[staged.source]) for staged, _, key in done])


class Written(NamedTuple):
    """A row that was written: its key before and now (None: removed), and what the session had of it."""

    source: str
    before: Any
    key: Any
    row: Record
    was: Record


def written_row(staged: Change, key: Any, name: KeyName) -> Written:
    """Return a staged change as it was written, with the key that the store returned."""
    change = with_keys(staged, {})
    if change.kind == "add":
        return Written(change.source, key, key, change.row, {})
    return Written(
        change.source, change.key, None if change.kind == "remove" else change.key_after(name), change.row, change.was or {}
    )


def take_over(turn: Turn, rows: Sequence[Written]) -> None:
    """Let the forms that show a written row have it as the store has it now: a handler, a trigger or a generated column

    may have changed more than the form did. What someone else has written stays a conflict, and what the user has entered
    stays entered.
    """
    session = turn.session
    for form in session.stack.forms:
        records = form._state.records
        if records is None or form._state.phase == "closed":
            continue
        with suppress(StoreRefused):
            # What was written is written; a store that can't be read any more is told by the next read.
            records.take_over(turn, rows)


def as_stored(session: SessionState, mine: Record, written: Written) -> Record | None:
    """Return a shown row with what was written, and what the store has made of it; None if the store doesn't have it.

    `mine`: the row as it is shown. Columns that someone else has changed since it was read stay as they were.
    """
    fresh = row_at(session, written.source, written.key)
    if fresh is None:
        return None
    made = {column for column, value in fresh.items() if column in written.row or not alike(written.was.get(column), value)}
    return {**mine, **{column: fresh[column] for column in made}}


def put_known_keys(turn: Turn) -> None:
    """Put the keys that the store has given in place of each `NewKey`, in controls and outcomes."""
    session = turn.session
    for form in (*session.stack.forms, *[form for form, _ in session.leaving]):
        for control in form._state.controls.values():
            held = control._value
            known = tuple([known_key(each) for each in held]) if isinstance(held, tuple) else known_key(held)
            if known is not held and known != held:
                turn.set(control, "_value", known)
                session.dirty.invalidate(control, "value", turn.cause)
        outcome = form._state.outcome
        values = {name: known_in(value) for name, value in outcome.values.items()} if outcome is not None else {}
        if outcome is not None and any(value is not outcome.values[name] for name, value in values.items()):
            known = Outcome(outcome.verdict, values, outcome.overrides, outcome.masked)
            turn.set(form._state, "outcome", known)
            for wait in session.waits:
                if wait.result is outcome:
                    # The opener resumes after the write.
                    wait.result = known


def known_in(value: Any) -> Any:
    """Return a value of an outcome with the keys that are known, also within lines; the same object if there are none."""
    if isinstance(value, tuple):
        found = tuple([known_in(each) for each in value])
        return value if all(one is other for one, other in zip(found, value, strict=True)) else found
    if isinstance(value, Mapping):
        row = {name: known_in(one) for name, one in value.items()}
        return value if all(one is value[name] for name, one in row.items()) else row
    return known_key(value)


def written(turn: Turn, writes: list[Write]) -> list[tuple[Change, Receiver | None, Any]]:
    """Write changes and return the keys. If the store refuses, ask the user."""
    session = turn.session
    store = store_of(session)
    while True:
        try:
            keys = store.write([change for change, _ in writes])
            return [(change, receiver, key) for (change, receiver), key in zip(writes, keys, strict=True)]
        except StoreRefused as error:
            receiver = next((one for _, one in writes if one), None)
            form = receiver.form if receiver is not None else session.stack.front or session.stack.first
            if form is None or turn.by != "user" or turn.pointing:
                raise failure_of(session, error, store.write, "writing") from error
            refused = error
        if not isinstance(refused, ChangedMeanwhile):
            if not is_tried_again(turn, refused):
                raise KeepEditing
            continue
        look(turn)
        writes = reconciled(turn, form, writes, refused)


def is_tried_again(turn: Turn, error: StoreRefused) -> bool:
    """Report that the store refuses; return True if the user tries again."""
    session = turn.session
    form = session.stack.front or session.stack.first
    if form is None:
        return False
    saved, reason = turn.saved_text, error.args[0]
    if saved:
        again = ask_itself(turn, form, REFUSED_REST, {"saved": saved, "reason": reason}) == AGAIN
    else:
        again = ask_itself(turn, form, REFUSED, {"reason": reason}) == AGAIN
    if not again:
        session.notice = session.text("notice.refused", saved=saved, reason=reason) if saved else session.said(reason)
    return again


def reconciled(turn: Turn, form: OpenForm, writes: list[Write], met: ChangedMeanwhile) -> list[Write]:
    """Return what is written after the user resolved a conflict.

    A change that the user keeps is made again, from the gesture's first step, on what someone else has written.
    """
    at = next(at for at, (change, _) in enumerate(writes) if change is met.change or same_row(change, met.change))
    change, receiver = writes[at]
    answer = whose(turn, form, change, receiver, met)
    if answer == MINE and change.kind == "change" and met.theirs is not None:
        step = turn.step

        def again(turn: Turn) -> None:
            if receiver is not None:
                receiver.rebase(turn)
            step(turn)

        raise KeepEditing(again)
    if answer == MINE:
        mine: list[Write] = []
        if met.theirs is not None:
            mine = [(change._replace(was=met.theirs), receiver)]
        elif change.kind == "change":
            whole = {**(change.was or {}), **change.row}
            key = change.key_after(key_column(turn.session, change.source))
            mine = [(change._replace(kind="add", key=key, row=whole, was=None, compared=None), receiver)]
        return [*writes[:at], *mine, *writes[at + 1 :]]
    turn.session.notice = turn.session.said(met.args[0])
    if answer == THEIRS and receiver is not None:
        raise KeepEditing(receiver.reload)
    raise KeepEditing


def same_row(one: Change, other: Change) -> bool:
    """Return True if two changes are about one row. A store may have got one with a key in place of a `NewKey`."""
    return (one.kind, one.source, known_key(one.key)) == (other.kind, other.source, known_key(other.key))


def whose(turn: Turn, form: OpenForm, change: Change, receiver: Receiver | None, met: ChangedMeanwhile) -> str:
    """Return whose values count, by the form's `on_conflict` or the user's answer."""
    declared = form._state.plan.on_conflict
    if declared != "ask":
        return THEIRS if declared == "theirs" else KEEP_EDITING
    session = turn.session
    which = "conflict.changed" if met.theirs is not None else "conflict.removed"
    record = receiver.named(change) if receiver is not None else session.text("conflict.record", key=shown_key(change.key))
    text = " ".join(filter(None, (turn.saved_text, session.text(which, record=record))))
    table: Cells = ()
    if met.theirs is not None:
        text += "\n" + session.text("conflict.removing") if change.kind == "remove" else ""
        table = differences(session, change, met.theirs, receiver.columns if receiver is not None else {})
    return ask_itself(turn, form, CHANGED_LATE if turn.saved else CHANGED, {"conflict": text}, table)


def differences(session: SessionState, change: Change, theirs: Record, bound: Mapping[str, Any]) -> Cells:
    """Return how a row differs from what someone else wrote: headings, then a row of cells for each column."""
    removing = change.kind == "remove"
    told: list[tuple[str, ...]] = []
    for column, value in {**(change.was or {}), **change.row}.items():
        compared = change.compared is None or column in change.compared or column in change.row
        if column in theirs and not alike(theirs[column], value) and compared:
            # What the user has left as it was becomes theirs.
            control = bound.get(column)
            mine = session.text("compare.kept")
            if removing or column in change.row:
                mine = shown(session, control, value)
            caption = column if control is None else control.caption
            told.append((caption, mine, shown(session, control, theirs[column])))
    words = ("compare.before", "compare.now") if removing else ("compare.mine", "compare.theirs")
    return (("", *map(session.text, words)), *told) if told else ()


def shown(session: SessionState, control: Any, value: object) -> str:
    """Return a column's value as the user reads it, cut where it is long."""
    if value is None or value == "":
        return session.text("blank")
    if control is not None and is_masked(control):
        return MASK
    return short_text(
        str(value) if control is None else control._decl.column_text(control, value, session.formats), MOST_OF_A_CELL
    )


# ---- rows that a handler writes


def row_at(session: SessionState, source: str, key: Any) -> Record | None:
    """Return the row with a key, with what this gesture has staged; None if there is none."""
    column = key_column(session, source)
    if isinstance(key, NewKey) and key._value is None:
        return next((dict(change.row) for change in staged_for(session, source) if change.key is key), None)
    wanted = known_key(key)
    return next((row for row in session.rows.read(source) if key_in(row, column) == wanted), None)


def row_like(session: SessionState, source: str, wanted: Record) -> Record | None:
    """Return the first row that has these values, with what this gesture has staged; None if there is none."""
    must_have_columns(session, source, wanted)
    return next(
        (row for row in session.rows.read(source) if all(row.get(column) == value for column, value in wanted.items())), None
    )


def must_have_columns(session: SessionState, source: str, row: Record) -> None:
    """Refuse columns that a source doesn't have."""
    columns = columns_of(session, source)
    for column in row:
        if columns and column not in columns:
            raise UnknownName(f"'{source}' has no column '{column}'; {suggest(column, columns)}")


def stage_new(turn: Turn, source: str, row: Record) -> NewKey:
    """Stage a new row for a handler; return its key."""
    session = turn.session
    must_have_columns(session, source, row)
    given = known_key(key_in(row, key_column(session, source)))
    stage(turn, Change("add", source, given, dict(row)), None)
    assert turn.writes is not None, "it is staged"
    key = turn.writes[-1][0].key
    return key if isinstance(key, NewKey) else NewKey(source, key)


def staged_last(turn: Turn, source: str, key: Any, name: KeyName) -> int:
    """Return the place of the last staged change of the row that has this key now, if it may still be added to; else -1."""
    writes = turn.writes or []
    for at in range(len(writes) - 1, -1, -1):
        change = writes[at][0]
        if change.source == source and key in (known_key(change.key), known_key(change.key_after(name))):
            return -1 if change.kind == "remove" or known_key(change.key_after(name)) != key else at
    return -1


def stage_change(turn: Turn, source: str, key: Any, row: Record | None) -> None:
    """Stage a change of a row for a handler, or its removal (None). It is checked against the row as it was read."""
    session = turn.session
    must_have_columns(session, source, row or {})
    was = row_at(session, source, key)
    if was is None:
        column = key_column(session, source)
        known = [shown_key(key_in(each, column)) for each in session.rows.read(source)]
        raise UnknownName(f"'{source}' has no record {key!r}; {suggest(shown_key(key), known)}")
    wanted, name = known_key(key), key_column(session, source)
    at = staged_last(turn, source, wanted, name)
    change, receiver = (turn.writes or [])[at] if at >= 0 else (None, None)
    if change is not None and turn.writes is not None and receiver is None and (row is not None or change.kind == "add"):
        if row is None:
            del turn.writes[at]
        else:
            merged = change._replace(row={**change.row, **row})
            # A new row has the key that it was given last.
            turn.writes[at] = merged._replace(key=merged.key_after(name)) if merged.kind == "add" else merged, None
        session.rows.differs(turn.cause)
        session.catalogs.differs(turn.cause)
        return
    stage(turn, Change("remove" if row is None else "change", source, wanted, dict(row or {}), was), None)
