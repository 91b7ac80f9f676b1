"""The records of a bound form, to look at: which rows match, and which of them is shown.

Theory of operation
-------------------
`only` and `where` say which rows of the source match. They are computed when a rule, a handler or the view asks, and kept
until the rows, a filter's value or `only` differ. The rows are those of the session: what a gesture has staged is in them.

The *current record* has a row as it was read, and a key. Rules that read the key follow it. Where the source's key isn't
usable, a record's key is its place.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from fuselatch.core.engine.looking.edited import differs, lines_changed
from fuselatch.core.engine.records.record_columns import (
    bound_columns,
    declared_types,
    must_be_column,
)
from fuselatch.core.engine.rules.rows import (
    captions_of,
    columns_of,
    expect_types,
    key_column,
    trouble_of,
)
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.live_state import ControlState, is_masked
from fuselatch.core.model.cells import Node
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change, KeyName, Record, key_in, shown_key
from fuselatch.core.model.values import short


class ShownRecords(Node):
    """The rows that match, and the record that a form shows."""

    def __init__(self, session: SessionState, form: OpenForm, source: str) -> None:
        self.session = session
        self.form = form
        super().__init__("records")
        self.source = source
        self.key_column = key_column(session, source)
        # Why records can't be changed, or "". Their keys are then their places.
        self.trouble = trouble_of(session, source)
        self._row: Mapping[str, object] | None = None
        self._key: object = None
        # Latches of a new record that is staged.
        self._waiting: tuple[LatchRecord, ...] = ()
        self._filters: dict[str, ControlState] = {}
        self._blank_is_all = True
        self._only: Mapping[str, object] = form._state.manner.only or {}
        self._cached: FilteredRows | None = None
        # For the view: the place in words, the position (0: none of them), the count.
        self.place: tuple[str, int, int] = ("", 0, 0)
        columns = columns_of(session, source)
        for column in self._only:
            must_be_column(column, columns, source)
        self._bound: dict[str, LiveValue[object]] = bound_columns(form, form._state.controls, columns, source)
        expect_types(session, source, declared_types(form._state.plan.controls, columns))
        captions = captions_of(session, source)
        for column, control in self._bound.items():
            if not control._decl.has_caption and captions.get(column, control.caption) != control.caption:
                control._set = {**(control._set or {}), "caption": captions[column]}
                control._cells = {} if control._cells is None else control._cells

    @property
    def key(self) -> object:
        """The current record's key, or None for a new record. Rules can read it."""
        if self.session.port.tracker is not None:
            self.session.port.tracker[(self, "key")] = self._current("key")
        return self._key

    def _current(self, prop: str) -> object:
        return self._key, self._filters, self._blank_is_all

    def _restored(self, name: str) -> None:
        if name in ("_key", "_filters", "_blank_is_all"):
            self.session.dirty.invalidate(self, "key", 0)

    def _take(self, turn: Turn, row: Record | None, key: object) -> None:
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
        rows = self._filtered()
        return self._place_text(rows.places.get(self.key, -1) + 1, len(rows.keys))

    def _place_text(self, place: int, count: int) -> str:
        if place == 0:
            return self.session.text("position.new" if self._key is None else "position.outside", count=count)
        return self.session.text("position", place=place, count=count)

    def binds(self, control: object) -> bool:
        """Return True if a control is bound to a column."""
        return any(bound is control for bound in self._bound.values())

    @property
    def is_saved(self) -> bool:
        """True if there is a record, which can be removed."""
        return self._row is not None

    def note_place(self) -> None:
        """Note the place among the records, if the store tells it; otherwise the last one stays."""
        try:
            rows = self._filtered()
        except StoreRefused:
            return
        place, count = rows.places.get(self._key, -1) + 1, len(rows.keys)
        if place == 0 or (place, count) != self.place[1:]:
            self.place = self._place_text(place, count), place, count

    @property
    def columns(self) -> Mapping[str, object]:
        """The controls of the bound columns."""
        return self._bound

    @property
    def is_changed(self) -> bool:
        """True if the user entered something that isn't saved. Defaults don't count."""
        return any(differs(control) for control in self._bound.values()) or lines_changed(self.form)

    def _keys(self) -> list[object]:
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
        kept = self._cached
        if kept is None or kept.rows is not rows or kept.wanted != wanted or kept.none is not blank:
            kept = self._cached = FilteredRows(rows, wanted, blank, "" if self.trouble else self.key_column)
        return kept

    def where(self, *, blank: str = "all", **columns: LiveValue[object]) -> None:
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

    def must_have(self, key: object) -> None:
        """Refuse a key that no matching record has."""
        if key not in self._filtered().places:
            raise self._unknown(key)

    def _unknown(self, key: object) -> UnknownName:
        keys = self._keys()
        return UnknownName(f"'{self.source}' has no record {key!r}; {suggest(shown_key(key), map(shown_key, keys))}")

    def key_of(self, text: str) -> object:
        """Return the key that a text means, or the text itself if none does."""
        return next((key for key in self._keys() if shown_key(key) == text), text)

    def named(self, change: Change) -> str:
        """Return the record of a change, as the user calls it: by its key and the first value that isn't it."""
        key, was = shown_key(change.key), change.was or {}
        parts = (self.key_column,) if isinstance(self.key_column, str) else self.key_column
        for column, control in self._bound.items():
            if column not in parts and was.get(column) not in (None, "") and not is_masked(control):
                value = control._decl.column_text(control, was[column], self.session.formats)
                return self.session.text("conflict.named", key=key, caption=control.caption, value=value)
        return self.session.text("conflict.record", key=key)


class FilteredRows:
    """The rows that match the filters: their keys in order, and each key's place."""

    __slots__ = ("_rows", "keys", "none", "places", "rows", "wanted")

    def __init__(self, rows: Sequence[Record], wanted: Mapping[str, object], none: bool, column: KeyName) -> None:
        """`column`: the key, or "" where it isn't usable: a row's key is then its place, from 1."""
        self.rows = rows
        self.wanted = wanted
        self.none = none
        there = [] if none else list(range(len(rows)))
        for name, value in wanted.items():
            there = [at for at in there if rows[at].get(name) == value]
        if not column:
            keys: list[object] = [at + 1 for at in there]
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

    def by_key(self, key: object) -> Record:
        return self._rows[self.places[key]]

    def __iter__(self) -> Iterator[tuple[object, Record]]:
        return iter(zip(self.keys, self._rows, strict=True))
