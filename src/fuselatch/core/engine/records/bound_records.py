"""The records of a bound form: go to a record, save it, remove it.

Theory of operation
-------------------
A form with `records=` shows one row of a source at a time: the *current record*, or a new one that isn't saved yet. Each
control is bound to a column; the other controls are the developer's own.

*Loading* a row sets the bound controls without events, as opening a form does, and drops what belonged to the record
before: drafts, markers, confirmed warnings, latches per record. Then `record_shown` is raised.

*Leaving* a record saves it if the user changed something, or asks first (`on_leave="ask"`). A record counts as changed if
a bound control has a draft or another value than when it was loaded, or a line was added, removed, moved or changed.
Leaving may stop: a finding refuses, a handler blocks, or the user stays. It may also change which records match, because it
settles a filter's control or writes the column that is filtered; so the target is looked for again afterwards.

*Saving* doesn't write. It checks the form and stages a `Change` with the columns that differ, and the row as it was read.
The runner writes all that a gesture has staged at its end, in one transaction. Until then, the rows that handlers and rules
read have the staged changes applied. If someone else has changed the row since, the store refuses, and the user decides.

An example: on record 1, the user types "Teal" into `boat` and goes to the next record.

    settle        boat: Eider → Teal
    leave         changed, so checked and staged: change 1: boat=Teal
    load          record 2; `record_shown`
    write         the store gets the change; its version differs, so lists of this source follow
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from fuselatch.core.engine.looking.edited import differs, lines_changed, mark_clean
from fuselatch.core.engine.records import line_records as lines
from fuselatch.core.engine.records.record_columns import (
    bound_columns,
    bring,
    declared_types,
    lay_over,
    lay_under,
    must_be_column,
    put_silently,
    values_by_column,
)
from fuselatch.core.engine.records.storing import Written, as_stored
from fuselatch.core.engine.records.submitting import may_submit, veto
from fuselatch.core.engine.rules import latching
from fuselatch.core.engine.rules.default_values import note_last, set_defaults
from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.rules.rows import (
    captions_of,
    columns_of,
    expect_types,
    key_column,
    look,
    row_at,
    rows_of,
    stage,
    trouble_of,
)
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.engine.state.turns import OwnQueue, Turn, touch
from fuselatch.core.engine.turn import focus
from fuselatch.core.engine.turn.changing import drop_message, put_message
from fuselatch.core.engine.turn.loop import drain, happen
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.live_state import ControlState, is_masked
from fuselatch.core.forms.places import FirstBlank, HostSelection, KeyInWords
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.cells import Node
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import MOVES, Change, KeyName, Record, key_in, shown_key, with_key
from fuselatch.core.model.service_map import Host
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import alike, short

SAVE, DROP, STAY = later("leave.save"), later("leave.drop"), later("cancel")
LEAVE = Prompt(later("leave"), title=later("leave.title"), buttons=(SAVE, DROP, STAY), tone="warning")
AGREED = later("remove.yes")
REMOVE = Prompt(later("remove"), title=later("remove.title"), buttons=(AGREED, later("cancel")), tone="danger")


class Records(Node):
    """The records that a form is bound to, as `form.records`."""

    def __init__(self, session: SessionState, form: OpenForm, source: str) -> None:
        self.session = session
        self.form = form
        super().__init__("records")
        self.source = source
        self.key_column = key_column(session, source)
        # Why records can't be changed, or "". Their keys are then their places.
        self.trouble = trouble_of(session, source)
        self._row: Mapping[str, Any] | None = None
        self._key: Any = None
        # Latches of a new record that is staged.
        self._waiting: tuple[LatchRecord, ...] = ()
        self._filters: dict[str, Any] = {}
        self._blank_is_all = True
        self._only: Mapping[str, Any] = form._state.manner.only or {}
        self._cached: FilteredRows | None = None
        # For the view: the place in words, the position (0: none of them), the count.
        self.place: tuple[str, int, int] = ("", 0, 0)
        columns = columns_of(session, source)
        for column in self._only:
            must_be_column(column, columns, source)
        self._bound: dict[str, LiveValue[Any]] = bound_columns(form, form._state.controls, columns, source)
        expect_types(session, source, declared_types(form._state.plan.controls, columns))
        captions = captions_of(session, source)
        for column, control in self._bound.items():
            if not control._decl.has_caption and captions.get(column, control.caption) != control.caption:
                control._set = {**(control._set or {}), "caption": captions[column]}
                control._cells = {} if control._cells is None else control._cells

    # ---- to look at

    @property
    def key(self) -> Any:
        """The current record's key, or None for a new record. Rules can read it."""
        if self.session.port.tracker is not None:
            self.session.port.tracker[(self, "key")] = self._current("key")
        return self._key

    def _current(self, prop: str) -> Any:
        return self._key, self._filters, self._blank_is_all

    def _restored(self, name: str) -> None:
        if name in ("_key", "_filters", "_blank_is_all"):
            self.session.dirty.invalidate(self, "key", 0)

    def _take(self, turn: Turn, row: Record | None, key: Any) -> None:
        """Set the current record, and mark what depends on it."""
        turn.set(self, "_row", row)
        turn.set(self, "_key", key)
        # Latches of saved records are other ones now.
        self.session.latches.differs(turn.cause)
        self.session.dirty.invalidate(self, "key", turn.cause)

    @property
    def count(self) -> int:
        """The number of records that match the filters."""
        return len(self._keys())

    @property
    def position_text(self) -> str:
        """The current record's position: "12 of 250", "new record (250 saved)", or "not in this list (of 249)".

        The last is that of a record that a filter leaves out, or that someone else has removed.
        """
        found = self._filtered()
        return self._place_text(found.places.get(self.key, -1) + 1, len(found.keys))

    def _place_text(self, place: int, count: int) -> str:
        if place == 0:
            return self.session.text("position.new" if self._key is None else "position.outside", count=count)
        return self.session.text("position", place=place, count=count)

    def binds(self, control: Any) -> bool:
        """Return True if a control is bound to a column."""
        return any(bound is control for bound in self._bound.values())

    @property
    def is_saved(self) -> bool:
        """True if there is a record, which can be removed."""
        return self._row is not None

    def note_place(self) -> None:
        """Note the place among the records, if the store tells it; otherwise the last one stays."""
        try:
            found = self._filtered()
        except StoreRefused:
            return
        place, count = found.places.get(self._key, -1) + 1, len(found.keys)
        if place == 0 or (place, count) != self.place[1:]:
            self.place = self._place_text(place, count), place, count

    @property
    def columns(self) -> Mapping[str, Any]:
        """The controls of the bound columns."""
        return self._bound

    @property
    def is_changed(self) -> bool:
        """True if the user entered something that isn't saved. Defaults don't count."""
        return any(differs(control) for control in self._bound.values()) or lines_changed(self.form)

    def _keys(self) -> list[Any]:
        return self._filtered().keys

    def _filtered(self) -> FilteredRows:
        """Return the rows that match the filters; computed again only if something changed."""
        wanted = dict(self._only)
        blank = False
        for column, control in self._filters.items():
            value = control._read("value")
            if value != control._plan.blank:
                wanted[column] = value
            elif not self._blank_is_all:
                blank = True
        if self.session.port.tracker is not None:
            self.session.port.tracker[(self, "key")] = self._current("key")
        rows = self.session.rows.read(self.source)
        found = self._cached
        if found is None or found.rows is not rows or found.wanted != wanted or found.none is not blank:
            found = self._cached = FilteredRows(rows, wanted, blank, "" if self.trouble else self.key_column)
        return found

    # ---- to act

    def where(self, *, blank: str = "all", **columns: LiveValue[Any]) -> None:
        """Show only rows whose columns equal these controls: `where(state=form.state)`.

        Filters use settled values. A blank control matches every row, or no row with `blank="none"`.
        """
        there = columns_of(self.session, self.source)
        for column, control in columns.items():
            must_be_column(column, there, self.source)
            if not (isinstance(control, ControlState) and control._plan.holds_value):
                raise TypeError(f"where({column}=…): expected a control of an open form, not {short(control)}")
        if blank not in ("all", "none"):
            raise ValueError(f"where(blank={blank!r}): use 'all' (a blank filter shows all rows) or 'none'")

        def put(turn: Turn) -> None:
            turn.set(self, "_filters", dict(columns))
            turn.set(self, "_blank_is_all", blank == "all")
            self.session.dirty.invalidate(self, "key", 0)

        name = f"{type(self.form).__name__}.records.where"
        self.session.port.by_program(self.form, name, ("set", name, "value"), put)

    def next(self) -> bool:
        """Go to the next record, or to a new one after the last.

        Returns False if the current record couldn't be left. So do the other moves.
        """
        return self.move("next")

    def previous(self) -> bool:
        """Go to the previous record. At the first, stay there."""
        return self.move("previous")

    def first(self) -> bool:
        """Go to the first record, or to a new one if there are none."""
        return self.move("first")

    def last(self) -> bool:
        """Go to the last record, or to a new one if there are none."""
        return self.move("last")

    def new(self) -> bool:
        """Start a new record with its defaults."""
        return self.move("new")

    def save(self) -> bool:
        """Check the current record and write it when the gesture is finished.

        Returns False if a finding, a handler or the user stopped it.
        """
        return self.move("save")

    def remove(self) -> bool:
        """Ask the user, remove the current record and go to the next."""
        return self.move("remove")

    def at(self, key: Any) -> bool:
        """Go to the record with a key; raise `UnknownName` if there is none.

        Returns False if the current record couldn't be left, or if the record is gone once it is left.
        """
        self.must_have(key)

        def go(turn: Turn) -> bool:
            if not self._leave(turn):
                return False
            # Leaving has settled a filter or saved the record, so that others may match now.
            if key not in self._filtered().places:
                return veto(turn, self.form, "record", turn.session.text("notice.no_record", key=shown_key(key)))
            return self._go(turn, key)

        return self._act(f"record {key}", go)

    def must_have(self, key: Any) -> None:
        """Refuse a key that no matching record has."""
        if key not in self._filtered().places:
            raise self._unknown(key)

    def move(self, word: str) -> bool:
        """Go to, save or remove a record, by a word of `MOVES`."""
        if word not in MOVES:
            raise UnknownName(f"unknown move '{word}'; {suggest(word, MOVES)}")
        return self._act(f"record {word}", lambda turn: self._step(turn, word))

    def begin(self, turn: Turn) -> None:
        """Go to the record that the form was opened at."""
        at, form = self.form._state.manner.at, self.form
        lines.begin(turn, form)
        if self.trouble:
            put_message(turn, form, self.trouble, "warning")
        found = self._filtered()
        key = found.keys[0] if found.keys else None
        if isinstance(at, FirstBlank):
            key = at.key_in(form, self._bound, found)
        elif isinstance(at, HostSelection):
            chosen, trouble = selected(turn.session, self.source, found)
            key = key if trouble else chosen
            if trouble:
                put_message(turn, form, trouble, "warning")
        elif at is not None:
            key = self.key_of(at.text) if isinstance(at, KeyInWords) else at
            self.must_have(key)
        if key is not None:
            self.load(turn, found.by_key(key), key)
        else:
            fill(turn, self._bound, self._only)

    def _unknown(self, key: Any) -> UnknownName:
        keys = self._keys()
        return UnknownName(f"'{self.source}' has no record {key!r}; {suggest(shown_key(key), map(shown_key, keys))}")

    def _act(self, label: str, step: Any) -> bool:
        done: list[bool] = []

        def carry(turn: Turn) -> None:
            before, turn.cause = turn.cause, turn.note_form("step", self.form, label)
            look(turn)
            # What a handler has queued and asked for waits until it has returned.
            with OwnQueue(turn):
                done.append(step(turn))
            turn.cause = before

        name = f"the record of {type(self.form).__name__}"
        self.session.port.by_program(self.form, name, (label, self.form._state.name, "value"), carry)
        return done[0] if done else False

    def _step(self, turn: Turn, word: str) -> bool:
        if word == "save":
            return self.save_now(turn)
        if word == "remove":
            return self._remove(turn)
        found = self._filtered()
        at = found.places.get(self.key, len(found.keys))
        if not self._leave(turn):
            return False
        keys = self._keys()
        place = {"next": at + 1, "previous": at - 1, "first": 0, "last": len(keys) - 1, "new": len(keys)}[word]
        if word == "previous":
            # At the first record it stays there. A record that the filter leaves out counts as one after the last.
            place = max(place, 0)
        return self._go(turn, keys[place] if 0 <= place < len(keys) else None)

    def go_on(self, turn: Turn, then: str) -> None:
        """Go to the record after a submit."""
        found = self._filtered()
        keys = found.keys
        at = found.places.get(self.key, len(keys)) + 1 if then == "next" else len(keys)
        self._go(turn, keys[at] if at < len(keys) else None)

    def key_of(self, text: str) -> Any:
        """Return the key that a text means, or the text itself if none does."""
        return next((key for key in self._keys() if shown_key(key) == text), text)

    def _leave(self, turn: Turn) -> bool:
        """Save the current record, or ask the user, before another is shown."""
        focus.settle_all(turn, self.form)
        if not self.is_changed:
            return True
        if self.form._state.plan.on_leave == "ask":
            answer = ask_itself(turn, self.form, LEAVE, {})
            if answer != SAVE:
                return answer == DROP or veto(turn, self.form, "record", turn.session.text("notice.stayed"))
        return self.save_now(turn)

    def _go(self, turn: Turn, key: Any) -> bool:
        self.load(turn, self._filtered().by_key(key) if key is not None else None, key)
        happen(turn, "record_shown", self.form, None, None, key)
        return True

    def load(self, turn: Turn, row: Mapping[str, Any] | None, key: Any) -> None:
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
        found = self._filtered()
        key = self.key if self.key in found.places else found.keys[0] if found.keys else None
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

    def named(self, change: Change) -> str:
        """Return the record of a change, as the user calls it: by its key and the first value that isn't it."""
        key, was = shown_key(change.key), change.was or {}
        parts = (self.key_column,) if isinstance(self.key_column, str) else self.key_column
        for column, control in self._bound.items():
            if column not in parts and was.get(column) not in (None, "") and not is_masked(control):
                value = control._decl.column_text(control, was[column], self.session.formats)
                return self.session.text("conflict.named", key=key, caption=control.caption, value=value)
        return self.session.text("conflict.record", key=key)

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

    def keyed(self, turn: Turn, key: Any) -> None:
        """Note the key that the store gave to a new record."""
        if self._row is not None and self._key is None:
            place = len(rows_of(self.session, self.source))
            self._take(turn, with_key(self._row, self.key_column, key), place if self.trouble else key)
        if self._waiting:
            latching.store_waiting(turn, self._waiting, self.source, key)
            turn.set(self, "_waiting", ())

    def _remove(self, turn: Turn) -> bool:
        if self.key is None:
            raise NotAllowedHere("this record is new and not saved, so there is nothing to remove")
        if self.trouble:
            return veto(turn, self.form, "record", self.trouble)
        under = lines.under(turn.session, self.form, self.key)
        for live, rows in under:
            if rows and live._decl.on_parent_remove == "refuse":
                reason = turn.session.text(
                    "notice.lines_first", key=shown_key(self.key), count=len(rows), caption=live.caption
                )
                return veto(turn, self.form, "record", reason)
        if ask_itself(turn, self.form, REMOVE, {"record": self._named_with(under)}) != AGREED:
            return veto(turn, self.form, "record", turn.session.text("notice.removed"))
        for live, rows in under:
            for row in rows:
                source = live._decl.records
                change = Change("remove", source, key_in(row, key_column(turn.session, source)), {}, row)
                stage(turn, change, lines.LineKeys(live, None, self))
        at = self._filtered().places.get(self.key, 0)
        latching.move(turn, self.source, self._key, None)
        stage(turn, Change("remove", self.source, self.key, {}, self._row, frozenset(self._bound)), self)
        keys = self._keys()
        return self._go(turn, keys[min(at, len(keys) - 1)] if keys else None)

    def _named_with(self, under: Sequence[tuple[Any, Sequence[Record]]]) -> str:
        """Return the current record and the lines removed with it, as the user reads it."""
        counted = [
            self.session.text(
                "remove.line" if len(rows) == 1 else "remove.lines",
                count=len(rows),
                caption=live.caption,
            )
            for live, rows in under
            if rows and live._decl.on_parent_remove != "cascade"
        ]
        if not counted:
            return self.session.text("remove.record", key=shown_key(self.key))
        return self.session.text(
            "remove.with_lines",
            key=shown_key(self.key),
            lines=self.session.text("remove.and").join(counted),
        )


