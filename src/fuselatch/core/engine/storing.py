"""Read from the store, stage and write changes, and ask the user if it refuses."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, Protocol, TypeAlias

from fuselatch.core.engine.failure import failure_of, tell
from fuselatch.core.engine.prompting import ask_itself
from fuselatch.core.engine.scheduler import follow
from fuselatch.core.engine.state import SessionSource, SessionState, Turn
from fuselatch.core.engine.store import ChangedMeanwhile, Store, StoreRefused
from fuselatch.core.engine.undoing import KeepEditing
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change, KeyName, Record, applied, shown_key
from fuselatch.core.model.texts import later

AGAIN, KEEP_EDITING = later("refused.again"), later("keep_editing")
THEIRS, MINE, COMPARE = later("conflict.theirs"), later("conflict.mine"), later("conflict.compare")
REFUSED = Prompt(later("refused"), title=later("refused.title"), buttons=(AGAIN, KEEP_EDITING), tone="danger")
CHANGED = Prompt("{conflict}", title=later("conflict.title"), buttons=(THEIRS, MINE, COMPARE, KEEP_EDITING), tone="warning")
COMPARED = Prompt("{differences}", title=later("compare.title"), buttons=(THEIRS, MINE, KEEP_EDITING), tone="warning")


class Receiver(Protocol):
    """The part of a bound form that a change comes from, and that receives its key."""

    @property
    def captions(self) -> Mapping[str, str]:
        """The captions of the bound columns."""

    @property
    def form(self) -> OpenForm:
        """The bound form."""

    def keyed(self, turn: Turn, key: Any) -> None:
        """Note the key that the store gave."""

    def reload(self, turn: Turn) -> None:
        """Load what someone else wrote."""


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
    """Return what the running turn has staged for a source."""
    writes = session.turn.writes if session.turn is not None else None
    return [change for change, _ in writes if change.source == source] if writes else []


class NewKey:
    """Stands for the key that the store will give to a staged row. No store takes it as a value."""

    __slots__ = ("change",)

    def __init__(self, change: Change) -> None:
        self.change = change

    def __eq__(self, other: object) -> bool:
        return isinstance(other, NewKey) and other.change is self.change

    def __hash__(self) -> int:
        return id(self.change)

    def __repr__(self) -> str:
        return "(new)"


def with_staged(session: SessionState, source: str, staged: list[Change], *, new_keys: bool = False) -> tuple[Record, ...]:
    """Return a source's rows as they will be when all is written. A key that the store will give is None, or a `NewKey`."""
    rows, key = rows_of(session, source), key_column(session, source)
    columns = dict.fromkeys(rows[0] if rows else columns_of(session, source))
    whole = []
    for change in staged:
        if change.kind == "add":
            given = {**columns, **change.row}
            if new_keys and isinstance(key, str) and given.get(key) is None:
                given[key] = NewKey(change)
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
    for change, receiver, key in written(turn, writes):
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
    session.rows.differs(turn.cause)
    session.catalogs.differs(turn.cause)


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
    again = ask_itself(turn, form, REFUSED, {"reason": error.args[0]}) == AGAIN
    if not again:
        session.notice = session.said(error.args[0])
    return again


def reconciled(turn: Turn, form: OpenForm, writes: list[Write], met: ChangedMeanwhile) -> list[Write]:
    """Return what is written after the user resolved a conflict."""
    at = next(at for at, (change, _) in enumerate(writes) if change is met.change)
    change, receiver = writes[at]
    which = "conflict.changed" if met.theirs is not None else "conflict.removed"
    answer = ask_itself(turn, form, CHANGED, {"conflict": turn.session.text(which, key=shown_key(change.key))})
    if answer == COMPARE:
        differing = differences(turn.session, change, met.theirs, receiver.captions if receiver is not None else {})
        answer = ask_itself(turn, form, COMPARED, {"differences": differing})
    if answer == MINE:
        if met.theirs is not None:
            mine = [(change._replace(was=met.theirs), receiver)]
        elif change.kind == "change":
            mine = [
                (change._replace(kind="add", row={**(change.was or {}), **change.row}, was=None, compared=None), receiver)
            ]
        else:
            mine = []
        return [*writes[:at], *mine, *writes[at + 1 :]]
    turn.session.notice = turn.session.said(met.args[0])
    if answer == THEIRS and receiver is not None:
        raise KeepEditing(receiver.reload)
    raise KeepEditing


def differences(session: SessionState, change: Change, theirs: Record | None, captions: Mapping[str, str]) -> str:
    """Return how a row differs from what someone else wrote, one line per column."""
    if theirs is None:
        return session.text("compare.removed")
    if change.kind == "remove":
        changes = ", ".join(
            session.text("compare.to", caption=captions.get(column, column), theirs=shown(session, theirs.get(column)))
            for column, value in (change.was or {}).items()
            if theirs.get(column) != value and (change.compared is None or column in change.compared)
        )
        return session.text("compare.removing", changes=changes)
    mine = {**(change.was or {}), **change.row}
    return "\n".join(
        session.text(
            "compare.both",
            caption=captions.get(column, column),
            mine=shown(session, value),
            theirs=shown(session, theirs[column]),
        )
        for column, value in mine.items()
        if column in theirs
        and theirs[column] != value
        and (change.compared is None or column in change.compared or column in change.row)
    )


def shown(session: SessionState, value: object) -> str:
    """Return a column's value as the user reads it."""
    return session.text("blank") if value is None or value == "" else str(value)
