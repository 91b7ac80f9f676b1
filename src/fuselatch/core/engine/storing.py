"""Read from the store, stage and write changes, and ask the user if it refuses."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, TypeAlias

from fuselatch.core.engine import lines as line_steps
from fuselatch.core.engine.changes import Changes
from fuselatch.core.engine.records import Records
from fuselatch.core.engine.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.engine.turn import KeepEditing, Turn
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.records import Change
from fuselatch.core.model.texts import TEXTS, user_text

AGAIN, KEEP_EDITING = TEXTS["refused.again"], TEXTS["keep_editing"]
THEIRS, MINE, COMPARE = TEXTS["conflict.theirs"], TEXTS["conflict.mine"], TEXTS["conflict.compare"]
REFUSED = Prompt(user_text("refused"), title=TEXTS["refused.title"], buttons=(AGAIN, KEEP_EDITING), tone="danger")
CHANGED = Prompt("{conflict}", title=TEXTS["conflict.title"], buttons=(THEIRS, MINE, COMPARE, KEEP_EDITING), tone="warning")
COMPARED = Prompt("{differences}", title=TEXTS["compare.title"], buttons=(THEIRS, MINE, KEEP_EDITING), tone="warning")
Write: TypeAlias = tuple[Change, Records | line_steps.LineKeys | None]
"""A staged change, and the part of a bound form that receives its key."""


class Storing(Changes):
    """The part of the engine that uses the store."""

    def store_rows(self, source: str) -> tuple[Mapping[str, Any], ...]:
        version = self.store_version(source)
        kept = self.row_cache.get(source)
        if kept is None or kept[0] != version:
            assert self.store is not None, "the session has a store"
            found: Any = self.store.read(source)
            rows = found.to_dict("records") if hasattr(found, "columns") else found
            kept = self.row_cache[source] = version, tuple(rows)
        return kept[1]

    def store_frame(self, source: str) -> Any:
        """Return a source as its store has it: rows or a data frame."""
        self.store_version(source)
        assert self.store is not None, "the session has a store"
        return self.store.read(source)

    def store_version(self, source: str) -> Hashable:
        """Return a source's version; raise if there is no such source."""
        if self.store is None:
            raise NotAllowedHere("this session has no records; open it with records=…")
        try:
            return self.store.version(source)
        except KeyError:
            known = getattr(self.store, "sources", ())
            hint = suggest(source, known() if callable(known) else known)
            raise UnknownName(f"unknown record source '{source}'; {hint}") from None

    def bind(self, form: Form, source: str) -> Records:
        return Records(self._whole, form, source)

    def store_key(self, source: str) -> str:
        self.store_version(source)
        assert self.store is not None, "the session has a store"
        return self.store.key(source)

    def store_columns(self, source: str) -> Sequence[str]:
        self.store_version(source)
        assert self.store is not None, "the session has a store"
        return self.store.columns(source)

    def by_column(self, source: str, column: str) -> Mapping[Any, Sequence[Mapping[str, Any]]]:
        """Return a source's rows, with staged changes, grouped by a column."""
        rows = self.rows.read(source)
        kept = self.indexed.get((source, column))
        # The rows are a new object for each version of the source, so identity is enough.
        if kept is None or kept[0] is not rows:
            found: dict[Any, list[Mapping[str, Any]]] = {}
            for row in rows:
                found.setdefault(row.get(column), []).append(row)
            kept = self.indexed[source, column] = rows, found
        return kept[1]

    def store_captions(self, source: str) -> Mapping[str, str]:
        assert self.store is not None, "the form is bound to records"
        return self.store.captions(source)

    def look(self, turn: Turn) -> None:
        """Look for data written by others."""
        if self.store is None:
            return
        self.store.look()
        kept = self.row_cache.items()
        changed = [source for source, (version, _) in kept if self.store.version(source) != version]
        for source in changed:
            self.store_rows(source)
        if changed:
            self.rows.differs(turn.cause)
            self.catalogs.differs(turn.cause)

    def is_tried_again(self, turn: Turn, error: StoreRefused) -> bool:
        """Report that the store refuses; return True if the user tries again."""
        form = self.front or self.first
        if form is None:
            return False
        again = self._whole.ask_itself(turn, form, REFUSED, {"reason": str(error)}) == AGAIN
        if not again:
            self.notice = str(error)
        return again

    def stage_row(self, source: str, row: Mapping[str, Any]) -> None:
        turn = self.turn
        if self.tracker is not None or turn is None:
            raise NotAllowedHere("records can only be written in a handler")
        self.stage(turn, Change("add", source, row.get(self.store_key(source)), dict(row)), None)

    def stage(self, turn: Turn, change: Change, records: Records | line_steps.LineKeys | None) -> None:
        """Stage a change. `records` receives its key."""
        self.store_version(change.source)
        turn.set(turn, "writes", [*(turn.writes or ()), (change, records)])
        self.rows.differs(turn.cause)

    def commit(self, turn: Turn) -> None:
        """Write what is staged. Written data isn't undone."""
        writes = turn.writes
        assert writes is not None and self.store is not None, "only staged writes are committed"
        for change, records, key in self._written(turn, writes):
            turn.note_form("write", None, change.source, None, str(change))
            if records is not None:
                records.keyed(turn, key)
        # The rows are written. Undoing the gesture must not stage them again.
        turn.undo = [entry for entry in turn.undo if not (entry[0] is turn and entry[1] == "writes")]
        turn.writes = None
        turn.committed = True
        self.rows.differs(turn.cause)
        self.catalogs.differs(turn.cause)

    def _written(self, turn: Turn, writes: list[Write]) -> list[tuple[Change, Any, Any]]:
        """Write changes and return the keys. If the store refuses, ask the user."""
        assert self.store is not None, "only staged writes are committed"
        while True:
            try:
                keys = self.store.write([change for change, _ in writes])
                return [(change, records, key) for (change, records), key in zip(writes, keys, strict=True)]
            except StoreRefused as error:
                records = next((one for _, one in writes if one), None)
                form = records._form if records is not None else self.front or self.first
                if form is None or turn.by != "user" or turn.pointing:
                    raise self.failed(error, self.store.write, "writing") from error
                refused = error
            if not isinstance(refused, ChangedMeanwhile):
                if not self.is_tried_again(turn, refused):
                    raise KeepEditing
                continue
            self.look(turn)
            writes = self._reconciled(turn, form, writes, refused)

    def _reconciled(self, turn: Turn, form: Form, writes: list[Write], met: ChangedMeanwhile) -> list[Write]:
        """Return what is written after the user resolved a conflict."""
        at = next(at for at, (change, _) in enumerate(writes) if change is met.change)
        change, records = writes[at]
        which = "conflict.changed" if met.theirs is not None else "conflict.removed"
        answer = self._whole.ask_itself(turn, form, CHANGED, {"conflict": user_text(which, key=change.key)})
        if answer == COMPARE:
            told = differences(change, met.theirs, records.captions if records is not None else {})
            answer = self._whole.ask_itself(turn, form, COMPARED, {"differences": told})
        if answer == MINE:
            if met.theirs is not None:
                mine = [(change._replace(was=met.theirs), records)]
            elif change.kind == "change":
                mine = [(change._replace(kind="add", row={**(change.was or {}), **change.row}, was=None), records)]
            else:
                mine = []
            return [*writes[:at], *mine, *writes[at + 1 :]]
        self.notice = str(met)
        if answer == THEIRS and records is not None:
            raise KeepEditing(lambda turn: records.reload(turn))
        raise KeepEditing


def differences(change: Change, theirs: Mapping[str, Any] | None, captions: Mapping[str, str]) -> str:
    """Return how a row differs from what someone else wrote, one line per column."""
    if theirs is None:
        return TEXTS["compare.removed"]
    if change.kind == "remove":
        changes = ", ".join(
            user_text("compare.to", caption=captions.get(column, column), theirs=shown(theirs.get(column)))
            for column, value in (change.was or {}).items()
            if theirs.get(column) != value
        )
        return user_text("compare.removing", changes=changes)
    mine = {**(change.was or {}), **change.row}
    return "\n".join(
        user_text("compare.both", caption=captions.get(column, column), mine=shown(value), theirs=shown(theirs[column]))
        for column, value in mine.items()
        if column in theirs and theirs[column] != value
    )


def shown(value: object) -> str:
    """Return a column's value as the user reads it."""
    return TEXTS["blank"] if value is None or value == "" else str(value)
