"""The records of a bound form: go to a record, save it, remove it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from fuselatch.core.engine import closing, focus, latching, lines
from fuselatch.core.engine.closing import mark_clean
from fuselatch.core.engine.opening import set_defaults
from fuselatch.core.engine.rows import bound_columns, bring, held_by, hold, must_be_column
from fuselatch.core.forms.controls import LiveInput, LiveValue
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.forms.places import FirstBlank, HostSelection
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.cells import Node
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.records import MOVES, Change, Row
from fuselatch.core.model.services import Host
from fuselatch.core.model.texts import TEXTS, user_text

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form

SAVE, DROP, STAY = TEXTS["leave.save"], TEXTS["leave.drop"], TEXTS["cancel"]
LEAVE = Prompt(TEXTS["leave"], title=TEXTS["leave.title"], buttons=(SAVE, DROP, STAY), tone="warning")
AGREED = TEXTS["remove.yes"]
REMOVE = Prompt(user_text("remove"), title=TEXTS["remove.title"], buttons=(AGREED, TEXTS["cancel"]), tone="danger")


class Records(Node):
    """The records that a form is bound to, as `form.records`."""

    def __init__(self, engine: Engine, form: Form, source: str) -> None:
        self._engine = engine
        self._form = form
        super().__init__("records")
        self.source = source
        self._key_column = engine.store_key(source)
        self._row: Mapping[str, Any] | None = None
        self._filters: dict[str, Any] = {}
        self._blank_is_all = True
        self._only: Mapping[str, Any] = form._state.manner.only or {}
        self._seen: FilteredRows | None = None
        columns = engine.store_columns(source)
        for column in self._only:
            must_be_column(column, columns, source)
        self._bound: dict[str, LiveValue[Any]] = bound_columns(form, form._state.controls, columns, source)
        told = engine.store_captions(source)
        for column, control in self._bound.items():
            if not control._decl.has_caption and told.get(column, control.caption) != control.caption:
                control._set = {**(control._set or {}), "caption": told[column]}
                control._cells = {} if control._cells is None else control._cells

    # ---- to look at

    @property
    def key(self) -> Any:
        """The current record's key, or None for a new record. Rules can read it."""
        if self._engine.tracker is not None:
            self._engine.tracker[(self, "key")] = self._current("key")
        return None if self._row is None else self._row[self._key_column]

    def _current(self, prop: str) -> Any:
        return None if self._row is None else self._row[self._key_column], self._filters, self._blank_is_all

    def _restored(self, name: str) -> None:
        if name in ("_row", "_filters", "_blank_is_all"):
            self._engine.updates.mark(self, "key", 0)

    def _take(self, turn: Turn, row: Row | None) -> None:
        """Set the current record, and mark what depends on it."""
        turn.set(self, "_row", row)
        self._engine.updates.mark(self, "key", turn.cause)

    @property
    def count(self) -> int:
        """The number of records that match the filters."""
        return len(self._keys())

    @property
    def position_text(self) -> str:
        """The current record's position: "12 of 250", or "new record (250 saved)"."""
        seen = self._look()
        at = seen.places.get(self.key)
        count = len(seen.keys)
        return user_text("position", place=at + 1, count=count) if at is not None else user_text("position.new", count=count)

    @property
    def captions(self) -> Mapping[str, str]:
        """The captions of the bound columns."""
        return {column: control.caption for column, control in self._bound.items()}

    @property
    def is_changed(self) -> bool:
        """True if the user entered something that isn't saved. Defaults don't count."""
        return any(closing.differs(control) for control in self._bound.values()) or closing.lines_changed(self._form)

    def _keys(self) -> list[Any]:
        return self._look().keys

    def _look(self) -> FilteredRows:
        """Return the rows that match the filters; computed again only if something changed."""
        wanted = dict(self._only)
        blank = False
        for column, control in self._filters.items():
            value = control._read("value")
            if value != control._plan.blank:
                wanted[column] = value
            elif not self._blank_is_all:
                blank = True
        if self._engine.tracker is not None:
            self._engine.tracker[(self, "key")] = self._current("key")
        rows = self._engine.rows.read(self.source)
        seen = self._seen
        if seen is None or seen.rows is not rows or seen.wanted != wanted or seen.none is not blank:
            seen = self._seen = FilteredRows(rows, wanted, blank, self._key_column)
        return seen

    # ---- to act

    def where(self, *, blank: str = "all", **columns: LiveValue[Any]) -> None:
        """Show only rows whose columns equal these controls: `where(state=form.state)`.

        Filters use settled values. A blank control matches every row, or no row with `blank="none"`.
        """
        there = self._engine.store_columns(self.source)
        for column, control in columns.items():
            must_be_column(column, there, self.source)
            if not isinstance(control, LiveValue):
                raise TypeError(f"where({column}=…): expected a control of an open form, not {control!r}")
        if blank not in ("all", "none"):
            raise ValueError(f"where(blank={blank!r}): use 'all' (a blank filter shows all rows) or 'none'")

        def put(turn: Turn) -> None:
            turn.set(self, "_filters", dict(columns))
            turn.set(self, "_blank_is_all", blank == "all")
            self._engine.updates.mark(self, "key", 0)

        name = f"{type(self._form).__name__}.records.where"
        self._engine.set_by_program(self._form, name, put)

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
        """Go to the record with a key; raise `UnknownName` if there is none."""
        self.must_have(key)
        return self._act(f"record {key}", lambda turn: self._leave(turn) and self._go(turn, key))

    def must_have(self, key: Any) -> None:
        """Refuse a key that no matching record has."""
        if key not in self._look().places:
            raise self._unknown(key)

    def move(self, word: str) -> bool:
        """Go to, save or remove a record, by a word of `MOVES`."""
        if word not in MOVES:
            raise UnknownName(f"unknown move '{word}'; {suggest(word, MOVES)}")
        return self._act(f"record {word}", lambda turn: self._step(turn, word))

    def begin(self, turn: Turn) -> None:
        """Go to the record that the form was opened at."""
        at, form = self._form._state.manner.at, self._form
        lines.begin(turn.engine, form)
        seen = self._look()
        key = seen.keys[0] if seen.keys else None
        if isinstance(at, FirstBlank):
            key = at.key_in(form, self._bound, seen)
        elif isinstance(at, HostSelection):
            found, trouble = selected(turn.engine, self.source, seen)
            key = key if trouble else found
            if trouble:
                turn.engine.say(form, trouble, "warning")
        elif at is not None:
            self.must_have(at)
            key = at
        if key is not None:
            self.load(turn, seen.by_key(key))
        else:
            fill(turn, self._bound, self._only)

    def _unknown(self, key: Any) -> UnknownName:
        keys = self._keys()
        return UnknownName(f"'{self.source}' has no record {key!r}; {suggest(str(key), map(str, keys))}")

    def _act(self, label: str, step: Any) -> bool:
        engine = self._engine
        engine._may_change(self._form, f"the record of {type(self._form).__name__}", False)
        done: list[bool] = []

        def carry(turn: Turn) -> None:
            before, turn.cause = turn.cause, turn.note_form("step", self._form, label)
            engine.look(turn)
            done.append(step(turn))
            turn.cause = before

        engine._by_program((label, self._form._state.name, "value"), carry)
        return done[0] if done else False

    def _step(self, turn: Turn, word: str) -> bool:
        if word == "save":
            return self._save(turn)
        if word == "remove":
            return self._remove(turn)
        seen = self._look()
        at = seen.places.get(self.key, len(seen.keys))
        if not self._leave(turn):
            return False
        keys = self._keys()
        place = {"next": at + 1, "previous": at - 1, "first": 0, "last": len(keys) - 1, "new": len(keys)}[word]
        if word == "previous":
            # At the first record it stays there. A record that the filter leaves out counts as one after the last.
            place = max(place, 0)
        return self._go(turn, keys[place] if 0 <= place < len(keys) else None)

    def _go_on(self, turn: Turn, then: str) -> None:
        """Go to the record after a submit."""
        seen = self._look()
        keys = seen.keys
        at = seen.places.get(self.key, len(keys)) + 1 if then == "next" else len(keys)
        self._go(turn, keys[at] if at < len(keys) else None)

    def key_of(self, text: str) -> Any:
        """Return the key that a text means, or the text itself if none does."""
        return next((key for key in self._keys() if str(key) == text), text)

    def _leave(self, turn: Turn) -> bool:
        """Save the current record, or ask the user, before another is shown."""
        focus.settle_all(turn, self._form)
        if not self.is_changed:
            return True
        if self._form._state.plan.on_leave == "ask":
            answer = turn.engine.ask_itself(turn, self._form, LEAVE, {})
            if answer != SAVE:
                return answer == DROP or closing.held(turn, self._form, "record", TEXTS["notice.stayed"])
        return self._save(turn)

    def _go(self, turn: Turn, key: Any) -> bool:
        self.load(turn, self._look().by_key(key) if key is not None else None)
        turn.happen("record_shown", self._form, None, None, key)
        return True

    def load(self, turn: Turn, row: Mapping[str, Any] | None) -> None:
        """Load a record, or start a new one (None). Raises no `changed`."""
        self._take(turn, row)
        if row is None:
            reset(turn, self._form)
            fill(turn, self._bound, self._only)
            return
        leave_behind(turn, self._form)
        where = f"'{self.source}' {row.get(self._key_column)}"
        for column, control in self._bound.items():
            bring(turn, control, row.get(column), where, column)
        lines.load(turn, self._form, self.key)
        turn.drain()

    def reload(self, turn: Turn) -> None:
        """Load the current record again, or the first if it is gone."""
        seen = self._look()
        key = self.key if self.key in seen.places else seen.keys[0] if seen.keys else None
        self._go(turn, key)

    def _save(self, turn: Turn) -> bool:
        form = self._form
        focus.settle_all(turn, form)
        if not closing.may_submit(turn, form):
            return False
        self.stage(turn)
        return True

    def stage(self, turn: Turn) -> None:
        """Stage the current record. Hidden and disabled controls keep their column."""
        row = {**self._only, **held_by(self._bound)}
        was = self._row
        closing.note_last(turn, self._form)
        if was is None:
            key = row.get(self._key_column)
            change = Change("add", self.source, key, row)
        else:
            row = {column: value for column, value in row.items() if was.get(column) != value}
            change = Change("change", self.source, self.key, row, was)
        if change.row or change.kind == "add":
            turn.engine.stage(turn, change, self)
        self._take(turn, {**(was or {}), **row, self._key_column: self.key if was is not None else change.key})
        for control in self._bound.values():
            mark_clean(turn, control)
        lines.stage(turn, self._form, self)

    def keyed(self, turn: Turn, key: Any) -> None:
        """Note the key that the store gave to a new record."""
        if self._row is not None and self._row.get(self._key_column) is None:
            self._take(turn, {**self._row, self._key_column: key})

    def _remove(self, turn: Turn) -> bool:
        if self.key is None:
            raise NotAllowedHere("this record is new and not saved, so there is nothing to remove")
        under = lines.under(turn.engine, self._form, self.key)
        for live, rows in under:
            if rows and live._decl.on_parent_remove == "refuse":
                reason = user_text("notice.lines_first", key=self.key, count=len(rows), caption=live.caption)
                return closing.held(turn, self._form, "record", reason)
        if turn.engine.ask_itself(turn, self._form, REMOVE, {"record": self._named_with(under)}) != AGREED:
            return closing.held(turn, self._form, "record", TEXTS["notice.removed"])
        for live, rows in under:
            for row in rows:
                source = live._decl.records
                change = Change("remove", source, row[turn.engine.store_key(source)], {}, row)
                turn.engine.stage(turn, change, lines.LineKeys(live, None, self))
        at = self._look().places.get(self.key, 0)
        turn.engine.stage(turn, Change("remove", self.source, self.key, {}, self._row), self)
        keys = self._keys()
        return self._go(turn, keys[min(at, len(keys) - 1)] if keys else None)

    def _named_with(self, under: Sequence[tuple[Any, Sequence[Row]]]) -> str:
        """Return the current record and the lines removed with it, as the user reads it."""
        counted = [
            user_text("remove.line" if len(rows) == 1 else "remove.lines", count=len(rows), caption=live.caption)
            for live, rows in under
            if rows and live._decl.on_parent_remove != "cascade"
        ]
        if not counted:
            return user_text("remove.record", key=self.key)
        return user_text("remove.with_lines", key=self.key, lines=TEXTS["remove.and"].join(counted))


