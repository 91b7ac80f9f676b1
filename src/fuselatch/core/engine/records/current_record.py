"""The current record of a bound form: loaded, staged, and brought up to date.

Theory of operation
-------------------
*Loading* a row sets the bound controls without events, as opening a form does, and drops what belonged to the record
before: drafts, markers, confirmed warnings, latches per record. Then `record_shown` is raised.

*Saving* doesn't write. It checks the form and stages a `Change` with the columns that differ, and the row as it was read.
The runner writes all that a gesture has staged at its end, in one transaction. Until then, the rows that handlers and rules
read have the staged changes applied. If someone else has changed the row since, the store refuses, and the user decides.

*Afterwards* the store may have given a key, or made something else of the row: that is what the form shows from then on
(`take_over`). What someone else wrote is laid under what the user has entered (`rebase`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fuselatch.core.engine.looking.edited import lines_changed, mark_clean
from fuselatch.core.engine.records import line_records as lines
from fuselatch.core.engine.records.record_columns import (
    bring,
    lay_over,
    lay_under,
    put_silently,
    values_by_column,
)
from fuselatch.core.engine.records.shown_records import ShownRecords
from fuselatch.core.engine.records.storing import Written, as_stored
from fuselatch.core.engine.records.submitting import may_submit
from fuselatch.core.engine.rules import latching
from fuselatch.core.engine.rules.default_values import note_last, set_defaults
from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.rules.rows import (
    row_at,
    rows_of,
    stage,
)
from fuselatch.core.engine.state.turns import Turn, touch
from fuselatch.core.engine.turn import focus
from fuselatch.core.engine.turn.changing import drop_message
from fuselatch.core.engine.turn.loop import drain, happen
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.model.record_changes import Change, Record, key_in, shown_key, with_key
from fuselatch.core.model.values import alike


class CurrentRecord(ShownRecords):
    """The record that a form shows, and what becomes of it."""

    def _go(self, turn: Turn, key: object) -> bool:
        self.load(turn, self._filtered().by_key(key) if key is not None else None, key)
        happen(turn, "record_shown", self.form, None, None, key)
        return True

    def load(self, turn: Turn, row: Mapping[str, object] | None, key: object) -> None:
        """Load a record, or start a new one (None). Raises no `changed`."""
        self._take(turn, row, key)
        if row is None:
            reset(turn, self.form)
            fill(turn, self._bound, self._only)
            return
        leave_record(turn, self.form)
        where = f"'{self.source}' {shown_key(key)}"
        for column, control in self._bound.items():
            bring(turn, control, row.get(column), where, column)
        lines.load(turn, self.form, self.key)
        drain(turn)

    def reload(self, turn: Turn) -> None:
        """Load the current record again, or the first if it is gone."""
        rows = self._filtered()
        key = self.key if self.key in rows.places else rows.keys[0] if rows.keys else None
        self._go(turn, key)

    def rebase(self, turn: Turn) -> None:
        """Lay what someone else wrote under what the user has entered: in columns that the user left, it is shown."""
        fresh = row_at(self.session, self.source, self._key)
        if fresh is None or self._row is None:
            return
        lay_under(turn, self._bound, self._row, fresh, f"'{self.source}' {shown_key(self._key)}")
        self._take(turn, fresh, self._key)
        lines.rebase(turn, self.form)
        drain(turn)

    def take_over(self, turn: Turn, rows: Sequence[Written]) -> None:
        """Show what the store has now of the rows that this session has written: the current record, and its lines."""
        for written in rows:
            if (
                written.source != self.source
                or self._row is None
                or self.trouble
                or self._key not in (written.before, written.key)
            ):
                continue
            if written.key is None:
                if self._key == written.before:
                    self.reload(turn)
                continue
            stored = as_stored(self.session, self._row, written)
            if stored is None:
                continue
            if self._key != written.key:
                latching.move(turn, self.source, self._key, written.key)
            if stored != self._row or self._key != written.key:
                self._take(turn, stored, written.key)
            lay_over(turn, self._bound, stored, f"'{self.source}' {shown_key(written.key)}")
        lines.take_over(turn, self.form, rows)
        drain(turn)

    def save_now(self, turn: Turn) -> bool:
        form = self.form
        focus.settle_all(turn, form)
        if not may_submit(turn, form):
            return False
        self.stage(turn)
        return True

    def _add_to_staged(self, turn: Turn, row: Record) -> None:
        for at, (change, receiver) in enumerate(turn.writes or ()):
            if receiver is self and change.kind == "add" and turn.writes is not None:
                turn.writes[at] = change._replace(row={**change.row, **row}), self

    def stage(self, turn: Turn) -> None:
        """Stage the current record. Hidden and disabled controls keep their column."""
        form = self.form
        row = {**self._only, **values_by_column(self._bound)}
        was = self._row
        note_last(turn, self.form)
        if was is None:
            change = Change("add", self.source, key_in(row, self.key_column), row)
            turn.set(self, "_waiting", latching.waiting(turn.session, form))
        else:
            row = {column: value for column, value in row.items() if not alike(was.get(column), value)}
            change = Change("change", self.source, self._key, row, was, frozenset(self._bound))
        if was is not None and self._key is None:
            # A new record that is saved again in the gesture that saved it first is still one row.
            self._add_to_staged(turn, row)
        elif change.row or change.kind == "add" or lines_changed(form):
            # With lines, the record has to be there still.
            stage(turn, change, self)
        now = {**(was or {}), **row}
        # A record whose key was edited has the new one from here on, and so have its lines and latches.
        new_key = key_in(now, self.key_column)
        if was is not None and not self.trouble and self._key is not None and new_key != self._key:
            latching.move(turn, self.source, self._key, new_key)
        self._take(turn, now, self._key if self.trouble and was is not None else key_in(now, self.key_column))
        for control in self._bound.values():
            mark_clean(turn, control)
            if control._plan.offers:
                # It is the record's value now, which stays, also if what is written takes it from the list.
                turn.set(control, "_brought", control._value)
        lines.stage_lines(turn, self.form, self)

    def keyed(self, turn: Turn, key: object) -> None:
        """Note the key that the store gave to a new record."""
        if self._row is not None and self._key is None:
            place = len(rows_of(self.session, self.source))
            self._take(turn, with_key(self._row, self.key_column, key), place if self.trouble else key)
        if self._waiting:
            latching.store_waiting(turn, self._waiting, self.source, key)


def fill(turn: Turn, bound: Mapping[str, LiveValue[object]], only: Mapping[str, object]) -> None:
    """Set the values that a new record shares with the rows in `only`."""
    for column, value in only.items():
        if column in bound:
            bring(turn, bound[column], value, "a new record", column)
    if only:
        drain(turn)


def leave_record(turn: Turn, form: OpenForm) -> None:
    """Drop what belongs to the current record: drafts, markers, latches."""
    drop_message(turn, form)
    state = form._state
    latching.forget(turn, form)
    turn.set(state, "record", state.record + 1)
    turn.set(state, "overrides", ())
    for control in state.order:
        if control._plan.is_input:
            drop_draft(turn, control)
            mark_clean(turn, control)
        if control._plan.is_checked:
            for name, value in (("_findings", None), ("_preview", None), ("_marked", False), ("_traced", ())):
                turn.set(control, name, value)
            touch(control)
            turn.session.dirty.invalidate(control, "findings", turn.cause)


def reset(turn: Turn, form: OpenForm) -> None:
    """Blank the form and set its defaults again; raises no `changed`."""
    leave_record(turn, form)
    for control in form._state.order:
        if control._plan.is_input and not control._rule:
            if control._plan.offers:
                turn.set(control, "_brought", None)
            put_silently(turn, control, control._plan.blank)
    lines.load(turn, form, None)
    set_defaults(turn, form)
    drain(turn)
