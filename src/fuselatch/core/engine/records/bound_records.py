"""The records of a bound form: go to a record, save it, remove it.

Theory of operation
-------------------
A form with `records=` shows one row of a source at a time: the *current record*, or a new one that isn't saved yet. Each
control is bound to a column; the other controls are the developer's own.

*Leaving* a record saves it if the user changed something, or asks first (`on_leave="ask"`). A record counts as changed if
a bound control has a draft or another value than when it was loaded, or a line was added, removed, moved or changed.
Leaving may stop: a finding refuses, a handler blocks, or the user stays. It may also change which records match, because it
settles a filter's control or writes the column that is filtered; so the target is looked for again afterwards.

An example: on record 1, the user types "Teal" into `boat` and goes to the next record.

    settle        boat: Eider → Teal
    leave         changed, so checked and staged: change 1: boat=Teal
    load          record 2; `record_shown`
    write         the store gets the change; its version differs, so lists of this source follow
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fuselatch.core.engine.records import line_records as lines
from fuselatch.core.engine.records.current_record import CurrentRecord, fill
from fuselatch.core.engine.records.shown_records import FilteredRows
from fuselatch.core.engine.records.submitting import veto
from fuselatch.core.engine.rules import latching
from fuselatch.core.engine.rules.rows import (
    key_column,
    look,
    stage,
)
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import OwnQueue, Turn
from fuselatch.core.engine.turn import focus
from fuselatch.core.engine.turn.changing import put_message
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.places import FirstBlank, HostSelection, KeyInWords
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import MOVES, Change, Record, key_in, shown_key
from fuselatch.core.model.service_map import Host
from fuselatch.core.model.texts import later

SAVE, DROP, STAY = later("leave.save"), later("leave.drop"), later("cancel")
LEAVE = Prompt(later("leave"), title=later("leave.title"), buttons=(SAVE, DROP, STAY), tone="warning")
AGREED = later("remove.yes")
REMOVE = Prompt(later("remove"), title=later("remove.title"), buttons=(AGREED, later("cancel")), tone="danger")


class Records(CurrentRecord):
    """The records that a form is bound to, as `form.records`."""

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

    def at(self, key: object) -> bool:
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
        rows = self._filtered()
        key = rows.keys[0] if rows.keys else None
        if isinstance(at, FirstBlank):
            key = at.key_in(form, self._bound, rows)
        elif isinstance(at, HostSelection):
            chosen, trouble = selected(turn.session, self.source, rows)
            key = key if trouble else chosen
            if trouble:
                put_message(turn, form, trouble, "warning")
        elif at is not None:
            key = self.key_of(at.text) if isinstance(at, KeyInWords) else at
            self.must_have(key)
        if key is not None:
            self.load(turn, rows.by_key(key), key)
        else:
            fill(turn, self._bound, self._only)

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
        rows = self._filtered()
        at = rows.places.get(self.key, len(rows.keys))
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
        rows = self._filtered()
        keys = rows.keys
        at = rows.places.get(self.key, len(keys)) + 1 if then == "next" else len(keys)
        self._go(turn, keys[at] if at < len(keys) else None)

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

    def _named_with(self, under: Sequence[tuple[LineList, Sequence[Record]]]) -> str:
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


def selected(session: SessionState, source: str, found: FilteredRows) -> tuple[object, str]:
    """Return the key of the host's selection, or the problem with it."""
    chosen = session.services[Host].selected()
    if chosen is None:
        return None, session.text("selected.none", records=source)
    if chosen.source != source:
        return None, session.text("selected.other", other=chosen.source, records=source)
    if chosen.key not in found.places:
        return None, session.text("selected.gone", records=source, key=chosen.key)
    return chosen.key, ""