class FilteredRows:
    """The rows that match the filters: their keys in order, and each key's place."""

    __slots__ = ("_rows", "keys", "none", "places", "rows", "wanted")

    def __init__(self, rows: Sequence[Row], wanted: Mapping[str, Any], none: bool, column: str) -> None:
        self.rows = rows
        self.wanted = wanted
        self.none = none
        # A staged row has no key yet, so it can't be shown.
        there = [] if none else [row for row in rows if row.get(column) is not None]
        for name, value in wanted.items():
            there = [row for row in there if row.get(name) == value]
        self._rows = there
        self.keys = [row[column] for row in there]
        self.places = dict(zip(self.keys, range(len(there)), strict=True))

    def by_key(self, key: Any) -> Row:
        return self._rows[self.places[key]]

    def __iter__(self) -> Iterator[tuple[Any, Row]]:
        return iter(zip(self.keys, self._rows, strict=True))


def selected(engine: Engine, source: str, seen: FilteredRows) -> tuple[Any, str]:
    """Return the key of the host's selection, or the problem with it."""
    chosen = engine.session.services[Host].selected()
    if chosen is None:
        return None, user_text("selected.none", records=source)
    if chosen.source != source:
        return None, user_text("selected.other", other=chosen.source, records=source)
    if chosen.key not in seen.places:
        return None, user_text("selected.gone", records=source, key=chosen.key)
    return chosen.key, ""


def fill(turn: Turn, bound: Mapping[str, LiveValue[Any]], only: Mapping[str, Any]) -> None:
    """Set the values that a new record shares with the rows in `only`."""
    for column, value in only.items():
        if column in bound:
            bring(turn, bound[column], value, "a new record", column)
    if only:
        turn.drain()


def leave_behind(turn: Turn, form: Form) -> None:
    """Drop what belongs to the current record: drafts, markers, latches."""
    state = form._state
    latching.forget(turn, form)
    turn.set(state, "record", state.record + 1)
    turn.set(state, "overrides", ())
    for control in state.order:
        if isinstance(control, LiveInput):
            focus.drop_draft(turn, control)
            for name, value in (("_findings", None), ("_preview", None), ("_marked", False)):
                turn.set(control, name, value)
            mark_clean(turn, control)


def reset(turn: Turn, form: Form) -> None:
    """Blank the form and set its defaults again; raises no `changed`."""
    leave_behind(turn, form)
    for control in form._state.order:
        if isinstance(control, LiveInput) and not control._rule:
            if isinstance(control, LiveChoice):
                turn.set(control, "_brought", None)
            hold(turn, control, control._plan.blank)
    lines.load(turn, form, None)
    set_defaults(turn, form)
    turn.drain()