class FilteredRows:
    """The rows that match the filters: their keys in order, and each key's place."""

    __slots__ = ("_rows", "keys", "none", "places", "rows", "wanted")

    def __init__(self, rows: Sequence[Record], wanted: Mapping[str, Any], none: bool, column: KeyName) -> None:
        """`column`: the key, or "" where it isn't usable: a row's key is then its place, from 1."""
        self.rows = rows
        self.wanted = wanted
        self.none = none
        there = [] if none else list(range(len(rows)))
        for name, value in wanted.items():
            there = [at for at in there if rows[at].get(name) == value]
        if not column:
            keys: list[Any] = [at + 1 for at in there]
        elif isinstance(column, str):
            keys = [rows[at].get(column) for at in there]
        else:
            keys = [key_in(rows[at], column) for at in there]
        if None in keys:
            # A staged row has no key yet, so it can't be shown.
            there = [at for at, key in zip(there, keys, strict=True) if key is not None]
            keys = [key for key in keys if key is not None]
        self._rows = [rows[at] for at in there]
        self.keys = keys
        self.places = dict(zip(keys, range(len(keys)), strict=True))

    def by_key(self, key: Any) -> Record:
        return self._rows[self.places[key]]

    def __iter__(self) -> Iterator[tuple[Any, Record]]:
        return iter(zip(self.keys, self._rows, strict=True))


def selected(session: SessionState, source: str, found: FilteredRows) -> tuple[Any, str]:
    """Return the key of the host's selection, or the problem with it."""
    chosen = session.services[Host].selected()
    if chosen is None:
        return None, session.text("selected.none", records=source)
    if chosen.source != source:
        return None, session.text("selected.other", other=chosen.source, records=source)
    if chosen.key not in found.places:
        return None, session.text("selected.gone", records=source, key=chosen.key)
    return chosen.key, ""


def fill(turn: Turn, bound: Mapping[str, LiveValue[Any]], only: Mapping[str, Any]) -> None:
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
